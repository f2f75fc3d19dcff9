package agree

import (
	"fmt"
	"strings"

	"github.com/shopspring/decimal"
)

// units are the units of a tolerance between moments, in seconds.
var units = []struct {
	name    string
	seconds int64
}{{"s", 1}, {"min", 60}, {"h", 3600}, {"d", 86400}}

// Tolerate sets the rule's tolerance from its text: of decimals a number, a percentage, or both with "or" between them, of
// which one suffices: "0.05", "2%", "0.05 or 2%"; of dates a whole number of days; of moments a number with its unit: "90 s",
// "15 min", "2 h", "1 d".
func (r *Rule) Tolerate(text string) error {
	switch r.Kind {
	case Text, Boolean, Similar:
		return fmt.Errorf("a tolerance of %s stands on a field compared as %s; compare as decimal, date or time, or leave it out", text, r.Kind)
	case Date:
		days := strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(text, "s"), " day"))
		within, err := amount(text, days)
		if err == nil && !within.IsInteger() {
			err = fmt.Errorf("the tolerance %s of a date is not a whole number of days", text)
		}
		r.Within = within
		return err
	case Time:
		for _, u := range units {
			number, ok := strings.CutSuffix(text, u.name)
			if !ok {
				continue
			}
			within, err := amount(text, strings.TrimSpace(number))
			r.Within = within.Mul(decimal.NewFromInt(u.seconds))
			return err
		}
		return fmt.Errorf("the tolerance %q of a moment has no unit; write it as 90 s, 15 min, 2 h or 1 d", text)
	}
	for i, part := range strings.Split(text, " or ") {
		number, relative := strings.CutSuffix(strings.TrimSpace(part), "%")
		n, err := amount(text, strings.TrimSpace(number))
		if err != nil {
			return err
		}
		into := &r.Within
		if relative {
			into = &r.Percent
		}
		if i > 1 || !into.IsZero() {
			return fmt.Errorf("the tolerance %q has more than a number and a percentage", text)
		}
		*into = n
	}
	return nil
}

func amount(text, number string) (decimal.Decimal, error) {
	n, err := decimal.NewFromString(number)
	switch {
	case err != nil:
		return decimal.Zero, fmt.Errorf("the tolerance %q is not a number; write one such as 0.05, 2%% or 15 min", text)
	case n.IsNegative():
		return decimal.Zero, fmt.Errorf("the tolerance %s is below zero; write the greatest difference that still agrees", text)
	}
	return n, nil
}

// AskFor sets the part that similar texts must be alike to, from its text: a number above 0 and up to 1.
func (r *Rule) AskFor(text string) error {
	if r.Kind != Similar {
		return fmt.Errorf("at least %s stands on a field compared as %s; compare as similar, or leave it out", text, r.Kind)
	}
	least, err := decimal.NewFromString(text)
	if err != nil || !least.IsPositive() || least.GreaterThan(decimal.NewFromInt(1)) {
		return fmt.Errorf("%q is no part of a text that has to be alike; write a number above 0 and up to 1, such as 0.9", text)
	}
	r.Least = least
	return nil
}
