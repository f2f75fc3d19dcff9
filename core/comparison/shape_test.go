package comparison_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// sheetOf makes a sheet of columns as "name type", where a type of "-" stands for a column without values.
func sheetOf(columns ...string) comparison.Sheet {
	var s comparison.Sheet
	empty := map[int]bool{}
	for i, c := range columns {
		name, text, _ := strings.Cut(c, " ")
		t := typing.Type{Name: typing.Text}
		if text == "-" {
			empty[i] = true
		} else if text != "" {
			t.Name, t.Form, _ = strings.Cut(text, " ")
		}
		s.Columns, s.Types = append(s.Columns, name), append(s.Types, t)
	}
	s.Empty = func(column int) (bool, error) { return empty[column], nil }
	return s
}

func TestAlign(t *testing.T) {
	log := sheetOf("call", "day date YYYY-MM-DD", "due decimal point", "remark -", "paid boolean yes/no", "seen timestamp")
	bills := sheetOf("call", "day date DD.MM.YYYY", "due decimal comma", "remark date YYYY-MM-DD", "paid boolean true/false", "seen timestamp")
	order := sheetOf("day date DD.MM.YYYY", "call", "due integer")
	for name, c := range map[string]struct {
		left, right comparison.Sheet
		align       comparison.Alignment
		want        string // the pairs with their types, or what is wrong
	}{
		"by position":         {log, bills, comparison.Alignment{}, "call=call text, day=day date, due=due decimal, remark=remark date, paid=paid boolean, seen=seen timestamp"},
		"by name":             {bills, log, comparison.Alignment{By: "name"}, "call=call text, day=day date, due=due decimal, remark=remark date, paid=paid boolean, seen=seen timestamp"},
		"in pairs":            {log, order, comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "due"}, {Left: "day"}}}, "due=due decimal, day=day date"},
		"as text":             {log, order, comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "day", Right: "call", As: "text"}}}, "day=call text"},
		"two integers":        {order, order, comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "due"}}}, "due=due integer"},
		"text as decimal":     {log, order, comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "call", Right: "due", As: "decimal"}}}, "call=due decimal"},
		"a type for a name":   {log, bills, comparison.Alignment{By: "name", Pairs: []comparison.AlignedPair{{Left: "due", As: "text"}}}, "call=call text, day=day date, due=due text, remark=remark date, paid=paid boolean, seen=seen timestamp"},
		"another number":      {log, order, comparison.Alignment{}, "the left has 6 columns and the right 3; name the pairs"},
		"no such names":       {log, order, comparison.Alignment{By: "name"}, `the right has no column "remark"; the right has no column "paid"; the right has no column "seen"`},
		"types that misfit":   {sheetOf("a integer", "b", "c date YYYY-MM-DD"), sheetOf("x", "y", "z timestamp"), comparison.Alignment{}, "a reads as integer and x as text; c reads as date YYYY-MM-DD and z as timestamp"},
		"no pair":             {log, order, comparison.Alignment{By: "pairs"}, "no pair of columns is named"},
		"no such pair":        {log, order, comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "called", Right: "call"}}}, `the left has no column "called"; it has call, day`},
		"not held together":   {log, bills, comparison.Alignment{By: "name", Pairs: []comparison.AlignedPair{{Left: "due", Right: "day", As: "text"}}}, "due and day are not held against each other"},
		"no such way":         {log, bills, comparison.Alignment{By: "colour"}, `columns cannot be aligned by "colour"`},
		"no such type":        {log, bills, comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "due", As: "money"}}}, `due and due: there is no type "money"`},
		"text as date":        {log, bills, comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "call", As: "date"}}}, "call does not say how its values are written (date)"},
		"an ambiguous column": {sheetOf("d date"), sheetOf("d date YYYY-MM-DD"), comparison.Alignment{}, "d does not say how its values are written (date)"},
	} {
		sheets := [2]comparison.Sheet{c.left, c.right}
		aligned, err := c.align.Align(sheets)
		got := []string{}
		for _, p := range comparison.Resolved(sheets, aligned).Pairs {
			got = append(got, p.Left+"="+p.Right+" "+p.As)
		}
		text := strings.Join(got, ", ")
		if fault := new(comparison.MisfitError); errors.As(err, &fault) {
			text = strings.Join(fault.Misfits, "; ")
		} else if err != nil {
			t.Fatal(err)
		}
		if err == nil && text != c.want || err != nil && !strings.HasPrefix(text, c.want) {
			t.Errorf("%s: %s, want %s", name, text, c.want)
		}
	}
	// What cannot be asked for is an error, and no misfit.
	broken := sheetOf("a integer")
	broken.Empty = func(int) (bool, error) { return false, context.Canceled }
	if _, err := (comparison.Alignment{}).Align([2]comparison.Sheet{broken, sheetOf("a")}); !errors.Is(err, context.Canceled) {
		t.Errorf("a column that cannot be looked at: %v", err)
	}
}

// TestTypedEquality: whole records are equal by type, however they are written, and a value that cannot be read equals the same text.
func TestTypedEquality(t *testing.T) {
	columns := []string{"day", "due", "paid", "seen"}
	left := sheetOf("day date YYYY-MM-DD", "due decimal point", "paid boolean yes/no", "seen timestamp")
	right := sheetOf("day date DD.MM.YYYY", "due decimal comma", "paid boolean true/false", "seen timestamp")
	rows := [2][][]string{
		{{"2031-03-01", "1,200.50", "yes", "2031-03-01 08:15"}, {"soon", "1", "no", ""}, {"soon", "1", "no", ""}, {"", "7.0", "", "2031-03-01T08:15:00Z"}},
		{{"01.03.2031", "1.200,5", "TRUE", "2031-03-01T08:15:00"}, {"soon", "1", "false", ""}, {"", "7", "", "2031-03-01 08:15:00"}},
	}
	aligned, err := (comparison.Alignment{}).Align([2]comparison.Sheet{left, right})
	if err != nil {
		t.Fatal(err)
	}
	d := comparison.WholeRecords(sieve.Definition{Left: "l", Right: "r"}, [2]comparison.Sheet{left, right}, aligned)
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	tables := [2]record.Table{recordtest.Table(t, columns, rows[0]), recordtest.Table(t, columns, rows[1])}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if asText := [2]int64{index.Totals.Parts[0][0].Unreadable, index.Totals.Parts[1][0].Unreadable}; asText != [2]int64{2, 1} {
		t.Errorf("%v days were compared as text", asText)
	}
	g := comparison.NewGroups(index)
	for n, want := range map[comparison.Name]int64{"intersect": 3, "intersect-all": 3, "except": 0, "except-all": 1, "union": 3, "union-all": 7} {
		if got := comparison.NewRows(g, comparison.Choice{Comparison: n}).Len(); got != want {
			t.Errorf("%s has %d rows, want %d", n, got, want)
		}
	}
}

func TestColumns(t *testing.T) {
	columns := [2][]string{{"call", "fee", "quay"}, {"call", "fee", "ship"}}
	sets := [2]string{"log", "bills"}
	prefix := func(l, r string) *[2]string { return &[2]string{l, r} }
	for name, c := range map[string]struct {
		choice comparison.Choice
		naming comparison.Naming
		want   string
	}{
		"both":        {comparison.Choice{Comparison: "inner"}, comparison.Naming{Sets: sets}, "log.call log.fee quay bills.call bills.fee ship"},
		"presence":    {comparison.Choice{Comparison: "full"}, comparison.Naming{Sets: sets, Prefix: prefix("l", "r")}, "l.call l.fee quay r.call r.fee ship in log in bills"},
		"one set":     {comparison.Choice{Comparison: "left"}, comparison.Naming{Sets: [2]string{"log", "log"}}, "left.call left.fee quay right.call right.fee ship in left in right"},
		"one side":    {comparison.Choice{Comparison: "right-anti"}, comparison.Naming{Sets: sets}, "call fee ship"},
		"dropped":     {comparison.Choice{Comparison: "full", Dropped: true, Side: tray.Right}, comparison.Naming{Sets: sets}, "call fee ship"},
		"apart":       {comparison.Choice{Comparison: "separate"}, comparison.Naming{Sets: sets}, "call fee quay"},
		"a tray":      {comparison.Choice{Comparison: "full", ByTray: true, Tray: tray.Surplus, Side: tray.Right}, comparison.Naming{Sets: sets}, "call fee ship"},
		"pairs":       {comparison.Choice{Comparison: "left-anti", ByTray: true, Tray: tray.Differing}, comparison.Naming{Sets: sets}, "log.call log.fee quay bills.call bills.fee ship"},
		"half plain":  {comparison.Choice{Comparison: "inner"}, comparison.Naming{Sets: sets, Prefix: prefix("", "r")}, "call fee quay r.call r.fee ship"},
		"none":        {comparison.Choice{Comparison: "inner"}, comparison.Naming{Sets: sets, Prefix: prefix("", "")}, `error: both sides have "call", "fee"`},
		"still alike": {comparison.Choice{Comparison: "inner"}, comparison.Naming{Sets: sets, Prefix: prefix("x", "x")}, `error: both sides have "call", "fee"`},
	} {
		got := ""
		list, err := comparison.ColumnsOf(c.choice, columns, nil, c.naming)
		for _, col := range list {
			got += col.Name + " "
		}
		if err != nil {
			got = "error: " + err.Error()
		}
		if got = strings.TrimSpace(got); got != c.want && (err == nil || !strings.HasPrefix(got, c.want)) {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
	if _, err := comparison.ColumnsOf(comparison.Choice{Comparison: "inner"}, [2][]string{{"a", "log.b", "b"}, {"b"}}, nil, comparison.Naming{Sets: sets}); err == nil || err.Error() != `two columns would be named "log.b"; choose other prefixes` {
		t.Errorf("a prefix that makes a name twice: %v", err)
	}
	all, err := comparison.ColumnsOf(comparison.Choice{Comparison: "full"}, columns, nil, comparison.Naming{Sets: sets})
	if err != nil {
		t.Fatal(err)
	}
	chosen, err := comparison.Choose(all, []comparison.Chosen{{Column: "ship"}, {Column: "in bills", As: "billed"}, {Column: "ship", As: "vessel"}})
	if err != nil || fmt.Sprintf("%s %s %s", chosen[0].Name, chosen[1].Name, chosen[2].Name) != "ship billed vessel" {
		t.Errorf("chosen: %v, %v", chosen, err)
	}
	if plain, err := comparison.Choose(all, nil); err != nil || len(plain) != 6 {
		t.Errorf("all but the presence columns: %d, %v", len(plain), err)
	}
	if _, err := comparison.Choose(all, []comparison.Chosen{{Column: "Ship"}}); err == nil || !strings.HasPrefix(err.Error(), `there is no column "Ship" here; did you mean "ship"?`) {
		t.Errorf("a column that there is not: %v", err)
	}
}

// TestParse: every comparison has its name and words, and turns back when it is swapped twice.
func TestParse(t *testing.T) {
	for _, n := range comparison.All {
		if got, err := comparison.Parse(string(n)); err != nil || got != n || n.Says() == "" || n.Swapped().Swapped() != n {
			t.Errorf("%s: %s, %v, %q", n, got, err, n.Says())
		}
	}
	if _, err := comparison.Parse("left-ante"); err == nil || !strings.HasPrefix(err.Error(), `there is no comparison "left-ante"; did you mean "left-anti"?`) {
		t.Errorf("%v", err)
	}
	if _, err := comparison.ParseKept("both"); err == nil {
		t.Error("what cannot be kept was taken")
	}
}

// TestRowsOfTrays: pairs stand at their left record, and the records of one side by themselves.
func TestRowsOfTrays(t *testing.T) {
	columns := []string{"k", "v"}
	rows := [2][][]string{{{"a", "1"}, {"b", "1"}, {"b", "2"}, {"", "1"}, {"c", "1"}}, {{"c", "2"}, {"b", "2"}, {"a", "1"}, {"d", "1"}}}
	d := sieve.Definition{Left: "l", Right: "r", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}}}, Compare: []sieve.Field{{Columns: sieve.Columns{Left: "v"}}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	index, err := match.Build(context.Background(), plan, recordtest.Table(t, columns, rows[0]), recordtest.Table(t, columns, rows[1]), match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	none := comparison.None
	for _, c := range []struct {
		tray tray.Tray
		side tray.Side
		want []comparison.Row
	}{
		{tray.Matched, tray.Left, []comparison.Row{{0, 2}, {2, 1}}}, {tray.Differing, tray.Right, []comparison.Row{{4, 0}}}, {tray.Surplus, tray.Left, []comparison.Row{{1, none}}},
		{tray.Unkeyed, tray.Left, []comparison.Row{{3, none}}}, {tray.Orphaned, tray.Right, []comparison.Row{{none, 3}}}, {tray.Surplus, tray.Right, nil},
	} {
		for _, g := range []*comparison.Groups{comparison.NewGroups(index), comparison.NewGroups(index.Swapped().Swapped())} {
			if got := readAll(t, g, comparison.Choice{ByTray: true, Tray: c.tray, Side: c.side}); fmt.Sprint(got) != fmt.Sprint(c.want) {
				t.Errorf("%s of the %s: %v, want %v", c.tray, c.side, got, c.want)
			}
		}
	}
	turned := index.Swapped()
	if turned.Totals.Trays[0][tray.Missing] != 1 || turned.Totals.Trays[1][tray.Orphaned] != 0 || turned.Totals.Records != [2]int64{4, 5} || turned.Totals.Semi != [2]int64{3, 4} {
		t.Errorf("swapped: %+v", turned.Totals)
	}
}
