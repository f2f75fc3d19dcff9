package pairing

import (
	"bytes"
	"slices"

	"github.com/shopspring/decimal"

	"twinsieve/core/sieve"
)

// merit is what speaks for a pair, weighed as [Settle] says; ties are for the pair that comes first by content.
type merit struct {
	disagreeing int // fields
	otherText   bool
	apart       []distance // of each field that is compared in another way than as text
}

// distance is how far two values are apart.
type distance struct {
	none bool // there is no difference to take
	size decimal.Decimal
}

func meritOf(fields []sieve.PlanField, l, r *Record) merit {
	m := merit{disagreeing: len(fields) - Agreeing(fields, l, r), otherText: !slices.Equal(l.Keys, r.Keys)}
	for _, f := range fields {
		if f.Rule.Kind.Measured() {
			d, ok := f.Rule.Difference(l.Values[f.Value], r.Values[f.Value])
			m.apart = append(m.apart, distance{!ok, d.Abs()})
		}
	}
	return m
}

// better reports whether m is to be preferred to o. Whether all fields agree is said by how many do not.
func (m merit) better(o merit) bool {
	if m.disagreeing != o.disagreeing {
		return m.disagreeing < o.disagreeing
	}
	if m.otherText != o.otherText {
		return o.otherText
	}
	for i, d := range m.apart {
		if d.none != o.apart[i].none {
			return o.apart[i].none
		}
		if c := d.size.Cmp(o.apart[i].size); c != 0 {
			return c < 0
		}
	}
	return false
}

// asGood reports whether all that speaks for a pair is the same of both records, as it is of those that have been sent twice.
func asGood(fields []sieve.PlanField, a, b *Record) bool {
	for _, f := range fields {
		if x, y := a.Values[f.Value], b.Values[f.Value]; x.State != y.State || !bytes.Equal(x.Text, y.Text) {
			return false
		}
	}
	return slices.Equal(a.Keys, b.Keys)
}

// pairSingle returns the partner of each left record, or -1, where one side has one record alone: it is paired with the best of
// the other side's.
func pairSingle(fields []sieve.PlanField, left, right []Record) []int {
	var best *merit // of the best pair so far, left l and right r; nil as long as nothing has been weighed against it
	var l, r int
	for i := range left {
		for j := range right {
			if asGood(fields, &left[i], &left[l]) && asGood(fields, &right[j], &right[r]) {
				continue
			}
			if best == nil {
				first := meritOf(fields, &left[l], &right[r])
				best = &first
			}
			if m := meritOf(fields, &left[i], &right[j]); m.better(*best) {
				best, l, r = &m, i, j
			}
		}
	}
	partner := slices.Repeat([]int{-1}, len(left))
	partner[l] = r
	return partner
}
