package service

import (
	"sync/atomic"
	"testing"
	"time"

	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
)

// TestAllotment: records that have been read have what no job takes, and let go of it for one that works for longer than a short one.
func TestAllotment(t *testing.T) {
	const mb = 1 << 20
	for _, c := range []struct{ memory, few, many int64 }{ // records while a job more may work than does, and while none may
		{64 * mb, leastCache, leastCache},
		{512 * mb, 128 * mb, 128 * mb}, // what no job takes is left to lists that are handed over
		{4096 * mb, (2048 - 128) * mb, 1024 * mb},
	} {
		var bytes atomic.Int64
		a := allotment{memory: c.memory, records: bytes.Store}
		check := func(when string, want int64) {
			t.Helper()
			if a.divide(); bytes.Load() != want || a.forRecords() != want {
				t.Errorf("of %d bytes %s records may take %d, said to be %d, want %d", c.memory, when, bytes.Load(), a.forRecords(), want)
			}
		}
		check("while nothing works,", c.few)
		for range jobsAtOnce - 1 {
			a.begin()
		}
		check("while one job fewer works than may,", c.few)
		a.begin()
		check("as the last begins,", c.few)
		if time.Since(a.crowded) >= shortJob {
			t.Skip("this machine is too slow to tell what is short")
		}
		a.crowded = a.crowded.Add(-shortJob)
		check("while all work,", c.many)
		a.end()
		if got := bytes.Load(); got != c.few {
			t.Errorf("of %d bytes %d are for records as soon as a job ends, want %d", c.memory, got, c.few)
		}
		a.begin() // another, which is short again
		check("as another begins,", c.few)
	}
}

// tall is a table that says that it has a million records.
type tall struct{ record.Table }

func (tall) Records() int64 { return 1_000_000 }

// TestEntriesAtOnce: of tables that stay in memory few entries are read at a time, of larger ones as many as there is room for.
func TestEntriesAtOnce(t *testing.T) {
	rows := make([][]string, 1000)
	for i := range rows {
		rows[i] = []string{"MW-04417", "2031-03-04", "a remark that is somewhat longer than the others"}
	}
	table := tall{recordtest.Table(t, []string{"call", "day", "remark"}, rows)} // about 90 bytes a record: 66 of text, and where each cell is and its line
	none := recordtest.Table(t, []string{"call"}, nil)
	for _, c := range []struct {
		memory, records int64 // all, and what is for records
		tables          [2]record.Table
		least, most     int
	}{
		{1 << 30, 1 << 30, [2]record.Table{table, table}, fewEntries, fewEntries},
		{1 << 30, 100 << 20, [2]record.Table{table, table}, 65_000, 75_000},
		{1 << 30, 100 << 20, [2]record.Table{table, none}, fewEntries, fewEntries},
		{2 << 30, 50 << 20, [2]record.Table{none, table}, 220_000, 250_000},
		{64 << 20, 100 << 20, [2]record.Table{table, table}, fewEntries, fewEntries},
		{1 << 30, 0, [2]record.Table{none, none}, fewEntries, fewEntries},
	} {
		v := &Service{options: Options{Memory: c.memory}, jobs: &jobs{memory: allotment{memory: 4 * c.records, working: jobsAtOnce}}}
		if got, err := v.entriesAtOnce(t.Context(), c.tables); err != nil || got < c.least || got > c.most {
			t.Errorf("with %d bytes, %d for records: %d, %v; want %d to %d", c.memory, c.records, got, err, c.least, c.most)
		}
	}
}
