package balance_test

import (
	"slices"
	"strings"
	"testing"

	"twinsieve/core/balance"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// deposits matches two small sides with slips of several currencies, and draws up their balance. What is said of the definition changes it.
func deposits(t *testing.T, left, right [][]string, say func(*sieve.Definition)) (*balance.Balance, *match.Index) {
	t.Helper()
	d := sieve.Definition{Left: "office", Right: "bank", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "slip"}}},
		Compare:  []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "1"}},
		Currency: &sieve.Currency{Columns: sieve.Columns{Left: "in"}}}
	say(&d)
	columns := []string{"slip", "amount", "in"}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	index, err := match.Build(t.Context(), plan, recordtest.Table(t, columns, left), recordtest.Table(t, columns, right), match.Options{Workers: 2})
	if err != nil {
		t.Fatal(err)
	}
	return balance.Of(plan, index), index
}

// told tells the way of an amount: its totals, and each step that changes something.
func told(a *balance.Amount) string {
	parts := []string{a.Label() + ":", a.Left}
	for _, s := range a.Steps {
		if s.Change != "0" {
			parts = append(parts, s.Tray.String()+" "+s.Side+" "+s.Change)
		}
	}
	return strings.Join(append(parts, "= "+a.Right), " ")
}

// TestWays draws up balances and reads the whole way from each left total to its right total.
func TestWays(t *testing.T) {
	for name, c := range map[string]struct {
		say         func(*sieve.Definition)
		left, right [][]string
		want        []string
		mixed       int64
	}{
		"one currency": {func(d *sieve.Definition) { d.Currency = nil },
			[][]string{{"A", "10", "crowns"}, {"B", "2.5", "florins"}}, [][]string{{"A", "10.5", "crowns"}, {"C", "4", ""}},
			[]string{"amount: 12.5 missing left -2.5 matched both 0.5 orphaned right 4 = 14.5"}, 0},
		"each apart, in the order of their names, the nameless last": {func(*sieve.Definition) {},
			[][]string{{"A", "10", "florins"}, {"B", "2.5", ""}, {"", "7", "crowns"}}, [][]string{{"A", "10", "florins"}, {"B", "2.5", ""}, {"D", "1", "crowns"}},
			[]string{"amount in crowns: 7 unkeyed left -7 orphaned right 1 = 1", "amount in florins: 10 = 10", "amount without a currency: 2.5 = 2.5"}, 0},
		"a pair of two currencies is half in each": {func(*sieve.Definition) {},
			[][]string{{"A", "10", "crowns"}}, [][]string{{"A", "10", "florins"}},
			[]string{"amount in crowns: 10 matched both -10 = 0", "amount in florins: 0 matched both 10 = 10"}, 1},
		"what differs is no mixture": {func(d *sieve.Definition) {
			d.Compare = append(d.Compare, sieve.Field{Columns: sieve.Columns{Left: "in"}})
		},
			[][]string{{"A", "10", "crowns"}}, [][]string{{"A", "10", "florins"}},
			[]string{"amount in crowns: 10 differing both -10 = 0", "amount in florins: 0 differing both 10 = 10"}, 0},
		"a group of two currencies is one mixture": {func(d *sieve.Definition) { d.Repeats = "totals" },
			[][]string{{"A", "1", "crowns"}, {"A", "2", "florins"}}, [][]string{{"A", "3", "crowns"}},
			[]string{"amount in crowns: 1 matched both 2 = 3", "amount in florins: 2 matched both -2 = 0"}, 1},
		"two amounts": {func(d *sieve.Definition) {
			d.Amounts = []sieve.Amount{{Columns: sieve.Columns{Left: "amount"}}, {Columns: sieve.Columns{Left: "slip"}}}
		},
			[][]string{{"3", "1", "marks"}}, [][]string{{"3", "1", "marks"}}, []string{"amount in marks: 1 = 1", "slip in marks: 3 = 3"}, 0},
	} {
		b, index := deposits(t, c.left, c.right, c.say)
		var got []string
		for i := range b.Amounts {
			got = append(got, told(&b.Amounts[i]))
		}
		if !slices.Equal(got, c.want) || !b.Holds() || index.Totals.Mixed != c.mixed {
			t.Errorf("%s: %q (holds: %t, mixed: %d), want %q, %d", name, got, b.Holds(), index.Totals.Mixed, c.want, c.mixed)
		}
	}
}

// TestCannotBeAdded: a blank amount counts as zero, an unreadable one is in no total and is named, each with its currency.
func TestCannotBeAdded(t *testing.T) {
	b, _ := deposits(t, [][]string{{"A", "?", "crowns"}, {"B", "", "crowns"}, {"C", "oops", "florins"}, {"D", "1", "crowns"}}, nil, func(*sieve.Definition) {})
	crowns, florins := b.Amounts[0], b.Amounts[1]
	if crowns.Left != "1" || crowns.Blank[0] != 1 || crowns.Unreadable[0] != 1 || !slices.Equal(crowns.Listed[0], []uint32{0}) || crowns.Difference != "-1" {
		t.Errorf("crowns: %+v", crowns)
	}
	if florins.Left != "0" || florins.Unreadable[0] != 1 || !slices.Equal(florins.Listed[0], []uint32{2}) {
		t.Errorf("florins: %+v", florins)
	}
}

// TestCarried: what is carried from earlier runs is a part of the totals, and told apart.
func TestCarried(t *testing.T) {
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "slip"}}}, Amounts: []sieve.Amount{{Columns: sieve.Columns{Left: "amount"}}}}
	columns := []string{"slip", "amount"}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	batch, err := recordtest.Table(t, columns, [][]string{{"old", "2.25"}, {"older", "-1"}}).Batch(t.Context(), 0)
	if err != nil {
		t.Fatal(err)
	}
	carried := *batch
	carried.Carried = []int64{2, 1}
	left := record.Append(recordtest.Table(t, columns, [][]string{{"new", "10"}}), &record.Batches{Names: columns, List: []*record.Batch{&carried}})
	right := recordtest.Table(t, columns, [][]string{{"old", "2.25"}})
	index, err := match.Build(t.Context(), plan, left, right, match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	b := balance.Of(plan, index)
	if a := b.Amounts[0]; a.Left != "11.25" || a.Carried != [2]string{"1.25", ""} || !b.Holds() || b.Records[0].Trays[tray.Matched] != 1 {
		t.Errorf("%+v", b)
	}
}

// TestLost: a record or an amount that no tray has is missed.
func TestLost(t *testing.T) {
	b, _ := deposits(t, [][]string{{"A", "1", "crowns"}}, nil, func(*sieve.Definition) {})
	b.Records[0].Closes = false
	if b.Holds() {
		t.Error("a lost record is not missed")
	}
	b.Records[0].Closes, b.Amounts[0].Closes = true, false
	if b.Holds() {
		t.Error("a lost amount is not missed")
	}
}
