package exception_test

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

var columns = []string{"call", "amount"}

func table(t *testing.T, rows ...[]string) record.Table {
	t.Helper()
	return recordtest.Batches(t, columns, rows, 2)
}

// example is one match with an entry of every kind.
func example(t *testing.T) (*sieve.Plan, *match.Index, [2]record.Table) {
	t.Helper()
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}, Readings: reading.MustParse("trim")}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "1"}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	tables := [2]record.Table{
		table(t, []string{"A", "5"}, []string{"B", "7"}, []string{"C", "1"}, []string{"", "2"}, []string{"D", "oops"}, []string{"E", "3"}),
		table(t, []string{"E ", "3"}, []string{"B", "9.5"}, []string{"D", "4"}, []string{"A", "6"}, []string{"  ", "8"}, []string{"E", "30"}, []string{"F", ""}),
	}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return plan, index, tables
}

// write writes an entry down in one line.
func write(plan *sieve.Plan, e *exception.Entry) string {
	line := fmt.Sprintf("%s %s %d key %q", e.Tray, e.Side, e.Number, e.Key(plan))
	for s, r := range e.Sides {
		if r != nil {
			line += fmt.Sprintf("; %s %d line %d %q", tray.Side(s), r.Number, r.Line, r.Cells[1].Text)
		}
	}
	for _, f := range e.Fields {
		line += fmt.Sprintf("; agrees %t %s", f.Agrees, f.Difference)
	}
	for _, c := range e.Causes {
		line += fmt.Sprintf("; part %d state %d", c.Part, c.State)
	}
	return line
}

func TestRead(t *testing.T) {
	plan, index, tables := example(t)
	var got []string
	entries, err := exception.Read(context.Background(), plan, index, tables, exception.Places(index, tray.All[:]...))
	if err != nil {
		t.Fatal(err)
	}
	for i := range entries {
		got = append(got, write(plan, &entries[i]))
	}
	want := []string{
		`matched left 0 key ["A"]; left 0 line 2 "5"; right 3 line 5 "6"; agrees true 1`,
		`matched left 5 key ["E"]; left 5 line 7 "3"; right 0 line 2 "3"; agrees true 0`,
		`differing left 1 key ["B"]; left 1 line 3 "7"; right 1 line 3 "9.5"; agrees false 2.5`,
		`differing left 4 key ["D"]; left 4 line 6 "oops"; right 2 line 4 "4"; agrees false `,
		`missing left 2 key ["C"]; left 2 line 4 "1"`,
		`orphaned right 6 key ["F"]; right 6 line 8 ""`,
		`surplus right 5 key ["E"]; right 5 line 7 "30"`,
		`unkeyed left 3 key [""]; left 3 line 5 "2"; part 0 state 1`,
		`unkeyed right 4 key ["  "]; right 4 line 6 "8"; part 0 state 2`,
	}
	if !slices.Equal(got, want) {
		t.Errorf("entries:\n%s\nwant:\n%s", join(got), join(want))
	}
}

func join(lines []string) (text string) {
	for _, l := range lines {
		text += l + "\n"
	}
	return text
}

// TestPage reads each tray in pages of every size: together they are the whole list.
func TestPage(t *testing.T) {
	_, index, _ := example(t)
	for _, at := range tray.All {
		all := exception.Places(index, at)
		for most := 1; most <= 3; most++ {
			var paged []exception.Place
			from, more := exception.Place{Tray: at}, true
			for more {
				var page []exception.Place
				page, from, more = exception.Page(index, from, most)
				if len(page) > most || more && len(page) < most {
					t.Fatalf("%s: a page of %d of %d", at, len(page), most)
				}
				paged = append(paged, page...)
			}
			if !slices.Equal(paged, all) {
				t.Errorf("%s in pages of %d: %v, want %v", at, most, paged, all)
			}
		}
	}
}
