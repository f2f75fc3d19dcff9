// Package pairing decides, for one key, which left record pairs with which right record.
//
// Where a key has one record on each side there is nothing to choose. Where it repeats, records are paired one to one,
// as many as the smaller side has, and among all ways to do so the one is taken that has, in this order:
//
//  1. the most matched pairs,
//  2. the most agreeing fields,
//  3. the most pairs whose key texts are equal before any reading,
//  4. the least absolute differences, summed field by field in the order of the fields; a pair in which a number or
//     date has no partner to take a difference from counts as farther apart than any that has one,
//  5. the least pairs by content: the side with fewer records, or of two with equally many the one that comes first by content, is gone
//     through in the order of [Compare], and each of its records gets the first of the other side that it can have.
//
// The outcome is a pure function of the records' contents, and the same whichever side is left. Input order decides only between records that are the same
// in every cell.
package pairing

import (
	"math/big"
	"slices"

	"github.com/shopspring/decimal"

	"twinsieve/core/agree"
	"twinsieve/core/sieve"
)

// Most is the number of possible pairs up to which the best pairing is sought. A larger group pairs records with equal
// compared values first and the rest in content order.
const Most = 250_000

// InOrder reports whether a key with so many records on each side is above [Most].
func InOrder(left, right int) bool { return right > 0 && left > Most/right }

// Pair is a left and a right record, by their places in the slices given to [Settle].
type Pair struct {
	Left, Right int
	Matched     bool // every compared field agrees
}

// Settle pairs the records of one key. It sorts both slices by content; the pairs refer to the sorted slices and come in
// the order of their left records. Records in no pair are surplus.
func Settle(fields []sieve.PlanField, left, right []Record) []Pair {
	byContent := func(a, b Record) int { return Compare(fields, &a, &b) }
	slices.SortFunc(left, byContent)
	slices.SortFunc(right, byContent)
	var partner []int
	switch {
	case len(left) == 0 || len(right) == 0:
		return nil
	case len(left) == 1 && len(right) == 1:
		partner = []int{0}
	case InOrder(len(left), len(right)):
		partner = pairInOrder(fields, left, right)
	case len(left) == 1 || len(right) == 1:
		partner = pairSingle(fields, left, right)
	default:
		partner = pairBest(fields, left, right)
	}
	var pairs []Pair
	for l, r := range partner {
		if r >= 0 {
			pairs = append(pairs, Pair{l, r, Agreeing(fields, &left[l], &right[r]) == len(fields)})
		}
	}
	return pairs
}

// Agreeing counts the fields that agree in a pair.
func Agreeing(fields []sieve.PlanField, l, r *Record) int {
	n := 0
	for _, f := range fields {
		if f.Rule.Agree(l.Values[f.Value], r.Values[f.Value]) {
			n++
		}
	}
	return n
}

// pairInOrder pairs equal compared values first, and what is left in content order.
func pairInOrder(fields []sieve.PlanField, left, right []Record) []int {
	partner := make([]int, len(left))
	var restLeft, restRight []int
	l, r := 0, 0
	for l < len(left) && r < len(right) {
		switch c := compareValues(fields, &left[l], &right[r]); {
		case c < 0:
			restLeft = append(restLeft, l)
			l++
		case c > 0:
			restRight = append(restRight, r)
			r++
		default:
			partner[l] = r
			l++
			r++
		}
	}
	for ; l < len(left); l++ {
		restLeft = append(restLeft, l)
	}
	for ; r < len(right); r++ {
		restRight = append(restRight, r)
	}
	for i, l := range restLeft {
		if partner[l] = -1; i < len(restRight) {
			partner[l] = restRight[i]
		}
	}
	return partner
}

// pairBest returns the partner of each left record, or -1, in the best pairing.
func pairBest(fields []sieve.PlanField, left, right []Record) []int {
	if rightLeads(fields, left, right) {
		partner := slices.Repeat([]int{-1}, len(left))
		for r, l := range pairLed(fields, right, left) {
			if l >= 0 {
				partner[l] = r
			}
		}
		return partner
	}
	return pairLed(fields, left, right)
}

// pairLed is pairBest where the first side is gone through. Everything that speaks for a pair is the same whichever of its records is the
// left one.
func pairLed(fields []sieve.PlanField, leading, other []Record) []int {
	costs := pairCosts(fields, leading, other)
	if flat, ok := costs.flatten(); ok {
		return leastPairs(assign(len(leading), len(other), func(l, r int) word { return flat[l*len(other)+r] }))
	}
	flat := costs.flattenBig()
	return leastPairs(assign(len(leading), len(other), func(l, r int) long { return flat[l*len(other)+r] }))
}

// rightLeads reports whether the right side is the one that is gone through. Where the contents of both sides are the same it does not
// matter: then pairing each record with its like is the best and the least.
func rightLeads(fields []sieve.PlanField, left, right []Record) bool {
	if len(left) != len(right) {
		return len(right) < len(left)
	}
	for i := range left {
		if c := compareContent(fields, &left[i], &right[i]); c != 0 {
			return c > 0
		}
	}
	return false
}

// costTable holds, for every possible pair, what is to be kept small: the most important criterion first.
type costTable struct {
	pairs    int // pairs that will be made
	criteria [][]*big.Int
}

func pairCosts(fields []sieve.PlanField, left, right []Record) costTable {
	n := len(left) * len(right)
	table := costTable{pairs: min(len(left), len(right))}
	column := func() []*big.Int {
		c := make([]*big.Int, n)
		table.criteria = append(table.criteria, c)
		return c
	}
	unmatched, disagreeing, otherText := column(), column(), column()
	each := func(visit func(at int, l, r *Record)) {
		for i := range left {
			for j := range right {
				visit(i*len(right)+j, &left[i], &right[j])
			}
		}
	}
	each(func(at int, l, r *Record) {
		disagree := len(fields) - Agreeing(fields, l, r)
		unmatched[at] = truth(disagree > 0)
		disagreeing[at] = big.NewInt(int64(disagree))
		otherText[at] = truth(!slices.Equal(l.Keys, r.Keys))
	})
	for _, f := range fields {
		if f.Rule.Kind == agree.Text {
			continue
		}
		differences := make([]decimal.Decimal, n)
		apart, distance := column(), column()
		least := int32(0) // exponent of the finest difference
		each(func(at int, l, r *Record) {
			d, ok := f.Rule.Difference(l.Values[f.Value], r.Values[f.Value])
			apart[at] = truth(!ok)
			differences[at] = d.Abs()
			least = min(least, d.Exponent())
		})
		for at, d := range differences {
			distance[at] = d.Shift(-least).BigInt()
		}
	}
	return table
}

var zero, one = big.NewInt(0), big.NewInt(1)

func truth(b bool) *big.Int {
	if b {
		return one
	}
	return zero
}

// weights returns one weight for each criterion, so that no sum of less important ones over all pairs that are made
// outweighs a single unit of a more important one, and a bound above every sum.
func (t costTable) weights() (weights []*big.Int, bound *big.Int) {
	weights = make([]*big.Int, len(t.criteria))
	bound = big.NewInt(1)
	for i := len(t.criteria) - 1; i >= 0; i-- {
		weights[i] = bound
		most := new(big.Int)
		for _, v := range t.criteria[i] {
			if v.Cmp(most) > 0 {
				most = v
			}
		}
		span := new(big.Int).Mul(most, big.NewInt(int64(t.pairs)))
		bound = new(big.Int).Mul(bound, span.Add(span, one))
	}
	return weights, bound
}

// flattenBig makes one number of each pair's criteria.
func (t costTable) flattenBig() []long {
	weights, _ := t.weights()
	flat := make([]long, len(t.criteria[0]))
	for at := range flat {
		sum, term := new(big.Int), new(big.Int)
		for i, c := range t.criteria {
			sum.Add(sum, term.Mul(c[at], weights[i]))
		}
		flat[at] = long{sum}
	}
	return flat
}

// flatten is flattenBig in 64 bits, where all sums stay far enough below the limit.
func (t costTable) flatten() ([]word, bool) {
	weights, bound := t.weights()
	if bound.BitLen() > 60 {
		return nil, false
	}
	flat := make([]word, len(t.criteria[0]))
	for i, c := range t.criteria {
		w := weights[i].Int64()
		for at, v := range c {
			flat[at] += word(v.Int64() * w)
		}
	}
	return flat, true
}
