package sorted_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"twinsieve/core/sorted"
)

type pair struct{ key, payload string }

// all reads what a cursor goes through.
func all(t *testing.T, c *sorted.Cursor) (list []pair) {
	t.Helper()
	for {
		more, err := c.Next()
		if err != nil {
			t.Fatal(err)
		}
		if !more {
			return list
		}
		key, payload := c.At()
		list = append(list, pair{string(key), string(payload)})
	}
}

// TestSorted sorts entries, many with equal keys, in runs of any length and within any budget: as a stable sort of all of them does.
func TestSorted(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	spilled := 0
	for n := range 200 {
		s := sorted.New(int64(r.IntN(3)*r.IntN(40_000)), t.TempDir())
		var want []pair
		for range r.IntN(6) {
			run := &sorted.Run{}
			for range r.IntN(800) {
				var parts []byte
				for range 1 + n%3 {
					parts = sorted.AppendText(parts, bytes.Repeat([]byte{byte(r.IntN(3))}, r.IntN(1+n%12)))
				}
				one := pair{string(parts), fmt.Sprint(len(want), string(make([]byte, r.IntN(2)*r.IntN(300))))}
				if r.IntN(400) == 0 {
					one.payload = string(make([]byte, 70_000)) // longer than what is read at a time
				}
				want = append(want, one)
				run.Add([]byte(one.key), []byte(one.payload))
			}
			run.Sort()
			if err := s.Add(run); err != nil {
				t.Fatal(err)
			}
		}
		slices.SortStableFunc(want, func(a, b pair) int { return bytes.Compare([]byte(a.key), []byte(b.key)) })
		first, second := s.Cursor(), s.Cursor()
		if _, err := second.Next(); err != nil {
			t.Fatal(err)
		}
		if got := all(t, first); !slices.Equal(got, want) {
			t.Fatalf("case %d: %d entries in another order, of %d", n, len(got), len(want))
		}
		if got := all(t, second); len(want) > 0 && !slices.Equal(got, want[1:]) {
			t.Fatalf("case %d: a second cursor goes another way", n)
		}
		if s.Spilled() > 0 {
			spilled++
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
	}
	if spilled < 50 {
		t.Errorf("only %d cases were spilled", spilled)
	}
}

// TestAppendText: texts are ordered as their bytes are, alone and before other parts, and none is the beginning of another.
func TestAppendText(t *testing.T) {
	texts := []string{"", "\x00", "\x00\x00", "\x00\x01", "\x00\xff", "\x01", "a", "a\x00", "a\x00b", "ab", "b", "\xff"}
	for i, a := range texts {
		for j, b := range texts {
			x, y := sorted.AppendText(nil, []byte(a)), sorted.AppendText(nil, []byte(b))
			if got := bytes.Compare(append(x, "zz"...), append(y, "aa"...)); i != j && (got < 0) != (i < j) {
				t.Errorf("%q and %q: %d", a, b, got)
			}
			if i != j && bytes.HasPrefix(x, y[:len(sorted.AppendText(nil, []byte(b)))]) {
				t.Errorf("%q begins with %q", a, b)
			}
		}
	}
}

// TestNoRoom: that there is nowhere to spill is said.
func TestNoRoom(t *testing.T) {
	s := sorted.New(0, t.TempDir()+"/none")
	run := &sorted.Run{}
	run.Add([]byte("key"), nil)
	if err := s.Add(run); err == nil {
		t.Error("it was put where there is nothing")
	}
	if err := s.Close(); err != nil {
		t.Error(err)
	}
}
