package service

import (
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"twinsieve/service/view"
)

// TestSlowness tries wrong passwords against a clock of the test's own.
func TestSlowness(t *testing.T) {
	now := time.Date(2031, 3, 1, 8, 0, 0, 0, time.UTC)
	s := &slowness{now: func() time.Time { return now }}
	waits := func(name, address string) time.Duration { // a wrong try, where it is let through
		p, _ := s.enter(name, address).(*view.Problem)
		if p == nil {
			return 0
		}
		return time.Duration(p.RetryAfter) * time.Second
	}
	for n, want := range []time.Duration{0, 0, 0, 0, 15, 30, 60, 120, 240, 480, 900, 900, 900} {
		if got := waits("tam", ""); got != 0 {
			t.Fatalf("try %d is not let through: %v", n+1, got)
		}
		if want == 0 {
			continue
		}
		if got := waits("tam", ""); got != want*time.Second {
			t.Errorf("after %d wrong ones: %v, want %v", n+1, got, want*time.Second)
		}
		now = now.Add(want*time.Second - time.Millisecond)
		if waits("tam", "") != time.Second {
			t.Error("the wait ends early")
		}
		now = now.Add(time.Millisecond)
	}
	if waits("ines", "") != 0 {
		t.Error("somebody else waits, too")
	}
	s.right("tam", "")
	for range freeTries {
		if waits("tam", "") != 0 {
			t.Error("wrong ones are not forgotten after a right one")
		}
	}
	now = now.Add(forgotten + time.Second)
	if waits("tam", "") != 0 || len(s.names) != 1 {
		t.Errorf("wrong ones of long ago are not forgotten: %v", s.names)
	}
}

// TestGuessesAtOnce: however many guess at the same time, no more are let through than one after the other.
func TestGuessesAtOnce(t *testing.T) {
	s := &slowness{}
	var through atomic.Int64
	var group sync.WaitGroup
	for range 300 {
		group.Go(func() {
			if s.enter("tam", "203.0.113.9") == nil {
				through.Add(1)
			}
		})
	}
	group.Wait()
	if through.Load() != freeTries {
		t.Errorf("%d guesses were let through, want %d", through.Load(), freeTries)
	}
}

// TestNobodyIsLockedOut: guesses from elsewhere do not lock out somebody who has signed in from an address before, and guesses from there
// are counted.
func TestNobodyIsLockedOut(t *testing.T) {
	s := &slowness{}
	const home, elsewhere = "198.51.100.7", "203.0.113.9"
	if err := s.enter("tam", home); err != nil {
		t.Fatal(err)
	}
	s.right("tam", home)
	for range 3 * freeTries {
		_ = s.enter("tam", elsewhere) // whether it is let through is the other test's
	}
	if err := s.enter("tam", elsewhere); err == nil {
		t.Error("guesses from elsewhere are let through")
	}
	if err := s.enter("tam", home); err != nil {
		t.Errorf("at home: %v", err)
	}
	s.right("tam", home)
	for range freeTries {
		_ = s.enter("tam", home) // as above
	}
	if err := s.enter("tam", home); err == nil {
		t.Error("guesses from a known address are let through without end")
	}
}
