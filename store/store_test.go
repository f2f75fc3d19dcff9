package store_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"twinsieve/core/sieve"
	"twinsieve/service"
	"twinsieve/service/view"
	"twinsieve/store"
)

func open(t *testing.T, dir string) *store.Store {
	t.Helper()
	s, err := store.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// numbers is a text with so many records, none like another.
func numbers(n int, suffix string) string {
	var b strings.Builder
	b.WriteString("id,value\n")
	for i := range n {
		fmt.Fprintf(&b, "%d%s,%d\n", i, suffix, i*7919%104729)
	}
	return b.String()
}

// end waits for a job and returns it as it ended.
func end(t *testing.T, v *service.Service, job view.Job, err error) view.Job {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
	var last view.Job
	if err := v.Follow(context.Background(), job.ID, func(j view.Job) error { last = j; return nil }); err != nil {
		t.Fatal(err)
	}
	return last
}

func checkRows(t *testing.T, s *store.Store, want map[string]int64) {
	t.Helper()
	for table, n := range want {
		if got, err := s.Rows(table); err != nil || got != n {
			t.Errorf("%d rows in %s (%v), want %d", got, table, err, n)
		}
	}
	if found, err := s.Integrity(); err != nil || len(found) != 1 || found[0] != "ok" {
		t.Errorf("integrity: %v %v", found, err)
	}
}

// TestFullDisk lets the disk become full in the middle of a load, then of a run: a clear problem, and nothing half kept.
func TestFullDisk(t *testing.T) {
	s := open(t, t.TempDir())
	v := service.New(s, service.Options{})
	defer v.Close()
	ctx := context.Background()
	load := func(set, text string) view.Job {
		u, err := v.Upload(ctx, set+".csv", strings.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		job, err := v.Load(ctx, set, view.Recipe{Source: view.SourceRef{Place: view.Place{Upload: u.ID}}})
		return end(t, v, job, err)
	}
	if err := s.LimitPages(40); err != nil {
		t.Fatal(err)
	}
	job := load("left", numbers(200_000, ""))
	if job.State != store.JobFailed || !view.DiskFull.Is(job.Problem) || !strings.Contains(job.Problem.Detail, "make room") {
		t.Errorf("a load onto a full disk ended as %s: %v", job.State, job.Problem)
	}
	checkRows(t, s, map[string]int64{"record_sets": 0, "snapshots": 0, "chunks": 0, "rejects": 0})
	if err := s.LimitPages(-1); err != nil {
		t.Fatal(err)
	}
	for _, set := range []string{"left", "right"} {
		if job := load(set, numbers(20_000, set[:1])); job.State != store.JobDone {
			t.Fatalf("with room again the load ended as %s: %v", job.State, job.Problem)
		}
	}
	d := sieve.Definition{Name: "all apart", Left: "left", Right: "right", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "id"}}}}
	if _, err := v.CreateSieve(ctx, d); err != nil {
		t.Fatal(err)
	}
	if err := s.LimitPages(100); err != nil {
		t.Fatal(err)
	}
	started, err := v.Run(ctx, d.Name)
	if job := end(t, v, started, err); job.State != store.JobFailed || !view.DiskFull.Is(job.Problem) {
		t.Errorf("a run onto a full disk ended as %s: %v", job.State, job.Problem)
	}
	begun := time.Now()
	for left := int64(1); left > 0 && time.Since(begun) < 30*time.Second; { // it is removed behind the job's end
		if left, err = s.Rows("runs"); err != nil {
			t.Fatal(err)
		}
	}
	checkRows(t, s, map[string]int64{"runs": 0, "entry_blocks": 0, "body_blocks": 0, "turned": 0, "index_parts": 0, "record_sets": 2})
}

// TestSpaceIsGivenBack checks that what is deleted makes the file smaller.
func TestSpaceIsGivenBack(t *testing.T) {
	s := open(t, t.TempDir())
	v := service.New(s, service.Options{})
	defer v.Close()
	empty, err := s.Pages()
	if err != nil {
		t.Fatal(err)
	}
	u, err := v.Upload(context.Background(), "numbers.csv", strings.NewReader(numbers(100_000, "")))
	if err != nil {
		t.Fatal(err)
	}
	job, err := v.Load(context.Background(), "numbers", view.Recipe{Source: view.SourceRef{Place: view.Place{Upload: u.ID}}})
	end(t, v, job, err)
	full, err := s.Pages()
	if err != nil {
		t.Fatal(err)
	}
	if err := v.DeleteSet(context.Background(), "numbers"); err != nil {
		t.Fatal(err)
	}
	after, err := s.Pages()
	if err != nil || full < empty+100 || after > empty+10 {
		t.Errorf("%d pages empty, %d full, %d after deleting (%v)", empty, full, after, err)
	}
}

func TestOpenIsExclusive(t *testing.T) {
	dir := t.TempDir()
	open(t, dir)
	_, err := store.Open(dir)
	if inUse := new(store.InUseError); !errors.As(err, &inUse) || !strings.Contains(err.Error(), dir) {
		t.Errorf("opened twice: %v", err)
	}
}

// TestNewerFile refuses a file that a newer program has written.
func TestNewerFile(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	if err := s.Migrated(99); err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	_, err := store.Open(dir)
	if err == nil || !strings.Contains(err.Error(), "schema 99") {
		t.Errorf("a file of schema 99 was opened: %v", err)
	}
}

// TestClearsTemporaryFiles checks that what a crash left is gone after the next start.
func TestClearsTemporaryFiles(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	if err := os.WriteFile(s.TempDir()+"/twinsieve-spill-left-over", []byte("x"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	s = open(t, dir)
	if left, err := os.ReadDir(s.TempDir()); err != nil || len(left) > 0 {
		t.Errorf("left: %v %v", left, err)
	}
}

// TestStaleChange: of two people who change one sieve, the second is told, and the first's change stays.
func TestStaleChange(t *testing.T) {
	s := open(t, t.TempDir())
	ctx := context.Background()
	if _, err := s.CreateSieve(ctx, "a", "one"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.CreateSieve(ctx, "a", "other"); !errors.Is(err, store.ErrNameTaken) {
		t.Errorf("a name given twice: %v", err)
	}
	if _, err := s.UpdateSieve(ctx, "a", 1, "a", "two", nil); err != nil {
		t.Fatal(err)
	}
	if _, err := s.UpdateSieve(ctx, "a", 1, "a", "late", nil); !errors.Is(err, store.ErrChanged) {
		t.Errorf("a stale change: %v", err)
	}
	if v, text, err := s.Sieve(ctx, "a"); err != nil || v.Version != 2 || text != "two" {
		t.Errorf("version %d says %q (%v)", v.Version, text, err)
	}
}

// TestMadeFrom: a snapshot that was made from one of its set is not sealed once another has followed that.
func TestMadeFrom(t *testing.T) {
	s := open(t, t.TempDir())
	seal := func(follows int) error {
		w, err := s.NewSnapshot(t.Context(), "log", store.Snapshot{Columns: []string{"a"}})
		if err != nil {
			t.Fatal(err)
		}
		w.MadeFrom(follows)
		if _, err = w.Seal(t.Context(), 0, "{}"); err != nil {
			err = errors.Join(err, w.Drop())
		}
		return err
	}
	for _, c := range []struct {
		follows int
		want    error
	}{{0, nil}, {1, nil}, {1, store.ErrChanged}, {2, nil}, {0, nil}} {
		if err := seal(c.follows); !errors.Is(err, c.want) {
			t.Errorf("following %d: %v, want %v", c.follows, err, c.want)
		}
	}
	if _, snap, err := s.Set(t.Context(), "log"); err != nil || snap.Number != 4 {
		t.Errorf("%+v, %v", snap, err)
	}
	checkRows(t, s, map[string]int64{"snapshots": 4})
}
