package exact_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
)

// TestSubtotal holds what a few numbers come to, added and taken away, against decimals: short ones, and such as are too long for a term by themselves or together.
func TestSubtotal(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 1))
	zeros, long := 0, 0
	for range 20_000 {
		var got exact.Subtotal
		want := decimal.Zero
		for range r.IntN(5) {
			text := []string{"", "-"}[r.IntN(2)] + fmt.Sprint(r.Int64N([]int64{2, 1000, 1_000_000_000_000_000_000}[r.IntN(3)]))
			if r.IntN(2) == 0 {
				text += "." + strings.Repeat("0", r.IntN(12)) + fmt.Sprint(r.IntN(100))
			}
			plain, ok := exact.Plain(nil, []byte(text))
			if !ok {
				t.Fatalf("%q is no number", text)
			}
			if r.IntN(2) == 0 {
				got.Add(plain)
				want = want.Add(exact.Decimal(plain))
			} else {
				got.Subtract(plain)
				want = want.Sub(exact.Decimal(plain))
			}
		}
		if !got.Decimal().Equal(want) || got.Text() != exact.Text(want) {
			t.Fatalf("%s, written %s, want %s", got.Decimal(), got.Text(), want)
		}
		if want.IsZero() {
			zeros++
		}
		if want.NumDigits() > 18 {
			long++
		}
	}
	if zeros < 100 || long < 100 {
		t.Errorf("%d came to nothing, %d to a long number", zeros, long)
	}
}
