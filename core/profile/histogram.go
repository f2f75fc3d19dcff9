package profile

import (
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
	name   func(decimal.Decimal) string
}

// newBins divides what is between a column's least and greatest value into equal parts.
func newBins(c *column, values *typing.Values) *bins {
	b := &bins{bins: []Bin{}}
	var least, greatest decimal.Decimal
	whole := true
	switch {
	case c.Distinct == 0:
		return b
	case c.added:
		b.by = byNumber
		least, greatest = c.least.number, c.greatest.number
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
	span := greatest.Sub(least)
	n := int64(binsMost)
	if whole && span.LessThan(decimal.NewFromInt(binsMost)) {
		n = span.IntPart() + 1
	} else if span.IsZero() {
		n = 1
	}
	for i := range n {
		at := least
		if i > 0 {
			at = least.Add(span.Mul(decimal.NewFromInt(i)).DivRound(decimal.NewFromInt(n), 6))
			if whole {
				at = least.Add(span.Add(decimal.NewFromInt(1)).Mul(decimal.NewFromInt(i)).DivRound(decimal.NewFromInt(n), 6)).Ceil()
			}
		}
		b.bounds = append(b.bounds, at)
	}
	for i, at := range b.bounds {
		end := greatest
		if i+1 < len(b.bounds) {
			if end = b.bounds[i+1]; whole {
				end = end.Sub(decimal.NewFromInt(1))
			}
		}
		b.bins = append(b.bins, Bin{From: b.name(at), To: b.name(end)})
	}
	return b
}

func (b *bins) count(t *tally, values *typing.Values) {
	if len(b.bins) == 0 {
		return
	}
	for i := range t.entries {
		e := &t.entries[i]
		text := t.value(e)
		var at decimal.Decimal
		switch b.by {
		case byNumber:
			plain, ok := values.Number(text)
			if !ok {
				continue
			}
			at = exact.Decimal(plain)
		case byDate:
			s, ok := values.Seconds(text)
			if !ok {
				continue
			}
			at = decimal.NewFromInt(day(s))
		default:
			at = decimal.NewFromInt(int64(utf8.RuneCount(text)))
		}
		n := len(b.bounds) - 1
		for n > 0 && at.LessThan(b.bounds[n]) {
			n--
		}
		b.bins[n].Records += e.records
	}
}

// day is the number of whole days from 1970-01-01, which is negative before it.
func day(second int64) int64 {
	if second < 0 {
		return -((86399 - second) / 86400)
	}
	return second / 86400
}
