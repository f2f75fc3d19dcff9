package store_test

import (
	"errors"
	"testing"

	"twinsieve/store"
)

// sealedSnapshot writes a snapshot without records.
func sealedSnapshot(t *testing.T, s *store.Store, set string) store.Snapshot {
	t.Helper()
	w, err := s.NewSnapshot(t.Context(), set, store.Snapshot{Columns: []string{"a"}})
	if err != nil {
		t.Fatal(err)
	}
	snap, err := w.Seal(t.Context(), 0, "")
	if err != nil {
		t.Fatal(err)
	}
	return snap
}

// TestSnapshotsOfRuns: a snapshot that a run has begun to read stays, whatever retention is asked for; over one that is gone no run begins; and
// its number is nobody else's.
func TestSnapshotsOfRuns(t *testing.T) {
	s := open(t, t.TempDir())
	sieve, err := s.CreateSieve(t.Context(), "Quay", "{}")
	if err != nil {
		t.Fatal(err)
	}
	first, bills := sealedSnapshot(t, s, "log"), sealedSnapshot(t, s, "bills")
	w, err := s.NewRun(t.Context(), sieve, first, bills)
	if err != nil {
		t.Fatal(err)
	}
	sealedSnapshot(t, s, "log")
	rule := store.Kept{Newest: 1}
	if _, gone, err := s.Removable(t.Context(), rule); err != nil || len(gone) != 0 {
		t.Errorf("a run reads it, and it may go: %+v, %v", gone, err)
	}
	if _, err := s.DeleteSet(t.Context(), "bills"); !errors.Is(err, store.ErrNeeded) {
		t.Errorf("a run reads it, and the set may go: %v", err)
	}
	if err := w.Drop(t.Context()); err != nil {
		t.Fatal(err)
	}
	runs, gone, err := s.Removable(t.Context(), rule)
	if err != nil || len(gone) != 1 || gone[0].ID != first.ID {
		t.Fatalf("nothing reads it any more: %+v, %v", gone, err)
	}
	if err := s.Remove(t.Context(), rule, runs, gone, "the newest of each"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.NewRun(t.Context(), sieve, first, bills); !errors.Is(err, store.ErrChanged) {
		t.Errorf("a run over what is gone: %v", err)
	}
	last := sealedSnapshot(t, s, "log")
	if _, err := s.DeleteSet(t.Context(), "log"); err != nil {
		t.Fatal(err)
	}
	if next := sealedSnapshot(t, s, "log"); next.ID <= last.ID {
		t.Errorf("snapshot %d is followed by %d", last.ID, next.ID)
	}
	if next, err := s.CreateSieve(t.Context(), "Quay 2", "{}"); err != nil || next.ID != sieve.ID+1 {
		t.Errorf("sieve %d, %v", next.ID, err)
	}
}

// TestNumbersOfOldFiles: of a file from before numbers were given once, what is left tells which have been given.
func TestNumbersOfOldFiles(t *testing.T) {
	dir := t.TempDir()
	err := store.Old(dir, 1,
		`INSERT INTO record_sets VALUES (1, 'log', '2031-03-01 10:00:00+00:00')`,
		`INSERT INTO snapshots VALUES (3, 1, 1, '["a"]', '[]', 0, 0, 40, 'abc', 'log.csv', ';', '2031-03-01 10:00:00+00:00', 1)`,
		`INSERT INTO runs VALUES (5, 9, 1, 1, 3, 7, '{}', '{}', '2031-03-01 10:00:00+00:00', '2031-03-01 10:00:00+00:00', 1)`)
	if err != nil {
		t.Fatal(err)
	}
	s := open(t, dir)
	if snap := sealedSnapshot(t, s, "bills"); snap.ID != 8 {
		t.Errorf("snapshot %d, want 8: a run has read snapshot 7", snap.ID)
	}
	if sieve, err := s.CreateSieve(t.Context(), "Quay", "{}"); err != nil || sieve.ID != 10 {
		t.Errorf("sieve %d, %v, want 10: a run is of sieve 9", sieve.ID, err)
	}
}
