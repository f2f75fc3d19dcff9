package trace_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/trace"
	"twinsieve/core/tray"
)

func build(t testing.TB, d sieve.Definition, columns []string, rows [2][][]string) (*sieve.Plan, *match.Index, [2]record.Table) {
	t.Helper()
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	tables := [2]record.Table{recordtest.Table(t, columns, rows[0]), recordtest.Table(t, columns, rows[1])}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return plan, index, tables
}

// TestNearest: the keys with the most equal parts come first, those without a partner before others, then the most alike; what has
// nothing in common is not near.
func TestNearest(t *testing.T) {
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}, {Columns: sieve.Columns{Left: "code"}}}}
	rows := [2][][]string{
		{{"MW-4417", "PIL"}, {"MW-9000", "TUG"}, {"MW-4499", "PIL"}, {"", "PIL"}},
		{{"MW-4499", "PIL"}, {"MW-4471", "PIL"}, {"MW-4417", "TUX"}, {"QQ", "ZZZ"}, {"MW-4410", "PIL"}, {"XY-1234", "PIL"}},
	}
	plan, index, tables := build(t, d, []string{"call", "code"}, rows)
	near := func(s tray.Side, row uint32) string {
		way, err := trace.Of(context.Background(), plan, index, tables, s, row)
		if err != nil {
			t.Fatal(err)
		}
		var parts []string
		for _, n := range way.Near {
			parts = append(parts, fmt.Sprintf("%d %s %t %t", n.Record.Number, n.Tray, n.Parts[0].Equal, n.Parts[1].Equal))
		}
		return strings.Join(parts, ", ")
	}
	if got, want := near(tray.Left, 0), "1 orphaned false true, 4 orphaned false true, 0 matched false true"; got != want {
		t.Errorf("near the first: %s, want %s", got, want)
	}
	if got := near(tray.Right, 3); got != "" {
		t.Errorf("near what has nothing in common: %s", got)
	}
	if got, want := near(tray.Left, 3), "1 orphaned false true, 4 orphaned false true, 5 orphaned false true"; got != want {
		t.Errorf("near a record without a call: %s, want %s", got, want)
	}
	if got := near(tray.Left, 2); got != "" {
		t.Errorf("a record with a partner has near ones: %s", got)
	}
}

// TestAlike counts the records of a key on both sides, and lists the first of them.
func TestAlike(t *testing.T) {
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}, Readings: reading.MustParse("ignore-case", "date YYYY-MM-DD")}}}
	var rows [2][][]string
	for range 25 {
		rows[0] = append(rows[0], []string{"2031-03-02"}, []string{"2031-03-03"})
	}
	rows[1] = [][]string{{"2031-03-03"}, {"soon"}}
	plan, index, tables := build(t, d, []string{"call"}, rows)
	way, err := trace.Of(context.Background(), plan, index, tables, tray.Right, 0)
	if err != nil {
		t.Fatal(err)
	}
	if way.Alike.Count != [2]int64{25, 1} || len(way.Alike.Numbers[0]) != trace.MostAlike || way.Alike.Numbers[0][1] != 3 || way.Record.Line != 2 || way.Filter != nil {
		t.Errorf("%+v", way)
	}
	if way, err = trace.Of(context.Background(), plan, index, tables, tray.Right, 1); err != nil {
		t.Fatal(err)
	}
	if taken := way.Parts[0].Taken; way.Alike.Count != [2]int64{} || len(taken) != 2 || taken[0].Reading != "ignore-case" || taken[1].Value.State != reading.Unreadable {
		t.Errorf("%+v", way)
	}
}

// TestFind: a text is found in any part of a key, as it came or as either side writes it; each of several must be found.
func TestFind(t *testing.T) {
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}, Readings: reading.MustParse("trim", "ignore-case", "drop-zeros-in-digit-runs")},
		{Columns: sieve.Columns{Left: "day"}, Readings: reading.MustParse("left date YYYY-MM-DD", "right date DD.MM.YYYY")}}}
	rows := [2][][]string{{{"MW-0417", "2031-03-02"}, {"MW-418", "2031-03-02"}, {"", "2031-02-31"}}, {{"mw-417 ", "02.03.2031"}, {"mw-417", "03.03.2031"}}}
	plan, _, tables := build(t, d, []string{"call", "day"}, rows)
	for _, c := range []struct {
		texts []string
		most  int
		want  string
	}{
		{[]string{"MW-417"}, 9, "[0] 1 [0 1] 2"},
		{[]string{"mw-0000417", "2031-03-02"}, 9, "[0] 1 [0] 1"},
		{[]string{"02.03.2031"}, 9, "[0 1] 2 [0] 1"},
		{[]string{"02.03.2031"}, 1, "[0] 2 [0] 1"},
		{[]string{"2031-02-31"}, 9, "[2] 1 [] 0"},
		{[]string{"MW-418", "03.03.2031"}, 9, "[] 0 [] 0"},
		{[]string{"nothing"}, 9, "[] 0 [] 0"},
	} {
		var got []string
		for _, s := range tray.Sides {
			list, all, err := trace.Find(context.Background(), plan, tables, s, c.texts, c.most)
			if err != nil {
				t.Fatal(err)
			}
			got = append(got, fmt.Sprint(slices.Clip(append([]uint32{}, list...)), all))
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%q: %s, want %s", c.texts, strings.Join(got, " "), c.want)
		}
	}
}
