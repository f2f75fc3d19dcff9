package again_test

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"slices"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/tray"
)

// randomMarks are marks of which many share a key, a content or nothing; a few have two keys, as records have that were paired by hand. What is alike
// in everything has the same print.
func randomMarks(r *rand.Rand, n int) []again.Mark {
	marks := make([]again.Mark, n)
	for i := range marks {
		m := &marks[i]
		m.Tray, m.Gone, m.Worked, m.Order = tray.All[r.IntN(len(tray.All))], r.IntN(5) == 0, r.IntN(3) == 0, int64(r.IntN(3))
		key := fmt.Sprintf("MW\x00%d", r.IntN(n))
		for _, s := range tray.Sides {
			if r.IntN(3) == 0 && (s == tray.Left || m.Sides[0].Here) {
				continue
			}
			amount := fmt.Sprint(r.IntN(4))
			side := again.Side{Here: true, Key: key, Content: key + amount + fmt.Sprint(r.IntN(2))}
			side.Values = "\x00" + string(binary.AppendUvarint(nil, uint64(len(amount)))) + amount
			switch r.IntN(12) {
			case 0:
				side.Key, side.Content = "", fmt.Sprint("content ", r.IntN(n/4+1))
			case 1:
				side.Key = fmt.Sprintf("MW\x00%d", r.IntN(n))
			}
			m.Sides[s] = side
		}
		m.Print = again.PrintReject(tray.Left, fmt.Sprint(m.Tray, m.Sides))
	}
	return marks
}

// TestRecogniser recognises exceptions piece by piece, with memory for all of them or for next to none: the same are recognised, and the rest is lost or new.
func TestRecogniser(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 5))
		before, now := randomMarks(r, 1+r.IntN(400)), randomMarks(r, 1+r.IntN(400))
		if seed == 0 {
			before, now = randomMarks(r, 20_000), randomMarks(r, 20_000)
		}
		rekeyed := seed%3 == 1
		for _, budget := range []int64{1, 1 << 30} {
			dir := t.TempDir()
			recogniser := again.NewRecogniser(budget, dir, rekeyed)
			wanted := slices.Clone(before)
			for b := range before {
				if err := recogniser.Before(&before[b]); err != nil {
					t.Fatal(err)
				}
				if r.IntN(10) == 0 {
					recogniser.Here(b)
					wanted[b].Gone = false
				}
			}
			for n := range now {
				if err := recogniser.Now(&now[n]); err != nil {
					t.Fatal(err)
				}
			}
			want := again.Recognise(wanted, now, rekeyed)
			got, lost := make([]int, len(now)), make([]bool, len(before))
			for n := range got {
				got[n] = -1
			}
			err := recogniser.Recognise(t.Context(), func(n, b int, is, was *again.Mark) {
				if got[n] >= 0 || !reflect.DeepEqual(*is, now[n]) || !reflect.DeepEqual(unjoined(*was), wanted[b]) {
					t.Fatalf("seed %d: %d is %d, with marks %+v and %+v", seed, n, b, is, was)
				}
				got[n] = b
			}, func(b int, was *again.Mark) {
				if lost[b] || !reflect.DeepEqual(unjoined(*was), wanted[b]) {
					t.Fatalf("seed %d: %d is lost, with mark %+v", seed, b, was)
				}
				lost[b] = true
			})
			if err != nil {
				t.Fatal(err)
			}
			if !slices.Equal(got, want) {
				n := 0
				for got[n] == want[n] {
					n++
				}
				t.Fatalf("seed %d, budget %d: %d of %d is %d, want %d", seed, budget, n, len(now), got[n], want[n])
			}
			for b := range lost {
				if lost[b] == slices.Contains(want, b) && (seed > 0 || b < 100) {
					t.Errorf("seed %d: %d is lost: %t", seed, b, lost[b])
				}
			}
			if err := recogniser.Close(); err != nil {
				t.Fatal(err)
			}
			if left, _ := os.ReadDir(dir); len(left) > 0 {
				t.Errorf("temporary files were left: %v", left)
			}
		}
	}
}

// unjoined is a mark without what [again.Join] has said of it.
func unjoined(m again.Mark) again.Mark {
	m.Joined = false
	return m
}
