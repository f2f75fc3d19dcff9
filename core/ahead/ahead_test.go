package ahead_test

import (
	"context"
	"errors"
	"slices"
	"testing"

	"twinsieve/core/ahead"
)

// count passes on the numbers below n, and then fails with an error that may be nil.
func count(n int, err error) func(context.Context, func(int) error) error {
	return func(_ context.Context, pass func(int) error) error {
		for i := range n {
			if err := pass(i); err != nil {
				return err
			}
		}
		return err
	}
}

// TestEach: all is visited in order, up to what fails first, which is what is told.
func TestEach(t *testing.T) {
	broken := errors.New("it is broken")
	for _, c := range []struct {
		passed  int
		fails   error
		stopsAt int // what visit fails at; -1: at nothing
		want    []int
		err     error
	}{
		{0, nil, -1, nil, nil},
		{5, nil, -1, []int{0, 1, 2, 3, 4}, nil},
		{3, broken, -1, []int{0, 1, 2}, broken},
		{1000, nil, 2, []int{0, 1, 2}, broken},
	} {
		var got []int
		err := ahead.Each(t.Context(), count(c.passed, c.fails), func(n int) error {
			if got = append(got, n); n == c.stopsAt {
				return broken
			}
			return nil
		})
		if !slices.Equal(got, c.want) || err != c.err {
			t.Errorf("of %d passed on, with %v, stopping at %d: visited %v, %v; want %v, %v", c.passed, c.fails, c.stopsAt, got, err, c.want, c.err)
		}
	}
}

// TestReadsAhead: the next one is being read while one is visited.
func TestReadsAhead(t *testing.T) {
	reading := make(chan int)
	err := ahead.Each(t.Context(), func(_ context.Context, pass func(int) error) error {
		for i := range 3 {
			if i > 0 {
				reading <- i // which is waited for by the visit of the one before
			}
			if err := pass(i); err != nil {
				return err
			}
		}
		return nil
	}, func(n int) error {
		if n < 2 && <-reading != n+1 {
			t.Errorf("while %d is visited, another one than the next is read", n)
		}
		return nil
	})
	if err != nil {
		t.Error(err)
	}
}

// TestEnded: what is waited with is let go of when the context ends.
func TestEnded(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	err := ahead.Each(ctx, count(1000, nil), func(n int) error {
		if n == 1 {
			cancel()
			<-ctx.Done()
			return ctx.Err()
		}
		return nil
	})
	if err != context.Canceled {
		t.Errorf("it ends with %v", err)
	}
}
