package store_test

import (
	"fmt"
	"testing"

	"twinsieve/service"
	"twinsieve/store"
)

// TestFromFirstSchema opens a file as the first program wrote it: nothing of it is lost, and what is new works in it.
func TestFromFirstSchema(t *testing.T) {
	dir := t.TempDir()
	err := store.Old(dir, 1,
		`INSERT INTO record_sets VALUES (1, 'log', '2031-03-01 10:00:00+00:00'), (2, 'bills', '2031-03-01 10:00:00+00:00')`,
		`INSERT INTO snapshots VALUES (1, 1, 1, '["a","b"]', '[]', 0, 3, 40, 'abc', 'log.csv', ';', '2031-03-01 10:00:00+00:00', 1),
			(2, 2, 1, '["c"]', '[]', 0, 1, 4, 'def', 'bills.csv', ',', '2031-03-01 10:00:00+00:00', 1)`,
		`INSERT INTO rejects VALUES (1, 9, 'two cells', 'x;y;z'), (1, 4, 'one cell', 'x'), (1, 7, 'one cell', 'y'), (2, 2, 'too long', 'zz')`,
		`INSERT INTO jobs VALUES ('j1', 'load', 'log', 'running', '', '', '2031-03-01 10:00:00+00:00', NULL)`)
	if err != nil {
		t.Fatal(err)
	}
	s := open(t, dir)
	v := service.New(s, service.Options{})
	defer v.Close()
	set, err := v.Set(t.Context(), "log")
	if err != nil || fmt.Sprint(set.Snapshot.Columns) != "[a b]" || set.Snapshot.Recipe != nil || set.Snapshot.Read != "delimited, delimiter ;" {
		t.Errorf("%+v, %v", set, err)
	}
	rejects, err := v.Rejects(t.Context(), "log", 0, "", 0)
	if err != nil || fmt.Sprint(rejects.Rejects) != "[{4 one cell x} {7 one cell y} {9 two cells x;y;z}]" || rejects.Total != 3 {
		t.Errorf("%+v, %v", rejects, err)
	}
	if rejects, err = v.Rejects(t.Context(), "bills", 0, "", 0); err != nil || fmt.Sprint(rejects.Rejects) != "[{2 too long zz}]" {
		t.Errorf("%+v, %v", rejects, err)
	}
	job, err := v.Job(t.Context(), "j1")
	if err != nil || job.State != store.JobInterrupted {
		t.Errorf("%+v, %v", job, err)
	}
	if list, err := v.Connections(t.Context()); err != nil || len(list.Connections) != 0 {
		t.Errorf("%+v, %v", list, err)
	}
	checkRows(t, s, map[string]int64{"snapshots": 2, "rejects": 4, "profiles": 0})
	// Opened again, it is as it was.
	v.Close()
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	checkRows(t, open(t, dir), map[string]int64{"snapshots": 2, "rejects": 4, "connections": 0})
}
