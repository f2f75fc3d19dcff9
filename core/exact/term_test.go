package exact_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"twinsieve/core/exact"
)

// TestTermCompare holds the order of terms against that of decimals: numbers of any length and sign, many of them equal or nearly so.
func TestTermCompare(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	some := func() exact.Term {
		for {
			text := []string{"", "-"}[r.IntN(2)] + fmt.Sprint(r.Int64N([]int64{2, 10, 1000, 1_000_000_000_000_000}[r.IntN(4)]))
			if places := r.IntN(18); places > 0 {
				text += "." + strings.Repeat("0", r.IntN(places)) + fmt.Sprint(r.IntN(4))
			}
			plain, ok := exact.Plain(nil, []byte(text))
			if !ok {
				t.Fatalf("%q is no number", text)
			}
			term, ok := exact.NewTerm(plain)
			if !ok {
				continue // it is too long for one
			}
			if got, want := term.Decimal(), exact.Decimal(plain); !got.Equal(want) {
				t.Fatalf("%s is %s", plain, got)
			}
			return term
		}
	}
	equal := 0
	for range 100_000 {
		a, b := some(), some()
		got, want := a.Compare(b), a.Decimal().Cmp(b.Decimal())
		if got != want {
			t.Fatalf("%s and %s: %d, want %d", a.Decimal(), b.Decimal(), got, want)
		}
		if want == 0 {
			equal++
		}
	}
	if equal < 100 || equal > 90_000 {
		t.Errorf("%d were equal", equal)
	}
	long, _ := exact.NewTerm([]byte("999999999999999999"))
	fine, _ := exact.NewTerm([]byte("0.00000000000000001"))
	if long.Compare(fine) != 1 || fine.Compare(long) != -1 {
		t.Error("the longest numbers are compared otherwise")
	}
}
