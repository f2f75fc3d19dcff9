package service

import (
	"testing"
	"time"

	"twinsieve/service/view"
)

// TestSlowness tries wrong passwords against a clock of the test's own.
func TestSlowness(t *testing.T) {
	now := time.Date(2031, 3, 1, 8, 0, 0, 0, time.UTC)
	s := &slowness{now: func() time.Time { return now }}
	waits := func(name string) time.Duration {
		p, _ := s.enter(name).(*view.Problem)
		if p == nil {
			return 0
		}
		return time.Duration(p.RetryAfter) * time.Second
	}
	for n, want := range []time.Duration{0, 0, 0, 0, 15, 30, 60, 120, 240, 480, 900, 900, 900} {
		s.wrong("tam")
		if got := waits("tam"); got != want*time.Second {
			t.Errorf("after %d wrong ones: %v, want %v", n+1, got, want*time.Second)
		}
		if waits("ines") != 0 {
			t.Error("somebody else waits, too")
		}
		now = now.Add(waits("tam") - time.Millisecond)
		if want > 0 && waits("tam") != time.Second {
			t.Error("the wait ends early")
		}
		now = now.Add(time.Millisecond)
		if waits("tam") != 0 {
			t.Error("the wait does not end")
		}
	}
	s.right("tam")
	for range freeTries - 1 {
		s.wrong("tam")
	}
	if waits("tam") != 0 {
		t.Error("wrong ones are not forgotten after a right one")
	}
	now = now.Add(forgotten + time.Second)
	s.wrong("ines")
	s.wrong("tam")
	if waits("tam") != 0 || len(s.names) != 2 {
		t.Error("wrong ones of long ago are not forgotten")
	}
}
