package exact_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"twinsieve/core/exact"
)

// TestTerm holds the order of terms, their differences and their texts against those of decimals: numbers of any length and sign, many of them equal or nearly so.
func TestTerm(t *testing.T) {
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
	equal, differences := 0, 0
	for range 100_000 {
		a, b := some(), some()
		if of, ok := exact.TermOf(a.Decimal()); !ok || of.Compare(a) != 0 || a.Text() != exact.Text(a.Decimal()) {
			t.Fatalf("%s becomes %s, %t, and is written %s", a.Decimal(), of.Decimal(), ok, a.Text())
		}
		if d, ok := a.Minus(b); ok {
			differences++
			if want := a.Decimal().Sub(b.Decimal()); !d.Decimal().Equal(want) || !d.Magnitude().Decimal().Equal(want.Abs()) || !d.Negative().Decimal().Equal(want.Neg()) {
				t.Fatalf("%s less %s is %s", a.Decimal(), b.Decimal(), d.Decimal())
			}
		}
		got, want := a.Compare(b), a.Decimal().Cmp(b.Decimal())
		if got != want {
			t.Fatalf("%s and %s: %d, want %d", a.Decimal(), b.Decimal(), got, want)
		}
		if want == 0 {
			equal++
		}
	}
	if equal < 100 || equal > 90_000 || differences < 50_000 {
		t.Errorf("%d were equal, %d had a short difference", equal, differences)
	}
	long, _ := exact.NewTerm([]byte("999999999999999999"))
	fine, _ := exact.NewTerm([]byte("0.00000000000000001"))
	if long.Compare(fine) != 1 || fine.Compare(long) != -1 {
		t.Error("the longest numbers are compared otherwise")
	}
}
