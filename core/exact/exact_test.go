package exact_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"testing"

	"twinsieve/core/exact"
)

// TestSum holds sums of numbers of every size against big rationals, in two halves that are merged.
func TestSum(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		var halves [2]exact.Sum
		want := new(big.Rat)
		for range r.IntN(40) {
			var text string
			switch r.IntN(4) {
			case 0:
				text = fmt.Sprintf("%d.%05d", r.Int64N(1e12)-5e11, r.IntN(100_000))
			case 1:
				text = fmt.Sprint(r.Int64N(2e18) - 1e18)
			case 2:
				text = fmt.Sprintf("%d%018d.%020d", r.Int64(), r.Int64N(1e18), r.Int64())
			default:
				text = fmt.Sprintf("%de%d", r.IntN(2000)-1000, r.IntN(60)-30)
			}
			plain, ok := exact.Plain(nil, []byte(text))
			if !ok {
				t.Fatalf("%q is not read", text)
			}
			n, ok := new(big.Rat).SetString(text)
			if m, ok2 := new(big.Rat).SetString(string(plain)); !ok || !ok2 || m.Cmp(n) != 0 {
				t.Fatalf("%q is read as %q", text, plain)
			}
			want.Add(want, n)
			halves[r.IntN(2)].Add(plain)
		}
		halves[0].Merge(&halves[1])
		got, ok := new(big.Rat).SetString(exact.Text(halves[0].Total()))
		if !ok || got.Cmp(want) != 0 {
			t.Fatalf("sum %s, want %s", exact.Text(halves[0].Total()), want.FloatString(40))
		}
	}
}

// TestSumDoesNotOverflow adds the largest numbers of the quick way often enough to leave 64 bits.
func TestSumDoesNotOverflow(t *testing.T) {
	var up, down exact.Sum
	for range 100 {
		up.Add([]byte("999999999999999999"))
		down.Add([]byte("-999999999999999999"))
	}
	if got := exact.Text(up.Total()); got != "99999999999999999900" {
		t.Errorf("up: %s", got)
	}
	if got := exact.Text(down.Total()); got != "-99999999999999999900" {
		t.Errorf("down: %s", got)
	}
}

// TestPlainIsOne: equal numbers have one plain form, different numbers different ones.
func TestPlainIsOne(t *testing.T) {
	for _, class := range [][]string{{"0", "-0", "+0.000", "0e5", ".0"}, {"1.5", "01.50", "15e-1", "0.15E1", "+1.5"}, {"1000", "1e3", "1000.", "0.001e6"}, {"-0.001", "-1e-3", "-.0010"}} {
		first, _ := exact.Plain(nil, []byte(class[0]))
		for _, text := range class {
			if plain, ok := exact.Plain(nil, []byte(text)); !ok || string(plain) != string(first) {
				t.Errorf("%q: %q, want %q", text, plain, first)
			}
		}
	}
	if plain, ok := exact.Plain([]byte("kept"), []byte("oops")); ok || string(plain) != "kept" {
		t.Errorf("what is no number changed the buffer: %q", plain)
	}
}

// TestPlaces: amounts have two places or more, or none.
func TestPlaces(t *testing.T) {
	for plain, want := range map[string]int{"": 0, "5": 0, "-12.5": 2, "12.50": 2, "0.125": 3} {
		if got := exact.Places(plain); got != want {
			t.Errorf("%q is written with %d places, want %d", plain, got, want)
		}
	}
}
