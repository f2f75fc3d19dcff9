package sieve_test

import (
	"fmt"
	"testing"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// TestWithLayouts: what does not say how it is written takes what was found, on each side; what says it, or is no number or date, stays.
func TestWithLayouts(t *testing.T) {
	types := map[string]string{"comma": "decimal comma", "comma2": "decimal comma", "point": "decimal point", "grouped": "decimal point", "day": "date DD/MM/YYYY", "iso": "date YYYY-MM-DD",
		"text": "text", "whole": "integer"}
	found := func(_ tray.Side, column string) (reading.Reading, bool) {
		kind, err := typing.Parse(types[column])
		if err != nil {
			t.Fatal(column, err)
		}
		return sieve.Layout(kind, column == "grouped")
	}
	for _, c := range []struct{ left, right, as, readings, want string }{
		{"comma", "point", "decimal", "", "[left number comma]"},
		{"point", "comma", "decimal", "", "[right number comma]"},
		{"comma", "comma2", "decimal", "", "[number comma]"},
		{"comma", "grouped", "decimal", "trim", "[trim left number comma right number point]"},
		{"comma", "point", "decimal", "left number point", "[left number point]"},
		{"comma", "comma2", "decimal", "left capture ([0-9]+)", "[left capture ([0-9]+) right number comma]"},
		{"comma", "comma2", "decimal", "negate", "[negate]"},
		{"comma", "comma2", "", "", "[]"},
		{"comma", "day", "date", "", "[right date DD/MM/YYYY]"},
		{"iso", "day", "date", "", "[right date DD/MM/YYYY]"},
		{"iso", "day", "decimal", "", "[]"},
		{"text", "whole", "decimal", "", "[]"},
	} {
		d := sieve.Definition{Compare: []sieve.Field{{Columns: sieve.Columns{Left: c.left, Right: c.right}, As: c.as}}}
		if c.readings != "" {
			d.Compare[0].Readings = reading.MustParse(c.readings)
		}
		got := d.WithLayouts(found)
		if text := fmt.Sprint(got.Compare[0].Readings); text != c.want {
			t.Errorf("%s = %s as %s with %q: %s, want %s", c.left, c.right, c.as, c.readings, text, c.want)
		}
		if again := got.WithLayouts(found); fmt.Sprint(again) != fmt.Sprint(got) {
			t.Errorf("a second time it is %v, and was %v", again, got)
		}
		if len(d.Compare[0].Readings) > 1 {
			t.Error("the definition itself has changed")
		}
	}
	d := sieve.Definition{Amounts: []sieve.Amount{{Columns: sieve.Columns{Left: "comma", Right: "point"}}}}
	if got := d.WithLayouts(found); fmt.Sprint(got.Amounts[0].Readings) != "[left number comma]" {
		t.Errorf("an amount: %v", got.Amounts[0].Readings)
	}
}
