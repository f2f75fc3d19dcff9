package match_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"twinsieve/core/match"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestLongEntries matches records some of whose keys and values are so long that their entries are kept in another form, beside short ones,
// in memory and in temporary files. What belongs where is known from how the records are made.
func TestLongEntries(t *testing.T) {
	const records = 400
	r := rand.New(rand.NewPCG(41, 1))
	columns := []string{"call", "remark", "amount"}
	var rows [2][][]string
	var want [2][]tray.Tray
	for n := range records {
		key, remark, amount := fmt.Sprintf("MW-%04d", n), "by hand", fmt.Sprint(n)
		if r.IntN(4) == 0 {
			key = strings.Repeat("w", 1<<15-12-r.IntN(40)) + key // around the size at which the form changes, and beyond
		}
		if r.IntN(4) == 0 {
			remark = strings.Repeat("x", 30_000+r.IntN(6_000)) + "y"
		}
		at := tray.Matched
		other := []string{key, remark, amount}
		switch r.IntN(5) {
		case 0:
			at, other[1] = tray.Differing, remark[:len(remark)-1]+"z"
		case 1:
			at, other[0] = tray.Missing, key+"-"
		case 2:
			at, other[2] = tray.Differing, "n/a"
		}
		rows[0], rows[1] = append(rows[0], []string{key, remark, amount}), append(rows[1], other)
		want[0] = append(want[0], at)
		if at == tray.Missing {
			at = tray.Orphaned
		}
		want[1] = append(want[1], at)
	}
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "remark"}}, {Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	for _, budget := range []int64{0, 1} {
		index, err := match.Build(t.Context(), plan, recordtest.Batches(t, columns, rows[0], 7), recordtest.Batches(t, columns, rows[1], 50), match.Options{Budget: budget})
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range tray.Sides {
			for n, at := range want[s] {
				if got := index.Sides[s].Trays[n]; got != at {
					t.Fatalf("record %d of the %s side, of %d and %d bytes, is %s, want %s (budget %d)", n, s, len(rows[s][n][0]), len(rows[s][n][1]), got, at, budget)
				}
			}
		}
		if spilled := index.Spilled > 0; spilled != (budget > 0) {
			t.Errorf("%d bytes spilled with a budget of %d", index.Spilled, budget)
		}
	}
}
