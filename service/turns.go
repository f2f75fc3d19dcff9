package service

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"twinsieve/service/view"
)

// mostWaiting is how many jobs of one person may wait for their turn.
const mostWaiting = 8

// turns says whose job works next. A few work at one time; of those that wait, the next is of whoever has the fewest at work and had
// none for longest, so that nobody's many jobs hold up another's one. Of one person's, those that bring something about come
// before counts.
type turns struct {
	most int

	mu      sync.Mutex
	working map[uint]int // jobs at work, by person
	all     int
	served  map[uint]int // when a person's job last had its turn, as the number of the turn
	turn    int
	waiting []*waiting
}

// waiting is a job that waits for its turn.
type waiting struct {
	by    uint
	count bool
	turn  chan struct{} // closed when it is its turn
}

func newTurns(most int) *turns {
	return &turns{most: most, working: map[uint]int{}, served: map[uint]int{}}
}

// queue puts a job of a person in the queue; the service itself, which is nobody, may have any number there.
func (t *turns) queue(by uint, count bool) (*waiting, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if n := t.waitingOf(by); by != 0 && n >= mostWaiting {
		return nil, view.TooOften.New(fmt.Sprintf("You have %d jobs waiting already; wait until some of them are done, or cancel them.", n)).After(5)
	}
	w := &waiting{by: by, count: count, turn: make(chan struct{})}
	t.waiting = append(t.waiting, w)
	t.next()
	return w, nil
}

func (t *turns) waitingOf(by uint) (n int) {
	for _, w := range t.waiting {
		if w.by == by {
			n++
		}
	}
	return n
}

// wait waits until it is a job's turn, which is to be given back by done. When the context ends first, the job is in the queue no more.
func (t *turns) wait(ctx context.Context, w *waiting) error {
	select {
	case <-w.turn:
		return nil
	case <-ctx.Done():
		t.leave(w)
		return ctx.Err()
	}
}

// leave takes a job out of the queue; where its turn has just come, it goes to the next one.
func (t *turns) leave(w *waiting) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if at := slices.Index(t.waiting, w); at >= 0 {
		t.waiting = slices.Delete(t.waiting, at, at+1)
		return
	}
	t.free(w.by)
}

// done gives a turn back.
func (t *turns) done(w *waiting) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.free(w.by)
}

func (t *turns) free(by uint) {
	t.all--
	if t.working[by]--; t.working[by] == 0 {
		delete(t.working, by)
	}
	t.next()
}

// next gives turns as long as there are any.
func (t *turns) next() {
	for t.all < t.most && len(t.waiting) > 0 {
		best := 0
		for i, w := range t.waiting {
			if t.before(w, t.waiting[best]) {
				best = i
			}
		}
		w := t.waiting[best]
		t.waiting = slices.Delete(t.waiting, best, best+1)
		t.all++
		t.working[w.by]++
		t.turn++
		t.served[w.by] = t.turn
		close(w.turn)
	}
}

// before reports whether a job comes before one that has waited longer.
func (t *turns) before(w, other *waiting) bool {
	if w.by == other.by {
		return !w.count && other.count
	}
	if a, b := t.working[w.by], t.working[other.by]; a != b {
		return a < b
	}
	return t.served[w.by] < t.served[other.by]
}
