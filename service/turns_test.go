package service

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"

	"twinsieve/service/view"
)

// TestTurns: whoever has many jobs waiting does not hold up another's one, runs come before counts, and one person's queue has an end.
func TestTurns(t *testing.T) {
	ts := newTurns(2)
	var order []string
	queue := func(by uint, count bool) *waiting {
		t.Helper()
		w, err := ts.queue(by, count)
		if err != nil {
			t.Fatal(err)
		}
		return w
	}
	names := map[*waiting]string{}
	for n := range mostWaiting + 2 {
		names[queue(1, true)] = fmt.Sprintf("count %d", n)
	}
	full, problem := queue, &view.Problem{}
	_ = full
	if _, err := ts.queue(1, true); !errors.As(err, &problem) || !view.TooOften.Is(problem) || problem.RetryAfter == 0 {
		t.Errorf("one more job was queued: %v", err)
	}
	names[queue(2, false)] = "run of another"
	for range mostWaiting + 3 {
		for w, name := range names {
			select {
			case <-w.turn:
				order = append(order, name)
				delete(names, w)
				defer ts.done(w)
			default:
			}
		}
		for w := range names { // one ends, so that another has its turn
			if ts.all == 2 {
				ts.mu.Lock()
				ts.free(1)
				ts.mu.Unlock()
			}
			_ = w
			break
		}
		if slices.Contains(order, "run of another") {
			break
		}
	}
	if len(order) > 4 || !slices.Contains(order, "run of another") {
		t.Errorf("the turns were %v", order)
	}
}

// TestTurnsAtRandom: however jobs come, end and leave, never more than may work at once do, and each that waits has its turn.
func TestTurnsAtRandom(t *testing.T) {
	ts := newTurns(3)
	var working, most, done int
	var mu sync.Mutex
	var group sync.WaitGroup
	for n := range 400 {
		r := rand.New(rand.NewPCG(uint64(n), 7))
		group.Go(func() {
			ctx, cancel := context.WithCancel(context.Background())
			defer cancel()
			w, err := ts.queue(uint(r.IntN(5)), r.IntN(2) == 0)
			if err != nil {
				return
			}
			if r.IntN(4) == 0 {
				cancel()
			}
			if ts.wait(ctx, w) != nil {
				return
			}
			mu.Lock()
			working++
			most = max(most, working)
			mu.Unlock()
			mu.Lock()
			working--
			done++
			mu.Unlock()
			ts.done(w)
		})
	}
	group.Wait()
	if most > 3 || done == 0 || ts.all != 0 || len(ts.waiting) != 0 || len(ts.working) != 0 {
		t.Errorf("%d worked at once, %d were done, %d still work and %d wait", most, done, ts.all, len(ts.waiting))
	}
}
