package similar_test

import (
	"math/rand/v2"
	"testing"

	"twinsieve/core/similar"
)

// slow is the definition, written down.
func slow(a, b []rune) int {
	if len(a) == 0 || len(b) == 0 {
		return len(a) + len(b)
	}
	d := min(slow(a[1:], b)+1, slow(a, b[1:])+1)
	same := 1
	if a[0] == b[0] {
		same = 0
	}
	d = min(d, slow(a[1:], b[1:])+same)
	if len(a) > 1 && len(b) > 1 && a[0] == b[1] && a[1] == b[0] {
		d = min(d, slow(a[2:], b[2:])+1)
	}
	return d
}

func TestDistance(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	word := func() []rune {
		w := make([]rune, r.IntN(7))
		for i := range w {
			w[i] = rune("abcé"[r.IntN(3)])
		}
		return w
	}
	for range 3000 {
		a, b, most := word(), word(), r.IntN(7)
		want := slow(a, b)
		if got := similar.Distance(a, b, most); got != min(want, most+1) {
			t.Fatalf("%q and %q: %d of at most %d, want %d", string(a), string(b), got, most, want)
		}
	}
	long := make([]rune, 500)
	if d := similar.Distance(long, append([]rune{'x'}, long...), 9); d != 1 {
		t.Errorf("long texts: %d", d)
	}
}

func TestAlike(t *testing.T) {
	for _, c := range []struct {
		a, b         string
		kept, length int
	}{{"", "", 1, 1}, {"", "abc", 0, 3}, {"SJÖORMEN", "SJOORMEN", 7, 8}, {"MW-4417", "MW-4471", 6, 7}, {"abc", "xyz", 0, 3}} {
		if kept, length := similar.Alike([]byte(c.a), []byte(c.b)); kept != c.kept || length != c.length {
			t.Errorf("%q and %q: %d of %d", c.a, c.b, kept, length)
		}
	}
}
