package service

import (
	"fmt"
	"sync"
	"time"

	"twinsieve/service/view"
)

// freeTries is how many wrong passwords cost nothing. Each one more doubles the wait.
const (
	freeTries = 5
	firstWait = 15 * time.Second
	longest   = 15 * time.Minute
	forgotten = time.Hour // after so long without a try, wrong ones are forgotten
)

// slowness makes whoever guesses passwords wait, name by name, whether or not anybody has the name. An address from which somebody has
// signed in is counted apart for their name, so that nobody is locked out by guesses from elsewhere.
type slowness struct {
	mu    sync.Mutex
	names map[string]*tries
	known map[string]time.Time // name and address: when they last signed in from there
	now   func() time.Time     // for tests; nil: the clock
}

// mostKnown is how many addresses are kept; of more, all are forgotten.
const mostKnown = 10_000

// key is what tries of a name from an address are counted under.
func (s *slowness) key(name, address string) string {
	if both := name + " " + address; address != "" && !s.known[both].IsZero() {
		return both
	}
	return name
}

type tries struct {
	wrong int
	last  time.Time
	until time.Time
}

func (s *slowness) clock() time.Time {
	if s.now != nil {
		return s.now()
	}
	return time.Now()
}

// enter returns a problem while a name has to wait. Else it counts a wrong try, before it is known whether it is one, so that no number of
// guesses at the same time passes; [slowness.right] gives it back.
func (s *slowness) enter(name, address string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	name = s.key(name, address)
	if t := s.names[name]; t != nil {
		if wait := t.until.Sub(s.clock()); wait > 0 {
			seconds := int64((wait + time.Second - 1) / time.Second)
			return view.TooOften.New(fmt.Sprintf("There were %d wrong passwords for this name; wait %d s and try again.", t.wrong, seconds)).After(seconds)
		}
	}
	s.wrong(name)
	return nil
}

// wrong counts a try.
func (s *slowness) wrong(name string) {
	now := s.clock()
	if s.names == nil {
		s.names = map[string]*tries{}
	}
	for n, t := range s.names {
		if now.Sub(t.last) > forgotten {
			delete(s.names, n)
		}
	}
	t := s.names[name]
	if t == nil {
		t = &tries{}
		s.names[name] = t
	}
	t.wrong++
	t.last = now
	if over := t.wrong - freeTries; over >= 0 {
		t.until = now.Add(min(firstWait<<min(over, 10), longest))
	}
}

// right says that the try of a name was right.
func (s *slowness) right(name, address string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.names, s.key(name, address))
	if address == "" {
		return
	}
	if s.known == nil || len(s.known) >= mostKnown {
		s.known = map[string]time.Time{}
	}
	s.known[name+" "+address] = s.clock()
}
