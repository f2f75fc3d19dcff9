package sieve_test

import (
	"errors"
	"reflect"
	"strings"
	"testing"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
)

var (
	left  = []string{"call_no", "day", "amount"}
	right = []string{"Amount", "Call", "Day"}
)

func TestCompile(t *testing.T) {
	d := sieve.Definition{
		Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call_no", Right: "Call"}, Readings: reading.MustParse("trim")}},
		Compare: []sieve.Field{
			{Columns: sieve.Columns{Left: "amount", Right: "Amount"}, As: "decimal", Within: "0.05"},
			{Columns: sieve.Columns{Left: "day", Right: "Day"}, As: "date", Readings: reading.MustParse("right date DD.MM.YYYY")},
		},
		Amounts: []sieve.Amount{{Columns: sieve.Columns{Left: "amount", Right: "Amount"}}},
	}
	p, err := d.Compile(left, right)
	if err != nil {
		t.Fatal(err)
	}
	if p.Key[0].Column != [2]int{0, 1} || p.Fields[1].Rule.Kind != agree.Date || p.Fields[0].Name != "amount = Amount" {
		t.Errorf("plan %+v", p)
	}
	if len(p.Values) != 2 || p.Amounts[0].Value != p.Fields[0].Value {
		t.Errorf("the amount is read twice: %d values", len(p.Values))
	}
	for side, in := range [2]string{"2031-03-02", "02.03.2031"} {
		if v := p.Values[1].Chain[side].Reader().Cell([]byte(in)); string(v.Text) != "2031-03-02" {
			t.Errorf("side %d reads the day %q as %q", side, in, v.Text)
		}
	}
	turned := d.Swapped()
	if turned.Key[0].Left != "Call" || turned.Compare[1].Readings[0].String() != "left date DD.MM.YYYY" {
		t.Errorf("swapped %+v", turned)
	}
	if again := turned.Swapped(); !reflect.DeepEqual(again.Compare, d.Compare) {
		t.Errorf("swapped twice %+v", again.Compare)
	}
	if _, err := turned.Compile(right, left); err != nil {
		t.Error(err)
	}
}

func TestCompileErrors(t *testing.T) {
	key := []sieve.KeyPart{{Columns: sieve.Columns{Left: "call_no", Right: "Call"}}}
	field := func(f sieve.Field) sieve.Definition { return sieve.Definition{Key: key, Compare: []sieve.Field{f}} }
	amount := sieve.Columns{Left: "amount", Right: "Amount"}
	for where, c := range map[string]struct {
		d    sieve.Definition
		what string
	}{
		"key":               {sieve.Definition{}, `a key needs at least one pair of columns; the left has "call_no", "day", "amount"`},
		"key[0].left":       {sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "cal_no", Right: "Call"}}}}, `the left side has no column "cal_no"; did you mean "call_no"? Its columns: "call_no", "day"`},
		"key[0].right":      {sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "day"}}}}, `the right side has no column "day"; did you mean "Day"? Its columns: "Amount", "Call", "Day"`},
		"key[0].blanks":     {sieve.Definition{Key: []sieve.KeyPart{{Columns: key[0].Columns, Blanks: "yes"}}}, `write "equal"`},
		"compare[0].as":     {field(sieve.Field{Columns: amount, As: "float"}), "write one of text, decimal"},
		"compare[0].within": {field(sieve.Field{Columns: amount, As: "date", Within: "0.5"}), "not a whole number of days"},
		"amounts[0].left":   {sieve.Definition{Key: key, Amounts: []sieve.Amount{{}}}, "no column is named for the left side; it has "},
		"currency":          {sieve.Definition{Key: key, Currency: &sieve.Currency{Columns: sieve.Columns{Left: "x"}}}, "there is no amount to be in a currency"},
		"currency.left":     {sieve.Definition{Key: key, Amounts: []sieve.Amount{{Columns: sieve.Columns{Left: "amount", Right: "Amount"}}}, Currency: &sieve.Currency{}}, "no column is named for the left side; it has "},
	} {
		_, err := c.d.Compile(left, right)
		var fault *sieve.Error
		if !errors.As(err, &fault) || fault.Where != where || !strings.Contains(fault.What, c.what) {
			t.Errorf("%s: %v, want %q", where, err, c.what)
		}
	}
}

// TestSwappedRules: what belongs to a side goes with it.
func TestSwappedRules(t *testing.T) {
	for rule, want := range map[string]string{"refuse-left": "refuse-right", "refuse-right": "refuse-left", "refuse-both": "refuse-both", "totals": "totals", "": ""} {
		d := sieve.Definition{Repeats: rule, Where: sieve.Where{Left: "a == b"}}.Swapped()
		if d.Repeats != want || d.Where != (sieve.Where{Right: "a == b"}) {
			t.Errorf("%s becomes %s, the filters %+v", rule, d.Repeats, d.Where)
		}
	}
}

// TestKindsRead: a field is read as its kind asks, unless its readings end with what gives the same.
func TestKindsRead(t *testing.T) {
	for _, c := range []struct {
		as, readings, cell, want string
	}{
		{"decimal", "", "1.50", "1.5"}, {"decimal", "negate", "1.50", "-1.5"}, {"decimal", "number comma", "1,50", "1.5"},
		{"date", "to-month", "2031-03-02", "2031-03"}, {"date", "", "2031-03-02", "2031-03-02"},
		{"time", "", "2031-03-02T08:15:00+01:00", "2031-03-02T07:15:00Z"}, {"boolean", "", "TRUE", "yes"}, {"boolean", "yes-no ja/nej", "ja", "yes"}, {"similar", "ignore-case", "Wren", "wren"},
	} {
		f := sieve.Field{Columns: sieve.Columns{Left: "x"}, As: c.as}
		if c.readings != "" {
			f.Readings = reading.MustParse(c.readings)
		}
		if c.as == "similar" {
			f.AtLeast = "0.8"
		}
		plan, err := sieve.Definition{Key: []sieve.KeyPart{{Columns: f.Columns}}, Compare: []sieve.Field{f}}.Compile([]string{"x"}, []string{"x"})
		if err != nil {
			t.Errorf("%+v: %v", c, err)
			continue
		}
		if got := plan.Values[plan.Fields[0].Value].Chain[1].Reader().Cell([]byte(c.cell)); string(got.Text) != c.want {
			t.Errorf("%s, %s: %q is read as %q, want %q", c.as, c.readings, c.cell, got.Text, c.want)
		}
	}
}
