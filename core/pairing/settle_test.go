package pairing_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/shopspring/decimal"

	"twinsieve/core/agree"
	"twinsieve/core/pairing"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
)

var amountField = []sieve.PlanField{{Rule: agree.Rule{Kind: agree.Decimal, Within: decimal.RequireFromString("1")}}}

// group makes one side of a key from amounts.
func group(amounts ...string) (list []pairing.Record) {
	for i, a := range amounts {
		list = append(list, pairing.Record{Row: uint32(i), Values: []reading.Value{{Text: []byte(a)}}, Keys: []string{"k"}, Cells: []record.Cell{{Text: a}}})
	}
	return list
}

// partners writes pairs down by their amounts.
func partners(pairs []pairing.Pair, left, right []pairing.Record) (list []string) {
	for _, p := range pairs {
		sign := "≠"
		if p.Matched {
			sign = "="
		}
		list = append(list, left[p.Left].Cells[0].Text+sign+right[p.Right].Cells[0].Text)
	}
	return list
}

func TestSettle(t *testing.T) {
	for name, c := range map[string]struct{ left, right, want []string }{
		"one each":                  {[]string{"1"}, []string{"3"}, []string{"1≠3"}},
		"most matched pairs":        {[]string{"1", "2"}, []string{"2", "3"}, []string{"1=2", "2=3"}},
		"matched before near":       {[]string{"10", "20"}, []string{"20", "11"}, []string{"10=11", "20=20"}},
		"least differences":         {[]string{"10", "50"}, []string{"60", "20"}, []string{"10≠20", "50≠60"}},
		"surplus on the right":      {[]string{"5"}, []string{"9", "5", "1"}, []string{"5=5"}},
		"surplus on the left":       {[]string{"9", "5", "1"}, []string{"5"}, []string{"5=5"}},
		"ties go by content":        {[]string{"7", "7", "7"}, []string{"7"}, []string{"7=7"}},
		"very long numbers":         {[]string{"100000000000000000000000000001", "100000000000000000000000000009"}, []string{"100000000000000000000000000009.5", "100000000000000000000000000005"}, []string{"100000000000000000000000000001≠100000000000000000000000000005", "100000000000000000000000000009=100000000000000000000000000009.5"}},
		"nothing on the other side": {[]string{"1"}, nil, nil},
	} {
		left, right := group(c.left...), group(c.right...)
		if got := partners(pairing.Settle(amountField, left, right), left, right); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

// TestSettleIsPure pairs larger groups, in and out of order: always the same pairs, as many as the smaller side has. The
// largest are above the limit up to which the best pairing is sought.
func TestSettleIsPure(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for _, size := range [][2]int{{30, 30}, {80, 20}, {20, 80}, {1, 3000}, {3000, 1}, {500, 500}, {501, 500}, {2000, 2500}} {
		amounts := func(n int) (list []string) {
			for range n {
				list = append(list, fmt.Sprint(r.IntN(n*3)))
			}
			return list
		}
		l, rt := amounts(size[0]), amounts(size[1])
		left, right := group(l...), group(rt...)
		want := partners(pairing.Settle(amountField, left, right), left, right)
		if len(want) != min(size[0], size[1]) {
			t.Fatalf("%v: %d pairs", size, len(want))
		}
		r.Shuffle(len(l), func(i, j int) { l[i], l[j] = l[j], l[i] })
		r.Shuffle(len(rt), func(i, j int) { rt[i], rt[j] = rt[j], rt[i] })
		left, right = group(l...), group(rt...)
		if got := partners(pairing.Settle(amountField, left, right), left, right); !slices.Equal(got, want) {
			t.Errorf("%v: other pairs when shuffled", size)
		}
	}
}
