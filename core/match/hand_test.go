package match_test

import (
	"context"
	"fmt"
	"testing"

	"twinsieve/core/balance"
	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestHand pairs records by hand: three against one, under different keys; one that is no longer there; and one that has found a
// partner meanwhile.
func TestHand(t *testing.T) {
	columns := []string{"k", "amount"}
	rows := [2][][]string{
		{{"a", "10"}, {"b", "20"}, {"c", "30.5"}, {"", "7"}, {"d", "1"}, {"b", "20"}, {"e", "5"}},
		{{"x", "60.5"}, {"d", "1"}, {"y", "8"}, {"e", "5"}, {"e", "5"}},
	}
	cells := func(s int, numbers ...int) (list [][]record.Cell) {
		for _, n := range numbers {
			var cells []record.Cell
			for _, c := range rows[s][n] {
				cells = append(cells, record.Cell{Text: c})
			}
			list = append(list, cells)
		}
		return list
	}
	hand := func(id uint, left, right []int) sieve.PairedHand {
		return sieve.PairedHand{ID: id, Columns: [2][]string{columns, columns}, Records: [2][][]record.Cell{cells(0, left...), cells(1, right...)}}
	}
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}}}, Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	tables := [2]record.Table{recordtest.Batches(t, columns, rows[0], 2), recordtest.Batches(t, columns, rows[1], 2)}
	before, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	gone := hand(9, []int{6}, []int{2})
	gone.Records[0][0][1].Text = "6"
	plan.Crosswalk = sieve.Crosswalk{Version: 3, Hand: []sieve.PairedHand{
		hand(1, []int{5, 0, 2}, []int{0}), // of the two records b, which are the same, the first is taken
		hand(2, []int{3}, []int{2}),       // 7 and 8
		gone,
		hand(3, []int{4}, []int{1}), // paired by its key
	}}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	// Comparisons go by keys, whatever tray a hand has put a record in: their rows are those that were there before.
	for _, n := range comparison.Keyed {
		after, was := comparison.NewRows(comparison.NewGroups(index), comparison.Choice{Comparison: n}), comparison.NewRows(comparison.NewGroups(before), comparison.Choice{Comparison: n})
		if after.Len() != was.Len() || after.Len() != comparison.CountOf(&index.Totals, n).Rows {
			t.Errorf("%s has %d rows, before the pairing by hand %d, and its count says %d", n, after.Len(), was.Len(), comparison.CountOf(&index.Totals, n).Rows)
		}
	}
	want := "[matched matched matched differing matched missing matched] [matched matched differing matched surplus]"
	if got := fmt.Sprint(index.Sides[0].Trays, index.Sides[1].Trays); got != want {
		t.Errorf("trays %s, want %s", got, want)
	}
	if got := fmt.Sprint(index.Hand); got != "[{1 [[0 1 2] [0]]} {2 [[3] [2]]}]" {
		t.Errorf("by hand %s", got)
	}
	if index.Totals.StaleHand != 2 || index.Totals.Crosswalk != 3 || index.Totals.Pairs[tray.Matched] != 3 || index.Totals.Pairs[tray.Differing] != 1 {
		t.Errorf("totals %+v", index.Totals)
	}
	if index.HandOf(tray.Left, 1) == nil || index.HandOf(tray.Left, 5) != nil {
		t.Error("it is not said which records were paired by hand")
	}
	if b := balance.Of(plan, index); !b.Holds() || b.Amounts[0].Trays[0][tray.Matched] != "66.5" || b.Amounts[0].Trays[0][tray.Missing] != "20" || b.Amounts[0].Trays[1][tray.Differing] != "8" {
		t.Errorf("balance %+v", b)
	}
	for i, c := range comparison.Counts(&index.Totals) { // which follow keys only
		if was := comparison.Counts(&before.Totals)[i]; was != c {
			t.Errorf("%s has %d rows, and %d without the pairings", c.Comparison, c.Rows, was.Rows)
		}
	}
}

// TestClasses: a class is transitive, and acts as one key; an equivalence of a key without a value says nothing.
func TestClasses(t *testing.T) {
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}, Readings: reading.MustParse("trim")}}}
	plan, err := d.Compile([]string{"k"}, []string{"k"})
	if err != nil {
		t.Fatal(err)
	}
	list := []sieve.KeysEqual{{Left: []string{"a"}, Right: []string{"x"}}, {Left: []string{"b "}, Right: []string{"x"}}, {Left: []string{" "}, Right: []string{"y"}}, {Left: []string{"q"}, Right: []string{"q"}}}
	c := match.NewClasses(plan, list)
	for key, want := range map[string]int{"a": 3, " b": 3, "x": 3, "y": 1, "q": 1, "": 0} {
		if got := c.Size(plan, tray.Right, []string{key}); got != want {
			t.Errorf("the class of %q has %d keys, want %d", key, got, want)
		}
	}
	if c.Stale != 1 || len(c.Same(plan, tray.Left, []string{"b"}, list)) != 2 || len(c.Same(plan, tray.Left, []string{"y"}, list)) != 0 {
		t.Errorf("%d stale; of the class of b: %v", c.Stale, c.Same(plan, tray.Left, []string{"b"}, list))
	}
}
