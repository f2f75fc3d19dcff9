package agree_test

import (
	"testing"

	"github.com/shopspring/decimal"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
)

func TestAgree(t *testing.T) {
	value := func(text string) reading.Value {
		switch text {
		case "blank":
			return reading.Value{State: reading.Blank}
		case "emptied":
			return reading.Value{State: reading.Emptied}
		case "unreadable":
			return reading.Value{State: reading.Unreadable}
		}
		return reading.Value{Text: []byte(text)}
	}
	for _, c := range []struct {
		kind        agree.Kind
		within      string
		left, right string
		agrees      bool
		difference  string // "": none to take
	}{
		{agree.Text, "0", "a", "a", true, ""},
		{agree.Text, "0", "a", "b", false, ""},
		{agree.Text, "0", "blank", "emptied", true, ""},
		{agree.Decimal, "0.05", "1.5", "1.55", true, "0.05"},
		{agree.Decimal, "0.05", "1.5", "1.55000000000000000000000001", false, "0.05000000000000000000000001"},
		{agree.Decimal, "0.05", "1.5", "1.45", true, "-0.05"},
		{agree.Decimal, "0", "9007199254740993", "9007199254740992", false, "-1"},
		{agree.Decimal, "0", "blank", "blank", true, "0"},
		{agree.Decimal, "100", "blank", "0", false, ""},
		{agree.Decimal, "100", "0", "blank", false, ""},
		{agree.Decimal, "100", "unreadable", "unreadable", false, ""},
		{agree.Decimal, "100", "unreadable", "blank", false, ""},
		{agree.Date, "1", "2031-02-28", "2031-03-01", true, "1"},
		{agree.Date, "1", "2032-02-28", "2032-03-01", false, "2"},
		{agree.Date, "0", "0001-01-01", "2031-01-01", false, "741442"},
	} {
		rule := agree.Rule{Kind: c.kind, Within: decimal.RequireFromString(c.within)}
		if got := rule.Agree(value(c.left), value(c.right)); got != c.agrees {
			t.Errorf("%v %s against %s within %s: agrees %t", c.kind, c.left, c.right, c.within, got)
		}
		d, ok := rule.Difference(value(c.left), value(c.right))
		if ok != (c.difference != "") || ok && d.String() != c.difference {
			t.Errorf("%v %s against %s: difference %s %t, want %q", c.kind, c.left, c.right, d, ok, c.difference)
		}
	}
}
