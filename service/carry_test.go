package service

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// list tells the exceptions of a run in the short: tray, key, what has become of it, status, and the runs that its records are from.
func (p *port) list(run uint) string {
	p.t.Helper()
	page, err := p.Entries(p.t.Context(), run, Query{Limit: 100})
	if err != nil {
		p.t.Fatal(err)
	}
	var lines []string
	for _, e := range page.Entries {
		lines = append(lines, fmt.Sprintf("%s %s %s %s [%s]", e.Tray, strings.Join(e.Key, " "), e.Work.Change, e.Status, e.CarriedFrom()))
	}
	return strings.Join(lines, "; ")
}

// TestCarriedKinds carries exceptions of every kind into a month that knows nothing of them: each is where it was, as people left it, but for the surplus
// record, which is alone now and keeps its status all the same.
func TestCarriedKinds(t *testing.T) {
	p := newPort(t)
	ctx := store.As(t.Context(), store.Actor{ID: 1, Name: "ines"})
	d := sieve.Definition{Name: "carrying", Left: "log", Right: "bills", Carry: true, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
	p.comes("log", "call,amount\nMISS,1\nDIFF,2\nTWICE,3\n,4\nSAME,5\nGONE,6\n")
	p.comes("bills", "call,amount\nORPH,1\nDIFF,9\nTWICE,3\nTWICE,3\nSAME,5\n")
	if _, err := p.CreateSieve(ctx, d); err != nil {
		t.Fatal(err)
	}
	first := p.ran("carrying")
	if got, want := p.list(first.ID), "differing DIFF new open []; missing MISS new open []; missing GONE new open []; orphaned ORPH new open []; surplus TWICE new open []; unkeyed  new open []"; got != want {
		t.Fatalf("the first run lists %s", got)
	}
	page, err := p.Entries(ctx, first.ID, Query{Limit: 100})
	if err != nil {
		t.Fatal(err)
	}
	for i, e := range page.Entries { // GONE is settled by a person; all others are explained
		status := store.StatusExplained
		if e.Key[0] == "GONE" {
			status = store.StatusSettled
		}
		if _, err := p.ChangeEntry(ctx, first.ID, e.ID, e.Work.Version, view.WorkChange{Status: &status}); err != nil {
			t.Fatal(i, err)
		}
	}
	p.comes("log", "call,amount\nNEXT,1\n")
	p.comes("bills", "call,amount\nNEXT,1\n")
	second := p.ran("carrying")
	if got, want := p.list(second.ID), "differing DIFF still-open explained [1]; missing MISS still-open explained [1]; orphaned ORPH still-open explained [1]; orphaned TWICE still-open explained [1]; unkeyed  still-open explained [1]"; got != want {
		t.Errorf("the next run lists %s", got)
	}
	if second.Sides[0].Carried != 3 || second.Sides[1].Carried != 3 || second.Summary.Tray(tray.Matched).Records != [2]int64{1, 1} || !second.Summary.Accounted || second.Since.Counts[again.Absent] != 1 {
		t.Errorf("%d and %d are carried; %+v, since %v", second.Sides[0].Carried, second.Sides[1].Carried, second.Summary.Trays, second.Since.Counts)
	}

	// The other side comes late: what is carried pairs, and what of it is there again is taken from the snapshot.
	p.comes("log", "call,amount\nORPH,1\n")
	p.comes("bills", "call,amount\nDIFF,2\n")
	third := p.ran("carrying")
	if got, want := p.list(third.ID), "missing MISS still-open explained [1]; orphaned TWICE still-open explained [1]; unkeyed  still-open explained [1]"; got != want {
		t.Errorf("the third run lists %s", got)
	}
	if third.Since.Counts[again.Cleared] != 2 || third.Sides[0].Carried != 3 || third.Sides[1].Carried != 2 {
		t.Errorf("%v cleared; %d and %d carried", third.Since.Counts, third.Sides[0].Carried, third.Sides[1].Carried)
	}

	// Records of another record set are not carried into it.
	p.comes("diary", "call,amount\nNEXT,1\n")
	row, _, err := p.store.Sieve(ctx, "carrying")
	if err != nil {
		t.Fatal(err)
	}
	d.Left = "diary"
	if _, err := p.UpdateSieve(ctx, "carrying", row.Version, d); err != nil {
		t.Fatal(err)
	}
	if fourth := p.ran("carrying"); fourth.Sides[0].Carried != 0 || fourth.Sides[1].Carried != 1 {
		t.Errorf("into another record set %d and %d are carried", fourth.Sides[0].Carried, fourth.Sides[1].Carried)
	}
}

// TestCarriedGroup carries a key that is compared by its totals, with all its records.
func TestCarriedGroup(t *testing.T) {
	p := newPort(t)
	p.comes("log", "call,amount\nA,1\nA,2\n")
	p.comes("bills", "call,amount\nA,1\nA,1\nA,5\n")
	_, err := p.CreateSieve(t.Context(), sieve.Definition{Name: "totals", Left: "log", Right: "bills", Carry: true, Repeats: "totals", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}})
	if err != nil {
		t.Fatal(err)
	}
	p.ran("totals")
	p.comes("log", "call,amount\nNEXT,1\n")
	p.comes("bills", "call,amount\nNEXT,1\n")
	second := p.ran("totals")
	if got := p.list(second.ID); got != "differing A still-open open [1]" || second.Sides[0].Carried != 2 || second.Sides[1].Carried != 3 {
		t.Errorf("%s, with %d and %d records carried", got, second.Sides[0].Carried, second.Sides[1].Carried)
	}
	// What is missing of its total comes late.
	p.comes("log", "call,amount\nNEXT,1\n")
	p.comes("bills", "call,amount\nA,3\n")
	if third := p.ran("totals"); third.Since.Counts[again.Cleared] != 1 || third.Sides[0].Carried != 2 || third.Sides[1].Carried != 0 {
		t.Errorf("%v, with %d and %d records carried", third.Since.Counts, third.Sides[0].Carried, third.Sides[1].Carried)
	}
}
