package exception_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestGroups reads groups that are compared by their totals, and one that was paired by hand: all their records, how their fields
// came out, and where an entry of each record stands.
func TestGroups(t *testing.T) {
	var rows [2][][]string
	for n := range 130 {
		rows[0] = append(rows[0], []string{"A", fmt.Sprint(n)})
	}
	rows[0] = append(rows[0], []string{"B", "1"}, []string{"B", "2"}, []string{"C", "oops"}, []string{"D", ""}, []string{"X", "4"}, []string{"Y", "5"})
	rows[1] = [][]string{{"D", ""}, {"C", "1"}, {"A", "8385"}, {"B", "3.5"}, {"Z", "9"}}
	d := sieve.Definition{Repeats: "totals", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}, Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	cells := func(s, n int) (list []record.Cell) {
		for _, c := range rows[s][n] {
			list = append(list, record.Cell{Text: c})
		}
		return list
	}
	plan.Crosswalk.Hand = []sieve.PairedHand{{ID: 5, Columns: [2][]string{columns, columns}, Records: [2][][]record.Cell{{cells(0, 134), cells(0, 135)}, {cells(1, 4)}}}}
	tables := [2]record.Table{recordtest.Table(t, columns, rows[0]), recordtest.Table(t, columns, rows[1])}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	places := exception.Places(index, tray.Matched, tray.Differing)
	entries, err := exception.Read(context.Background(), plan, index, tables, places)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, e := range entries {
		f := e.Fields[0]
		got = append(got, fmt.Sprintf("%s %v of %v listed %d %d agrees %t by %q of %q hand %d", e.Tray, e.Key(plan), e.Group.Count, len(e.Group.Records[0]), len(e.Group.Records[1]), f.Agrees, f.Difference, f.Totals, e.Hand))
	}
	want := []string{
		`matched [A] of [130 1] listed 100 1 agrees true by "0" of ["8385" "8385"] hand 0`,
		`matched [D] of [1 1] listed 1 1 agrees true by "0" of ["" ""] hand 0`,
		`matched [X] of [2 1] listed 2 1 agrees true by "0" of ["9" "9"] hand 5`,
		`differing [B] of [2 1] listed 2 1 agrees false by "0.5" of ["3" "3.5"] hand 0`,
		`differing [C] of [1 1] listed 1 1 agrees false by "" of ["" "1"] hand 0`,
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	whole, err := exception.NewReader(plan, index, tables).Read(context.Background(), places[:1])
	if err != nil || len(whole[0].Group.Records[0]) != 130 {
		t.Errorf("%d records of a whole group, %v", len(whole[0].Group.Records[0]), err)
	}
	for row, at := range map[uint32]exception.Place{129: {Tray: tray.Matched, Number: 0}, 131: {Tray: tray.Differing, Number: 130}, 135: {Tray: tray.Matched, Number: 134}} {
		if got := exception.PlaceOf(index, tray.Left, row); got != at {
			t.Errorf("left record %d stands at %+v, want %+v", row, got, at)
		}
	}
	if got := exception.PlaceOf(index, tray.Right, 4); got != (exception.Place{Tray: tray.Matched, Number: 134}) {
		t.Errorf("the right record of the pairing by hand stands at %+v", got)
	}
}
