package again_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/tray"
)

// TestUnseen holds what is unseen in random tables against looking at every record for every exception.
func TestUnseen(t *testing.T) {
	told := map[string]int{}
	for seed := range uint64(2000) {
		r := rand.New(rand.NewPCG(seed, 7))
		rows := func(most int) (list [][]string) {
			for range r.IntN(most) {
				list = append(list, []string{[]string{"", "A", "B", "C", "D", "E"}[r.IntN(6)], []string{"1", "2"}[r.IntN(2)], []string{"", "x"}[r.IntN(2)]})
			}
			return list
		}
		p := plan(t, []string{"", "totals"}[seed%2])
		m := run(t, p, rows(10), rows(10))
		marks := m.marks()
		marker := again.NewMarker(p, p.Columns)
		for i := range m.entries {
			marks[i] = marker.Mark(&m.entries[i])
		}
		for _, s := range tray.Sides {
			later := rows(8)
			got, err := marker.Unseen(t.Context(), s, recordtest.Batches(t, p.Columns[s], later, 3), marks)
			if err != nil {
				t.Fatal(err)
			}
			met := make([]bool, len(later)) // records without a key that an exception has been found in
			for i := range m.entries {
				record := m.entries[i].Sides[s]
				want, kind := record != nil, "keyed"
				if record != nil && record.Cells[0].Text == "" {
					kind = "unkeyed"
					at := slices.IndexFunc(later, func(row []string) bool {
						return row[0] == "" && row[1] == record.Cells[1].Text && row[2] == record.Cells[2].Text && !met[slices.IndexFunc(later, func(o []string) bool { return &o[0] == &row[0] })]
					})
					if want = at < 0; !want {
						met[at] = true
					}
				} else if record != nil {
					want = !slices.ContainsFunc(later, func(row []string) bool { return row[0] == record.Cells[0].Text })
				}
				if got[i] != want {
					t.Fatalf("seed %d, %s: %s is unseen: %t, want %t, in %q", seed, s, says(&m.entries[i]), got[i], want, later)
				}
				told[fmt.Sprintf("%s %t", kind, want)]++
			}
		}
	}
	for _, kind := range []string{"keyed true", "keyed false", "unkeyed true", "unkeyed false"} {
		if told[kind] < 300 {
			t.Errorf("only %d cases of %s: %v", told[kind], kind, told)
		}
	}
}
