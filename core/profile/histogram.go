package profile

import (
	"sort"
	"strconv"
	"time"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/typing"
)

// binsMost is how many bins a histogram has at most.
const binsMost = 16

// The things that a histogram is by.
const (
	byNumber = "number"
	byDate   = "date"
	byLength = "length"
)

// bins are a histogram that is being counted. Their bounds are exact: every value lies in one.
type bins struct {
	by     string
	bins   []Bin
	bounds []decimal.Decimal // the least value of each bin
	whole  []int64           // the same, where they are lengths or days
	terms  []exact.Term      // the same, where they are numbers that are not too long for it
	name   func(decimal.Decimal) string
}

// newBins divides what is between a column's least and greatest value into equal parts with round bounds.
func newBins(c *column, values *typing.Values) *bins {
	b := &bins{bins: []Bin{}}
	var least, greatest decimal.Decimal
	whole := true
	switch {
	case c.Distinct == 0:
		return b
	case c.added:
		b.by = byNumber
		least, greatest = c.least.number(), c.greatest.number()
		whole = least.IsInteger() && greatest.IsInteger() && c.Type.Name == typing.Integer
		b.name = exact.Text
	case c.least.set && (c.Type.Name == typing.Date && c.Type.Form != "" || c.Type.Name == typing.Timestamp):
		b.by = byDate
		least, greatest = decimal.NewFromInt(day(c.least.second)), decimal.NewFromInt(day(c.greatest.second))
		b.name = func(d decimal.Decimal) string { return time.Unix(d.IntPart()*86400, 0).UTC().Format(time.DateOnly) }
	default:
		b.by = byLength
		least, greatest = decimal.NewFromInt(int64(c.Shortest.Characters)), decimal.NewFromInt(int64(c.Longest.Characters))
		b.name = func(d decimal.Decimal) string { return strconv.FormatInt(d.IntPart(), 10) }
	}
	if least.Equal(greatest) {
		b.bounds, b.whole, b.bins = []decimal.Decimal{least}, []int64{least.IntPart()}, []Bin{{From: b.name(least), To: b.name(least)}}
		return b
	}
	step := roundStep(greatest.Sub(least), whole)
	for at := least.Div(step).Floor().Mul(step); at.LessThanOrEqual(greatest); at = at.Add(step) {
		b.bounds, b.whole = append(b.bounds, at), append(b.whole, at.IntPart())
	}
	for _, at := range b.bounds {
		if t, ok := exact.NewTerm([]byte(exact.Text(at))); ok && b.by == byNumber {
			b.terms = append(b.terms, t)
		}
	}
	for i, at := range b.bounds {
		end := b.bounds[i].Add(step)
		if whole {
			end = end.Sub(decimal.NewFromInt(1))
		}
		b.bins = append(b.bins, Bin{From: b.name(at), To: b.name(end)})
	}
	return b
}

// roundStep is the least round number, 1, 2 or 5 with zeros, of which at most [binsMost] steps cover a span. Where only whole
// numbers can be, it is one.
func roundStep(span decimal.Decimal, whole bool) decimal.Decimal {
	most := decimal.NewFromInt(binsMost - 1) // for the first step may begin below the span
	for exponent := int32(span.NumDigits()) + span.Exponent() - 3; ; exponent++ {
		for _, lead := range []int64{1, 2, 5} {
			step := decimal.New(lead, exponent)
			if whole && !step.IsInteger() || step.IsZero() {
				continue
			}
			if span.Div(step).Floor().LessThan(most) {
				return step
			}
		}
	}
}

func (b *bins) count(t *tally, values *typing.Values) {
	if len(b.bins) == 0 {
		return
	}
	for i := range t.entries {
		e := &t.entries[i]
		text := t.value(e)
		behind := 0 // the first bin that is wholly behind it
		switch b.by {
		case byNumber:
			plain, ok := values.Number(text)
			if !ok {
				continue
			}
			if t, ok := exact.NewTerm(plain); ok && len(b.terms) == len(b.bounds) {
				behind = sort.Search(len(b.terms), func(n int) bool { return t.Compare(b.terms[n]) < 0 })
				break
			}
			at := exact.Decimal(plain)
			behind = sort.Search(len(b.bounds), func(n int) bool { return at.LessThan(b.bounds[n]) })
		case byDate:
			s, ok := values.Seconds(text)
			if !ok {
				continue
			}
			at := day(s)
			behind = sort.Search(len(b.whole), func(n int) bool { return at < b.whole[n] })
		default:
			at := int64(utf8.RuneCount(text))
			behind = sort.Search(len(b.whole), func(n int) bool { return at < b.whole[n] })
		}
		b.bins[max(behind-1, 0)].Records += e.records
	}
}

// day is the number of whole days from 1970-01-01, which is negative before it.
func day(second int64) int64 {
	if second < 0 {
		return -((86399 - second) / 86400)
	}
	return second / 86400
}
