// Package agree decides whether two values of a compared field agree, and how far they are apart.
//
// Values come as a reading chain gave them. Blank agrees only with blank, and an unreadable value with nothing, not even
// with the same unreadable text. Two texts agree when they are equal; numbers and dates also when they are apart by no
// more than the rule's tolerance, which is inclusive.
package agree

import (
	"bytes"
	"fmt"

	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
)

// Kind is how the values of a field are understood.
type Kind uint8

// The kinds of compared fields.
const (
	Text    Kind = iota // equal or not
	Decimal             // exact decimal numbers in plain form
	Date                // days of the calendar, written YYYY-MM-DD
)

var kindNames = [...]string{"text", "decimal", "date"}

// String is the kind's identifier.
func (k Kind) String() string { return kindNames[k] }

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
	return 0, fmt.Errorf("fields cannot be compared as %q; write text, decimal or date", name)
}

// Rule is how one field is compared.
type Rule struct {
	Kind   Kind
	Within decimal.Decimal // greatest difference that still agrees; a number for Decimal, days for Date, unused for Text
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
	case r.Kind == Text:
		return false
	}
	difference, _ := r.Difference(left, right)
	return difference.Abs().LessThanOrEqual(r.Within)
}

// Difference returns right minus left: a number for decimals, days for dates. It reports false where there is none to
// take: for texts, and where a value is blank or unreadable. Two blanks differ by zero.
func (r Rule) Difference(left, right reading.Value) (decimal.Decimal, bool) {
	if r.Kind == Text {
		return decimal.Decimal{}, false
	}
	if left.State.IsBlank() && right.State.IsBlank() {
		return decimal.Zero, true
	}
	if left.State != reading.Text || right.State != reading.Text {
		return decimal.Decimal{}, false
	}
	if r.Kind == Date {
		return decimal.NewFromInt(reading.DayNumber(right.Text) - reading.DayNumber(left.Text)), true
	}
	return exact.Decimal(right.Text).Sub(exact.Decimal(left.Text)), true
}
