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

// slowness makes whoever guesses passwords wait, name by name, whether or not anybody has the name.
type slowness struct {
	mu    sync.Mutex
	names map[string]*tries
	now   func() time.Time // for tests; nil: the clock
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

// enter returns a problem while a name has to wait.
func (s *slowness) enter(name string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if t := s.names[name]; t != nil {
		if wait := t.until.Sub(s.clock()); wait > 0 {
			seconds := int64((wait + time.Second - 1) / time.Second)
			return view.TooOften.New(fmt.Sprintf("There were %d wrong passwords for this name; wait %d s and try again.", t.wrong, seconds)).After(seconds)
		}
	}
	return nil
}

func (s *slowness) wrong(name string) {
	s.mu.Lock()
	defer s.mu.Unlock()
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

func (s *slowness) right(name string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.names, name)
}
