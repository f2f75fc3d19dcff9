package service

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/store"
)

// source is a source of delimited text, which a control holds figures against.
func source(t *testing.T, text string, c intake.Choices) *intake.Source {
	t.Helper()
	src, err := intake.Open(strings.NewReader(text), int64(len(text)), c, intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = src.Close() })
	return src
}

func hold(t *testing.T, c *control, src *intake.Source) []view.Held {
	t.Helper()
	if err := c.begin(src.Columns()); err != nil {
		t.Fatal(err)
	}
	for {
		b, err := src.Next()
		if err != nil {
			return c.held(src)
		}
		c.add(b)
	}
}

// TestControl holds totals that are written in every way against columns that are.
func TestControl(t *testing.T) {
	count := int64(3)
	for _, c := range []struct {
		column, total string
		values        []string
		want          string
	}{
		{"fee", "6.00", []string{"1.00", "2.00", "3.00"}, "{total of fee 6 6 typed in true }"},
		{"fee", "6,00", []string{"1.00", "2.00", "3.00"}, "{total of fee 6 6 typed in true }"},
		{"fee", "1,234.5", []string{"1,234.50", "", "0"}, "{total of fee 1234.5 1234.5 typed in true }"},
		{"fee", "1.234,50", []string{"1.234,50", "0,00", "0,00"}, "{total of fee 1234.5 1234.5 typed in true }"},
		{"fee", "0.3", []string{"0.1", "0.2", " 0.00 "}, "{total of fee 0.3 0.3 typed in true }"},
		{"fee", "7", []string{"1", "2", "3"}, "{total of fee 7 6 typed in false }"},
		{"fee", "-6", []string{"-1", "-2", "-3"}, "{total of fee -6 -6 typed in true }"},
		{"fee", "3", []string{"1", "2", "x"}, `{total of fee 3 3 typed in false 1 values of the column are no numbers, such as "x"}`},
		{"fee", "1234", []string{"1.234", "0", "0"}, "{total of fee 1234 1.234 typed in false the column's values read with a decimal point and with a comma, and come to 1.234 or 1234}"},
		{"fee", "20000000000000000000.01", []string{"10000000000000000000.01", "10000000000000000000", "0"}, "{total of fee 20000000000000000000.01 20000000000000000000.01 typed in true }"},
	} {
		stated, err := newControl(&view.Control{Count: &count, Totals: []view.ControlTotal{{Column: c.column, Total: c.total}}})
		if err != nil {
			t.Fatal(err)
		}
		text := "call\tfee\nMW-1\t" + strings.Join(c.values, "\nMW-2\t") + "\n"
		held := hold(t, stated, source(t, text, intake.Choices{Delimiter: "\t", Header: intake.HeaderFirst}))
		if got, want := fmt.Sprint(held), "[{records 3 3 typed in true } "+c.want+"]"; got != want {
			t.Errorf("%q stated for %q:\n%s, want\n%s", c.total, c.values, got, want)
		}
	}
}

// TestTrailer takes figures out of the trailer line of each kind of text.
func TestTrailer(t *testing.T) {
	trailer := &view.ControlTrailer{Starts: "TOTAL", Count: 2, Total: 3, Column: "fee"}
	for name, c := range map[string]struct {
		text    string
		choices intake.Choices
		want    string
	}{
		"semicolons":     {"call;fee\nMW-1;1,50\nMW-2;2,50\nTOTAL;2;4,00\n", intake.Choices{}, "[{records 2 2 line 4 true } {total of fee 4 4 line 4 true }]"},
		"quoted":         {"call,fee\nMW-1,1.50\nTOTAL,\"1\",\"1.5\"\n", intake.Choices{Footers: []string{"TOTAL"}}, "[{records 1 1 line 3 true } {total of fee 1.5 1.5 line 3 true }]"},
		"grouped":        {"call,fee\nMW-1,\"1,234.50\"\nTOTAL,1,\"1,234.50\"\n", intake.Choices{Footers: []string{"TOTAL"}}, "[{records 1 1 line 3 true } {total of fee 1234.5 1234.5 line 3 true }]"},
		"a space before": {"call,fee\nMW-1,1.50\nTOTAL, \"1\", \"1.50\"\n", intake.Choices{Footers: []string{"TOTAL"}}, "[{records 1 1 line 3 true } {total of fee 1.5 1.5 line 3 true }]"},
		"no quotes":      {"call;fee\nMW-1;1.50\nTOTAL;1;1.5\"\n", intake.Choices{NoQuotes: true, Footers: []string{"TOTAL"}}, "[{records 1 1 line 3 true } {total of fee 1.5\" 1.5 line 3 false }]"},
		"leading zeros":  {"call,fee\nMW-1,1.50\nTOTAL,0000001,0000000001.50\n", intake.Choices{Footers: []string{"TOTAL"}}, "[{records 1 1 line 3 true } {total of fee 1.5 1.5 line 3 true }]"},
		"fixed":          {"MW-1    1.50\nMW-2    2.50\nTOTAL 2 9.99\n", intake.Choices{Layout: "call 1-6, fee 7-12", Footers: []string{"TOTAL"}}, "[{records 2 2 line 3 true } {total of fee 9.99 4 line 3 false }]"},
		"places":         {"MW-1    150\nMÜ-2    250\nTRLß0000020000000400\n", intake.Choices{Layout: "call 1-6, fee 7-12", Footers: []string{"TRL"}}, "[{records 2 2 line 3 true } {total of fee 400 400 line 3 true }]"},
		"short":          {"call,fee\nMW-1,1.50\nTOTAL,1\n", intake.Choices{Footers: []string{"TOTAL"}}, "[{records 1 1 line 3 true } {total of fee  1.5 line 3 false }]"},
		"none":           {"call,fee\nMW-1,1.50\n", intake.Choices{Footers: []string{"TOTAL"}}, `[{trailer line TOTAL  the source false no footer of the source begins with "TOTAL"}]`},
		"words":          {"call,fee\nMW-1,1.50\nTOTAL,one,much\n", intake.Choices{Footers: []string{"TOTAL"}}, "[{records one 1 line 3 false } {total of fee much 1.5 line 3 false }]"},
	} {
		trailer := trailer
		if name == "places" {
			trailer = &view.ControlTrailer{Starts: "TRL", CountAt: "5-10", TotalAt: "11-20", Column: "fee"}
		}
		stated, err := newControl(&view.Control{Trailer: trailer})
		if err != nil {
			t.Fatal(err)
		}
		if got := fmt.Sprint(hold(t, stated, source(t, c.text, c.choices))); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

func TestBadControl(t *testing.T) {
	negative := int64(-1)
	for want, c := range map[string]view.Control{
		"The control count is negative.":                                             {Count: &negative},
		`The control total of fee: "" is no number; write one such as 1204.50.`:      {Totals: []view.ControlTotal{{Column: "fee"}}},
		`The control total of fee: "1.2.3" is no number; write one such as 1204.50.`: {Totals: []view.ControlTotal{{Column: "fee", Total: "1.2.3"}}},
		"say what the trailer line begins with, and which of its cells":              {Trailer: &view.ControlTrailer{Count: 1}},
		"say what the trailer line begins with, and which of its cells has":          {Trailer: &view.ControlTrailer{Starts: "T"}},
		"or the total and of which column":                                           {Trailer: &view.ControlTrailer{Starts: "T", Total: 2}},
		"which of its cells has the count, or the total":                             {Trailer: &view.ControlTrailer{Starts: "T", Count: 1, Column: "fee"}},
		"a figure stands in a cell or between places; state one of the two":          {Trailer: &view.ControlTrailer{Starts: "T", Count: 1, CountAt: "4-9"}},
		`"9-4" are not places; write the first and the last character, such as 9-14`: {Trailer: &view.ControlTrailer{Starts: "T", TotalAt: "9-4", Column: "fee"}},
	} {
		if _, err := newControl(&c); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v, want %q", c, err, want)
		}
	}
	var none *control
	if err := none.begin(nil); err != nil {
		t.Error(err)
	}
	none.add(&record.Batch{})
	if held := none.held(nil); len(held) != 0 {
		t.Errorf("nothing was stated, and %v is held", held)
	}
}

// TestRenamed: a column that is gone and one that is new are one with another name where their names, or their places, are
// alike.
func TestRenamed(t *testing.T) {
	for _, c := range []struct{ before, after, want string }{
		{"call fee quay", "call fee quay", "[] [] []"},
		{"call fee quay", "call Fee quay", "[{fee Fee}] [] []"},
		{"call fee_due quay", "call quay FeeDue", "[{fee_due FeeDue}] [] []"},
		{"call fee quay", "call amount quay", "[{fee amount}] [] []"},
		{"call fee quay", "call quay", "[] [] [fee]"},
		{"call fee", "call fee quay berth", "[] [quay berth] []"},
		{"a b c", "x y z", "[{a x} {b y} {c z}] [] []"},
		{"a b", "b c d", "[] [c d] [a]"},
	} {
		now := view.Changes{}
		compareSnapshots(&now, snapshotWith(c.before), snapshotWith(c.after))
		if got := fmt.Sprint(now.Renamed, now.New, now.Gone); got != c.want {
			t.Errorf("%s → %s: %s, want %s", c.before, c.after, got, c.want)
		}
	}
}

func snapshotWith(columns string) store.Snapshot {
	return store.Snapshot{Columns: strings.Fields(columns)}
}
