package intake_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
)

// TestTotals: a last row that adds up the others is left out in every format in which footers can be, and is warned of elsewhere. What only
// begins like one is a record, and so is what somebody has said to be.
func TestTotals(t *testing.T) {
	const records = record.BatchRecords + 5
	var rows [][]record.Cell
	for n := range records {
		rows = append(rows, []record.Cell{{Text: fmt.Sprintf("MW-%05d", n)}, {Text: "10.50"}})
	}
	with := func(rows [][]record.Cell, first, second string) set {
		return set{columns: []string{"call", "fee"}, rows: append(rows[:len(rows):len(rows)], []record.Cell{{Text: first}, {Text: second}})}
	}
	names := func(list ...string) (rows [][]record.Cell) {
		for n, name := range list {
			rows = append(rows, []record.Cell{{Text: name}, {Text: fmt.Sprint(n + 1)}})
		}
		return rows
	}
	for _, format := range outform.Names {
		for name, c := range map[string]struct {
			set            set
			choices        intake.Choices
			records        int
			footer, warned string
		}{
			"a total":                {set: with(rows, "Total", "172084.50"), records: records, footer: "Total 172084.50"},
			"a total, at the edge":   {set: with(rows[:record.BatchRecords], "Grand total", "1"), records: record.BatchRecords, footer: "Grand total 1"},
			"no whole word":          {set: with(rows[:20], "Totally", "7"), records: 21},
			"a total, and none said": {set: with(rows[:20], "Total:", "7"), choices: intake.Choices{Footers: []string{}}, records: 21, warned: "Total: 7"},
			"another column":         {set: with(rows[:20], "", "Sum 7"), records: 20, footer: "Sum 7"},
			"a name of that shape":   {set: set{columns: []string{"desk", "fee"}, rows: names("Pier office", "Harbour desk", "Control room")}, records: 3, warned: "Control room 3"},
			"with others above":      {set: with(append([][]record.Cell{{{Text: "Subtotal"}, {Text: "1"}}}, rows[:9]...), "Total (9)", "2"), records: 10, footer: "Total (9) 2"},
			"a sum without a name":   {set: with(rows[:20], "", "210.00"), records: 21, warned: "210.00"},
			"after another such":     {set: with(append([][]record.Cell{{{Text: ""}, {Text: "1"}}}, rows[:9]...), "", "2"), records: 11},
			"few before it":          {set: with(rows[:2], "", "21.00"), records: 3},
			"no name and no sum":     {set: with(rows[:20], "", "see below"), records: 21},
			"a call of that name":    {set: with(append([][]record.Cell{{{Text: "Total"}, {Text: "1"}}}, rows[:9]...), "Total", "2"), records: 11},
		} {
			t.Run(format+"/"+name, func(t *testing.T) {
				choices := c.choices
				if columnar := format == "parquet" || format == "arrow"; columnar {
					choices.Footers = nil
				}
				got, err := read(t, "x."+format, write(t, format, c.set, outform.Options{Exact: true}), choices)
				if err != nil {
					t.Fatal(err)
				}
				want, footer, warned := c.records, c.footer, c.warned
				switch {
				case format == "parquet" || format == "arrow": // these have no footers
					want, footer, warned = len(c.set.rows), "", strings.TrimSpace(footer+warned)
				}
				said := func(list []intake.Footer) (text string) {
					for _, f := range list {
						text += strings.Join(strings.FieldsFunc(f.Text, func(r rune) bool { return strings.ContainsRune("\t,\" ", r) }), " ")
					}
					return text
				}
				if foots := got.source.Footers(); len(got.rows) != want || said(foots) != footer || said(got.source.LikeTotals()) != warned {
					t.Errorf("%d records, footer %q, warned of %q; want %d, %q, %q", len(got.rows), said(got.source.Footers()), said(got.source.LikeTotals()), want, footer, warned)
				}
				again, err := read(t, "x."+format, write(t, format, c.set, outform.Options{Exact: true}), got.source.Settled())
				if err != nil || len(again.rows) != len(got.rows) {
					t.Errorf("read again as settled, it has %d records, %v", len(again.rows), err)
				}
			})
		}
	}
}

// TestShortRows: lines with too few cells are rejected, or filled with blanks and counted, whatever stands around them; lines with too many
// are rejected either way.
func TestShortRows(t *testing.T) {
	var text bytes.Buffer
	text.WriteString("call,day,fee\r\n")
	short := 0
	for n := range 40_000 {
		switch {
		case n%1000 == 7:
			fmt.Fprintf(&text, "MW-%d\r\n", n)
			short++
		case n%1000 == 8:
			fmt.Fprintf(&text, "\"MW-%d, a\",2031-03-01\r\n", n)
			short++
		case n == 20_000:
			fmt.Fprintf(&text, "MW-%d,2031-03-01,5,6\r\n", n)
		default:
			fmt.Fprintf(&text, "MW-%d,2031-03-01,5\r\n", n)
		}
	}
	rejected, err := read(t, "x.csv", text.Bytes(), intake.Choices{})
	if err != nil || len(rejected.rejects) != short+1 || rejected.source.Filled() != 0 || len(rejected.rows) != 40_000-short-1 {
		t.Errorf("%d rejects, %d records, %v", len(rejected.rejects), len(rejected.rows), err)
	}
	filled, err := read(t, "x.csv", text.Bytes(), intake.Choices{ShortRows: intake.ShortFill, Blanks: []string{"n/a"}})
	if err != nil {
		t.Fatal(err)
	}
	settled := filled.source.Settled()
	if len(filled.rejects) != 1 || filled.source.Filled() != int64(short) || len(filled.rows) != 39_999 || !strings.Contains(settled.Say(), "filled with blanks") {
		t.Fatalf("%d rejects, %d filled, %d records, %v", len(filled.rejects), filled.source.Filled(), len(filled.rows), err)
	}
	for n, row := range filled.rows[:2000] {
		want := []string{fmt.Sprintf("MW-%d", n), "2031-03-01", "5"}
		switch n % 1000 {
		case 7:
			want = []string{want[0], "", ""}
		case 8:
			want = []string{want[0] + ", a", want[1], ""}
		}
		if got := []string{row[0].Text, row[1].Text, row[2].Text}; fmt.Sprint(got) != fmt.Sprint(want) || filled.lines[n] != int64(n+2) {
			t.Fatalf("record %d on line %d is %q, want %q", n, filled.lines[n], got, want)
		}
	}
	if _, err := read(t, "x.json", []byte(`[{"a":1}]`), intake.Choices{ShortRows: intake.ShortFill}); err == nil || !strings.Contains(err.Error(), "shortRows: this is read as a JSON document") {
		t.Errorf("of JSON: %v", err)
	}
	if _, err := read(t, "x.csv", []byte("a\n1\n"), intake.Choices{ShortRows: "drop"}); err == nil || !strings.Contains(err.Error(), `"drop" is none of reject, fill`) {
		t.Errorf("drop: %v", err)
	}
}
