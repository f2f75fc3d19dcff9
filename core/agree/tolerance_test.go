package agree_test

import (
	"strings"
	"testing"

	"github.com/shopspring/decimal"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
)

func value(text string) reading.Value {
	if text == "" {
		return reading.Value{State: reading.Blank}
	}
	return reading.Value{Text: []byte(text)}
}

// TestTolerances reads tolerances and holds values against each other with them. A relative one is of the larger magnitude, and
// both are inclusive.
func TestTolerances(t *testing.T) {
	for _, c := range []struct {
		as, within, least string
		left, right       string
		agrees            bool
		difference        string
	}{
		{"decimal", "2%", "", "98", "100", true, "2"},
		{"decimal", "2%", "", "97.99", "100", false, "2.01"},
		{"decimal", "2%", "", "-100", "-98", true, "2"},
		{"decimal", "2%", "", "0", "0.01", false, "0.01"},
		{"decimal", "2 %", "", "-1", "1", false, "2"},
		{"decimal", "0.05 or 2%", "", "0", "0.05", true, "0.05"},
		{"decimal", "2% or 0.05", "", "1000", "1020", true, "20"},
		{"decimal", "0.05 or 2%", "", "1", "1.06", false, "0.06"},
		{"date", "2 days", "", "2031-02-27", "2031-03-01", true, "2"},
		{"date", "1 day", "", "2031-02-27", "2031-03-01", false, "2"},
		{"time", "15 min", "", "2031-03-02T08:00:00Z", "2031-03-02T08:15:00Z", true, "900"},
		{"time", "15 min", "", "2031-03-02T08:00:00Z", "2031-03-02T08:15:00.001Z", false, "900.001"},
		{"time", "90s", "", "2031-03-02T08:01:30Z", "2031-03-02T08:00:00Z", true, "-90"},
		{"time", "1 d", "", "2031-03-02T08:00:00Z", "2031-03-03T08:00:00Z", true, "86400"},
		{"time", "2h", "", "", "2031-03-03T08:00:00Z", false, ""},
		{"boolean", "", "", "yes", "yes", true, ""},
		{"boolean", "", "", "yes", "no", false, ""},
		{"similar", "", "0.875", "SJÖORMEN", "SJOORMEN", true, ""},
		{"similar", "", "0.876", "SJÖORMEN", "SJOORMEN", false, ""},
		{"similar", "", "1", "", "", true, ""},
		{"similar", "", "0.1", "", "x", false, ""},
	} {
		kind, err := agree.ParseKind(c.as)
		if err != nil {
			t.Fatal(err)
		}
		rule := agree.Rule{Kind: kind}
		if c.within != "" {
			err = rule.Tolerate(c.within)
		}
		if c.least != "" && err == nil {
			err = rule.AskFor(c.least)
		}
		if err != nil {
			t.Fatal(err)
		}
		if got := rule.Agree(value(c.left), value(c.right)); got != c.agrees {
			t.Errorf("%s, %s and %s within %s%s: agrees %t", c.as, c.left, c.right, c.within, c.least, got)
		}
		d, ok := rule.Difference(value(c.left), value(c.right))
		if ok != (c.difference != "") || ok && !d.Equal(decimal.RequireFromString(c.difference)) {
			t.Errorf("%s, %s and %s: difference %s %t, want %q", c.as, c.left, c.right, d, ok, c.difference)
		}
	}
}

func TestBadTolerances(t *testing.T) {
	for _, c := range []struct{ as, within, want string }{
		{"decimal", "-0.05", "is below zero"}, {"decimal", "few", "is not a number"}, {"decimal", "1 or 2", "more than a number and a percentage"}, {"decimal", "1% or 2%", "more than a number"},
		{"date", "0.5", "not a whole number of days"}, {"date", "-1 day", "is below zero"}, {"time", "5", "has no unit"}, {"time", "-5 min", "is below zero"}, {"time", "x h", "is not a number"},
		{"text", "1", "compare as decimal, date or time"}, {"boolean", "1", "stands on a field compared as boolean"}, {"similar", "1", "stands on a field compared as similar"},
	} {
		kind, err := agree.ParseKind(c.as)
		if err != nil {
			t.Fatal(err)
		}
		rule := agree.Rule{Kind: kind}
		if err := rule.Tolerate(c.within); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s within %s: %v, want %q", c.as, c.within, err, c.want)
		}
	}
	for _, least := range []string{"0", "1.1", "-1", "most"} {
		if err := (&agree.Rule{Kind: agree.Similar}).AskFor(least); err == nil {
			t.Errorf("at least %s is taken", least)
		}
	}
	if err := (&agree.Rule{Kind: agree.Text}).AskFor("0.9"); err == nil {
		t.Error("a text is compared as similar")
	}
	if _, err := agree.ParseKind("float"); err == nil || !strings.Contains(err.Error(), "write one of text, decimal, date, time, boolean, similar") {
		t.Errorf("no kind: %v", err)
	}
}
