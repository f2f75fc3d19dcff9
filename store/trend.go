package store

import (
	"context"
	"time"
)

// TrendEntry is what the trend counts of an entry.
type TrendEntry struct {
	Seq      int64
	Tray     string
	Change   string
	Status   string
	Opened   string // as the data file writes times
	Amount   string
	Currency string
}

// Open reports whether it is neither explained nor settled.
func (e *TrendEntry) Open() bool { return e.Status == StatusOpen || e.Status == StatusInProgress }

// FoundFirst is when it was found first: as that run began.
func (e *TrendEntry) FoundFirst() (time.Time, error) { return time.Parse(writtenTime, e.Opened) }

const trendEntry = "SELECT seq, tray, change, status, CAST(opened AS TEXT), amount, currency FROM entries WHERE run_id = ?"

// EachTrendEntry visits all entries of a run.
func (s *Store) EachTrendEntry(ctx context.Context, run uint, visit func(*TrendEntry) error) error {
	return s.trendEntries(ctx, trendEntry, []any{run}, visit)
}

// TrendEntries visits entries of a run by their places.
func (s *Store) TrendEntries(ctx context.Context, run uint, seqs []int64, visit func(*TrendEntry) error) error {
	return s.trendEntries(ctx, trendEntry+" AND seq IN (SELECT value FROM json_each(?))", []any{run, numbers(seqs)}, visit)
}

func (s *Store) trendEntries(ctx context.Context, query string, values []any, visit func(*TrendEntry) error) error {
	var e TrendEntry
	return s.bulk.each(ctx, query, values, func(r row) error {
		e = TrendEntry{Seq: r.number(0), Tray: r.textAs(1, e.Tray), Change: r.textAs(2, e.Change), Status: r.textAs(3, e.Status), Opened: r.textAs(4, e.Opened), Amount: r.text(5), Currency: r.textAs(6, e.Currency)}
		return visit(&e)
	})
}

// Settled visits the exceptions of a sieve that were explained or settled after a time, and still are: when that was, and when they were opened.
func (s *Store) Settled(ctx context.Context, sieve uint, after time.Time, visit func(opened, settled time.Time)) error {
	texts, times := [2]string{}, [2]time.Time{} // many have the same
	return s.bulk.each(ctx, "SELECT opened, settled FROM exceptions WHERE sieve_id = ? AND settled > ?", []any{sieve, after}, func(r row) (err error) {
		for i := range texts {
			if text := r.textAs(i, texts[i]); text != texts[i] {
				if times[i], err = time.Parse(writtenTime, text); err != nil {
					return err
				}
				texts[i] = text
			}
		}
		visit(times[0], times[1])
		return nil
	})
}

// RunsOf lists the sealed runs of a sieve, the newest first.
func (s *Store) RunsOf(ctx context.Context, sieve uint, limit int) (runs []Run, err error) {
	err = s.reads.WithContext(ctx).Where("sieve_id = ? AND sealed = 1", sieve).Order("id DESC").Limit(limit).Find(&runs).Error
	return runs, err
}

// Following reports whether the reports of a run's sieve do not show yet what its newest run has turned, see [RunWriter.Follow].
func (s *Store) Following(ctx context.Context, run uint) (is bool, err error) {
	err = s.reads.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM runs WHERE sealed = 1 AND followed = 0 AND sieve_id = (SELECT sieve_id FROM runs WHERE id = ?))", run).Scan(&is).Error
	return is, err
}
