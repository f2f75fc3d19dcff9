package store_test

import (
	"errors"
	"fmt"
	"testing"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/tray"
	"twinsieve/store"
)

// TestCarriedThereAndBack writes records that a run carries in and reads them back, cell by cell, with where they come from; a run that comes to nothing, or
// is removed, leaves none.
func TestCarriedThereAndBack(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	ctx := t.Context()
	sieve, err := s.CreateSieve(ctx, "deposits", "{}")
	if err != nil {
		t.Fatal(err)
	}
	columns := []string{"slip", "amount"}
	rows := [][]string{{"D-1", "5"}, {"D-2", recordtest.Null}, {"D-3", recordtest.Marker + "n/a"}, {"", "7"}, {"D-5", ""}}
	spool := recordtest.Batches(t, columns, rows, 2)
	carried := &record.Batches{Names: columns}
	for i := range spool.Starts() {
		b, err := spool.Batch(ctx, i)
		if err != nil {
			t.Fatal(err)
		}
		one := *b
		for n := range b.Records() {
			one.Carried = append(one.Carried, int64(10*i+n))
		}
		carried.List = append(carried.List, &one)
	}
	begin := func() *store.RunWriter {
		t.Helper()
		w, err := s.NewRun(ctx, sieve, store.Snapshot{}, store.Snapshot{})
		if err == nil {
			err = w.AddCarried(ctx, tray.Right, carried)
		}
		if err != nil {
			t.Fatal(err)
		}
		return w
	}
	kept := func(want int64) {
		t.Helper()
		if n, err := s.Rows("carried_chunks"); err != nil || n != want {
			t.Errorf("%d pieces are kept, want %d; %v", n, want, err)
		}
	}
	run, err := begin().Seal(ctx, "{}", &match.Index{})
	if err != nil {
		t.Fatal(err)
	}
	const pieces = 3 * (2 + 2) // of each batch: two columns, the lines and the runs
	kept(pieces)
	for side, want := range map[tray.Side]int{tray.Left: 0, tray.Right: len(rows)} {
		back, err := s.Carried(ctx, run.ID, side, columns)
		if err != nil || int(back.Records()) != want {
			t.Fatalf("%s: %d records come back, want %d; %v", side, back.Records(), want, err)
		}
		all := make([]uint32, want)
		for i := range all {
			all[i] = uint32(i)
		}
		err = record.Gather(ctx, back, all, func(n int, b *record.Batch, i int) {
			was, at := carried.List[n/2], n%2
			if got, want := fmt.Sprint(b.Cells(i), b.Origin(i)), fmt.Sprint(was.Cells(at), was.Origin(at)); got != want {
				t.Errorf("record %d comes back as %s, want %s", n, got, want)
			}
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	// What is not sealed is dropped, at once or by the next start.
	w := begin()
	kept(2 * pieces)
	if err := w.Drop(t.Context()); err != nil {
		t.Fatal(err)
	}
	kept(pieces)
	begin()
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	s = open(t, dir)
	kept(pieces)
	// A newer run lets the older one go, with what it has carried in.
	if _, err := begin().Seal(ctx, "{}", &match.Index{}); err != nil {
		t.Fatal(err)
	}
	kept(2 * pieces)
	runs, snapshots, err := s.Removable(ctx, store.Kept{Newest: 1})
	if err != nil || len(runs) != 1 {
		t.Fatalf("%+v, %v", runs, err)
	}
	if err := s.Remove(ctx, store.Kept{Newest: 1}, nil, []store.RemovableSnapshot{{ID: 1}}, "the newest"); !errors.Is(err, store.ErrChanged) {
		t.Fatalf("what the rule does not let go: %v", err)
	}
	kept(2 * pieces)
	if err := s.Remove(ctx, store.Kept{Newest: 1}, runs, snapshots, "the newest"); err != nil {
		t.Fatal(err)
	}
	kept(pieces)
}
