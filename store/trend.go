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

func trendEntry(e *Entry) TrendEntry {
	return TrendEntry{e.Seq, e.Tray, e.Change, e.Status, e.opened, e.Amount, e.Currency}
}

// EachTrendEntry visits all entries of a run.
func (s *Store) EachTrendEntry(ctx context.Context, run uint, visit func(*TrendEntry) error) error {
	return s.eachStanding(ctx, run, 1, func(list []Entry) (bool, error) {
		for i := range list {
			e := trendEntry(&list[i])
			if err := visit(&e); err != nil {
				return false, err
			}
		}
		return false, nil
	})
}

// TrendChanges visits those entries of a run whose exceptions have been changed since an entry of the history, as its report shows them.
func (s *Store) TrendChanges(ctx context.Context, run uint, since int64, visit func(*TrendEntry)) error {
	changed, err := s.DeskChanges(ctx, run, since)
	if err != nil {
		return err
	}
	ids, stands := make([]uint, len(changed)), make(map[uint]*Stand, len(changed))
	for i := range changed {
		ids[i], stands[changed[i].ExceptionID] = changed[i].ExceptionID, &changed[i]
	}
	list, err := s.entriesOf(ctx, run, ids)
	for i := range list {
		list[i].stand(stands[list[i].ExceptionID])
		e := trendEntry(&list[i])
		visit(&e)
	}
	return err
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
