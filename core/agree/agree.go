// Package agree decides whether two values of a compared field agree, and how far they are apart.
//
// Values come as a reading chain gave them. Blank agrees only with blank, and an unreadable value with nothing, not even
// with the same unreadable text. Two values agree when they are equal; numbers, dates and moments also when they are apart
// by no more than the rule's tolerance, which is inclusive, and texts that are compared as similar also when they are alike
// to the part that the rule asks for.
package agree

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/similar"
)

// Kind is how the values of a field are understood.
type Kind uint8

// The kinds of compared fields.
const (
	Text    Kind = iota // equal or not
	Decimal             // exact decimal numbers in plain form
	Date                // days of the calendar, written YYYY-MM-DD
	Time                // moments in UTC, as a time reading gives them
	Boolean             // yes or no
	Similar             // texts that need not be equal
)

var kindNames = [...]string{"text", "decimal", "date", "time", "boolean", "similar"}

// String is the kind's identifier.
func (k Kind) String() string { return kindNames[k] }

// Measured reports whether values of the kind have a difference: a number, days, or seconds.
func (k Kind) Measured() bool { return k == Decimal || k == Date || k == Time }

// ParseKind returns the kind with the given identifier; an empty one means [Text].
func ParseKind(name string) (Kind, error) {
	if name == "" {
		return Text, nil
	}
	for i, n := range kindNames {
		if n == name {
			return Kind(i), nil
		}
	}
	return 0, fmt.Errorf("fields cannot be compared as %q; write one of %s", name, strings.Join(kindNames[:], ", "))
}

// Rule is how one field is compared.
type Rule struct {
	Kind    Kind
	Within  decimal.Decimal // greatest difference that still agrees: a number for Decimal, days for Date, seconds for Time
	Percent decimal.Decimal // of Decimal, also this many hundredths of the larger magnitude
	Least   decimal.Decimal // of Similar, the part of the longer text that has to be alike: from 0 to 1
}

// Agree reports whether left and right agree.
func (r Rule) Agree(left, right reading.Value) bool {
	switch {
	case left.State == reading.Unreadable || right.State == reading.Unreadable:
		return false
	case left.State.IsBlank() || right.State.IsBlank():
		return left.State.IsBlank() && right.State.IsBlank()
	case bytes.Equal(left.Text, right.Text):
		return true
	case r.Kind == Similar:
		kept, length := similar.Alike(left.Text, right.Text)
		return decimal.NewFromInt(int64(kept)).GreaterThanOrEqual(r.Least.Mul(decimal.NewFromInt(int64(length))))
	case !r.Kind.Measured():
		return false
	}
	if difference, ok := r.short(left, right); ok && r.Percent.IsZero() {
		if within, ok := exact.TermOf(r.Within); ok {
			return difference.Magnitude().Compare(within) <= 0
		}
	}
	difference, _ := r.Difference(left, right)
	return r.Near(difference, func() decimal.Decimal {
		return decimal.Max(exact.Decimal(left.Text).Abs(), exact.Decimal(right.Text).Abs())
	})
}

var hundred = decimal.NewFromInt(100)

// Near reports whether a difference is within the rule's tolerance. magnitude is the larger of the two magnitudes, asked for
// only where the tolerance is relative.
func (r Rule) Near(difference decimal.Decimal, magnitude func() decimal.Decimal) bool {
	if difference.Abs().LessThanOrEqual(r.Within) {
		return true
	}
	return !r.Percent.IsZero() && difference.Abs().Mul(hundred).LessThanOrEqual(magnitude().Mul(r.Percent))
}

// Difference returns right minus left: a number for decimals, days for dates, seconds for moments. It reports false where
// there is none to take: for texts, and where a value is blank or unreadable. Two blanks differ by zero.
func (r Rule) Difference(left, right reading.Value) (decimal.Decimal, bool) {
	if !r.Kind.Measured() {
		return decimal.Decimal{}, false
	}
	if left.State.IsBlank() && right.State.IsBlank() {
		return decimal.Zero, true
	}
	if left.State != reading.Text || right.State != reading.Text {
		return decimal.Decimal{}, false
	}
	switch r.Kind {
	case Date:
		return decimal.NewFromInt(reading.DayNumber(right.Text) - reading.DayNumber(left.Text)), true
	case Time:
		return seconds(right.Text).Sub(seconds(left.Text)), true
	}
	return exact.Decimal(right.Text).Sub(exact.Decimal(left.Text)), true
}

// DifferenceText is the difference in plain form, or empty where there is none to take.
func (r Rule) DifferenceText(left, right reading.Value) string {
	if d, ok := r.short(left, right); ok {
		return d.Text()
	}
	if d, ok := r.Difference(left, right); ok {
		return exact.Text(d)
	}
	return ""
}

// short is the difference of decimals where all are short, as nearly all are.
func (r Rule) short(left, right reading.Value) (d exact.Term, ok bool) {
	if r.Kind != Decimal || left.State != reading.Text || right.State != reading.Text {
		return d, false
	}
	l, ok := exact.NewTerm(left.Text)
	if !ok {
		return d, false
	}
	t, ok := exact.NewTerm(right.Text)
	if !ok {
		return d, false
	}
	return t.Minus(l)
}

func seconds(text []byte) decimal.Decimal {
	t, _ := reading.Moment(text)
	return decimal.NewFromInt(t.Unix()).Add(decimal.New(int64(t.Nanosecond()), -9))
}
