package again_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestContentThatTells: a record without a key is one of before where the columns that both runs have tell it, and is none where they are too few, or
// gone, or where several records have the same in them.
func TestContentThatTells(t *testing.T) {
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}}
	p, err := d.Compile([]string{"call", "berth", "fee", "clerk"}, []string{"call"})
	if err != nil {
		t.Fatal(err)
	}
	entry := func(marker *again.Marker, columns []string, texts []string) *exception.Entry {
		var cells []record.Cell
		for _, text := range texts {
			cells = append(cells, record.Cell{Text: text})
		}
		e := &exception.Entry{Tray: tray.Unkeyed}
		e.Sides[0] = &exception.Record{Cells: marker.Arrange(tray.Left, columns, cells)}
		return e
	}
	all := p.Columns[0]
	for name, c := range map[string]struct {
		columns     []string
		before, now [][]string
		want        []int
		unseen      []bool // in a table of those of now
	}{
		"the same columns":       {all, [][]string{{"", "B1", "5", "o"}}, [][]string{{"", "B2", "5", "o"}, {"", "B1", "5", "o"}}, []int{-1, 0}, []bool{false}},
		"fewer, and enough":      {[]string{"call", "berth", "fee"}, [][]string{{"", "B1", "5"}}, [][]string{{"", "B1", "5", "o"}, {"", "B1", "6", "o"}}, []int{0, -1}, []bool{false}},
		"fewer, and gone":        {[]string{"call", "berth", "fee"}, [][]string{{"", "B1", "5"}}, [][]string{{"", "B1", "6", "o"}}, []int{-1}, []bool{true}},
		"one cell":               {[]string{"call", "berth"}, [][]string{{"", "B1"}}, [][]string{{"", "B1", "5", "o"}}, []int{-1}, []bool{false}},
		"two of now":             {[]string{"call", "berth", "fee"}, [][]string{{"", "B1", "5"}}, [][]string{{"", "B1", "5", "o"}, {"", "B1", "5", "p"}}, []int{-1, -1}, []bool{false}},
		"two of before":          {[]string{"call", "berth", "fee"}, [][]string{{"", "B1", "5"}, {"", "B1", "5"}}, [][]string{{"", "B1", "5", "o"}}, []int{-1}, []bool{false, true}},
		"all columns are others": {[]string{"a", "b"}, [][]string{{"", "B1"}}, [][]string{{"", "B1", "5", "o"}}, []int{-1}, []bool{false}},
	} {
		marker := again.NewMarker(p, [2][]string{c.columns, p.Columns[1]})
		var before, now []again.Mark
		for _, texts := range c.before {
			before = append(before, marker.MarkBefore(entry(marker, c.columns, texts), [2][]string{c.columns, p.Columns[1]}))
		}
		for _, texts := range c.now {
			now = append(now, marker.Mark(entry(marker, all, texts)))
		}
		unseen, err := marker.Unseen(t.Context(), tray.Left, recordtest.Batches(t, all, c.now, 3), before)
		if found := again.Recognise(before, now, false); err != nil || !slices.Equal(found, c.want) || !slices.Equal(unseen, c.unseen) {
			t.Errorf("%s: %v, unseen %v, %v; want %v, %v", name, found, unseen, err, c.want, c.unseen)
		}
	}
}

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
