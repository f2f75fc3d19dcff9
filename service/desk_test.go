package service

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/sieve"
	"twinsieve/store"
)

// TestDeskAgainstStore asks random questions of a report's desk, of the data file, and of SQLite, which has the entries as rows, while people change what is asked for: pages, totals and
// cursors are the same.
func TestDeskAgainstStore(t *testing.T) {
	p := newPort(t)
	ctx := t.Context()
	r := rand.New(rand.NewPCG(6, 1))
	vessels := []string{"Saltmarsh Wren", "Ebba Lind", "Île Verte", "100%_sure", `back\slash`}
	d := sieve.Definition{Name: "many", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}, {Columns: sieve.Columns{Left: "vessel"}}}}
	load := func() {
		for _, set := range []string{"log", "bills"} {
			var text strings.Builder
			text.WriteString("call,amount,vessel\nno record\n")
			for range 150 {
				call := []string{"", fmt.Sprintf("MW-%03d", r.IntN(200))}[min(r.IntN(12), 1)]
				fmt.Fprintf(&text, "%s,%s,%s\n", call, []string{"", "?", fmt.Sprint(r.IntN(4)), fmt.Sprintf("%d.%02d", r.IntN(5000), r.IntN(100))}[r.IntN(4)], vessels[r.IntN(5)])
			}
			p.comes(set, text.String())
		}
	}
	load()
	if _, err := p.CreateSieve(ctx, d); err != nil {
		t.Fatal(err)
	}
	var run uint
	for n := range 2 {
		if n > 0 {
			load()
		}
		run = p.ran("many").ID
		for seq, status := range statuses { // the next run opens some of these again, and settles what it clears
			_, err := p.store.Work(store.As(ctx, store.Actor{ID: 1, Name: "tam"}), store.WorkOn{Chosen: store.EntryQuery{Run: run, Seqs: []int64{int64(seq*7 + 1), int64(seq*7 + 2), int64(seq*7 + 3)}, Changes: everyChange}, Over: "overwrite", Says: "worked"},
				store.WorkChange{Status: &status})
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	report, err := p.report(ctx, run)
	if err != nil {
		t.Fatal(err)
	}
	// The run has laid its report out as it wrote it: as the data file has it now.
	d0, err := p.deskNow(report)
	if err != nil || d0 == nil {
		t.Fatalf("the run has left no desk: %v", err)
	}
	laid, err := p.store.DeskRows(ctx, run, 1<<20)
	if err != nil {
		t.Fatal(err)
	}
	for i := range laid {
		if i >= len(d0.rows) || d0.rows[i] != laid[i] {
			t.Fatalf("entry %d of %d: the desk has %+v, the data file %+v", i, len(laid), d0.rows[min(i, len(d0.rows)-1)], laid[i])
		}
	}
	some := func(list ...string) []string {
		var out []string
		for _, one := range list {
			if r.IntN(4) == 0 {
				out = append(out, one)
			}
		}
		return out
	}
	maybe := func(list ...string) string { return []string{"", list[r.IntN(len(list))]}[min(r.IntN(4), 1)^1] }
	people := []string{"ines", "tam"}
	// While there is no desk, what the run has counted is not counted again.
	for _, trays := range []string{"", "missing", "unkeyed,reject", "surplus", "differing,orphaned"} {
		q := Query{Tray: trays, Limit: 5}
		chosen, err := q.chosen(ctx, report)
		if err != nil {
			t.Fatal(err)
		}
		_, counted, _, err := p.store.Entries(ctx, chosen)
		if total := report.counted(&chosen); err != nil || total == nil || *total != counted {
			t.Errorf("trays %q: the run has counted %v, the data file has %d; %v", trays, total, counted, err)
		}
	}
	if q := (store.EntryQuery{Run: run, Search: "wren"}); report.counted(&q) != nil {
		t.Error("what a search finds was not counted by the run")
	}
	found := int64(0)
	table := newEntryTable(t)
	for n := range 400 {
		if n%4 == 0 { // somebody works on some of them
			status, owner := statuses[r.IntN(4)], people[r.IntN(2)]
			seq := int64(1 + r.IntN(100))
			_, err := p.store.Work(store.As(ctx, store.Actor{ID: 1, Name: owner}), store.WorkOn{Chosen: store.EntryQuery{Run: run, Seqs: []int64{seq, seq + 3}, Changes: everyChange}, Over: "overwrite", Says: "worked"},
				store.WorkChange{Status: &status, Owner: &owner})
			if err != nil {
				t.Fatal(err)
			}
			table.fill(ctx, p.store, run, int64(len(laid)))
		}
		q := Query{Tray: strings.Join(some("missing", "orphaned", "differing", "unkeyed", "surplus", "reject"), ","), Status: some(statuses...), Owner: maybe("ines", "tam", nobody), Reason: maybe(none),
			Differs: maybe("amount", "vessel"), AtLeast: maybe("0", "2", "900.5"), AtMost: maybe("3", "2500"), Search: maybe("WREN", "mw-1", "lind 3", "%_", `\`, "île", "nothing at all"),
			Sort: maybe("place", "key", "amount", "tray", "status", "owner", "age"), Desc: r.IntN(2) == 0, Limit: 1 + r.IntN(40)}
		for _, c := range some("new", "still-open", "changed", "cleared", "absent") {
			q.Change = append(q.Change, again.Change(c))
		}
		chosen, err := q.chosen(ctx, report)
		if err != nil {
			t.Fatal(err)
		}
		all := table.places(&chosen)
		for page := range 6 {
			shown, total, next, err := p.store.Entries(ctx, chosen)
			if err != nil {
				t.Fatal(err)
			}
			desk, err := p.deskNow(report)
			if err != nil || desk == nil {
				t.Fatalf("there is no desk: %v", err)
			}
			after, err := cursor(chosen.After)
			if err != nil {
				t.Fatal(err)
			}
			seqs, sum, more := desk.page(&chosen, after)
			found += int64(len(shown))
			var want []int64
			for _, row := range shown {
				want = append(want, row.Seq)
			}
			if !slices.Equal(seqs, want) || sum != total || more != (next != "") {
				t.Fatalf("question %d, page %d, %+v: the desk says %v of %d, more %v; the data file %v of %d, next %q", n, page, q, seqs, sum, more, want, total, next)
			}
			if from := page * q.Limit; total != int64(len(all)) || !slices.Equal(seqs, all[min(from, len(all)):min(from+q.Limit, len(all))]) {
				t.Fatalf("question %d, page %d, %+v: SQLite says %v, the desk %v of %d", n, page, q, all, seqs, total)
			}
			if next == "" {
				break
			}
			chosen.After = next
		}
	}
	if found < 1000 {
		t.Errorf("the questions found only %d entries", found)
	}
	tallies, err := p.store.Tallies(ctx, run)
	if err != nil {
		t.Fatal(err)
	}
	desk, err := p.deskNow(report)
	if err != nil {
		t.Fatal(err)
	}
	if got := desk.tallies(); len(got) != len(tallies) {
		t.Errorf("the desk tells %d kinds of entries, the data file %d", len(got), len(tallies))
	}
}

// deskNow is the desk of a report as it is now.
func (p *port) deskNow(r *report) (*desk, error) {
	p.t.Helper()
	newest, err := p.store.NewestEvent(p.t.Context())
	if err != nil {
		p.t.Fatal(err)
	}
	return p.desk(p.t.Context(), r, newest.Seq)
}
