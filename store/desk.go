package store

import (
	"context"
	"unique"
)

// DeskRow is what an entry of a report can be chosen and sorted by.
type DeskRow struct {
	Seq       int64
	Exception uint // 0: of a run from before exceptions were followed
	Tray      string
	Change    string
	Status    string
	Owner     string
	Reason    string
	Opened    string // as the data file writes times, which is ordered as they are
	Size      string
	Currency  string
	Differs   int64
	KeyText   string
	Search    string
}

// writtenTime is the layout in which the data file keeps times.
const writtenTime = "2006-01-02 15:04:05.999999999-07:00"

// DeskRow is what an entry that has got its place in a report can be chosen and sorted by.
func (e *Entry) DeskRow() DeskRow {
	return DeskRow{Seq: e.Seq, Exception: e.ExceptionID, Tray: e.Tray, Change: e.Change, Status: e.Status, Owner: e.Owner, Reason: e.Reason,
		Opened: e.opened, Size: string(e.Size), Currency: e.Currency, Differs: e.Differs, KeyText: e.KeyText, Search: e.Search}
}

// once is a text that stands in many rows, which is one in memory.
func once(text string) string { return unique.Make(text).Value() }

// DeskRows reads all entries of a run, in the order of its report; nil where there are more than so many. Texts that stand in many of them are one in memory, and the others lie beside each other.
func (s *Store) DeskRows(ctx context.Context, run uint, most int64) ([]DeskRow, error) {
	var n int64
	if err := s.reads.WithContext(ctx).Raw("SELECT coalesce(sum(entries), 0) FROM entry_blocks WHERE run_id = ?", run).Scan(&n).Error; err != nil || n > most {
		return nil, err
	}
	rows := make([]DeskRow, 0, n)
	err := s.eachStanding(ctx, run, 1, func(list []Entry) (bool, error) {
		for i := range list {
			rows = append(rows, list[i].DeskRow())
		}
		return false, nil
	})
	return rows, err
}

// DeskChanges tells how the exceptions stand that have been changed since an entry of the history, of those of a run's sieve, and as its report shows them: in a signed one they are as they were.
// These are few, and the report may be long, so it is they that are gone through.
func (s *Store) DeskChanges(ctx context.Context, run uint, since int64) (list []Stand, err error) {
	signed, err := s.signed(ctx, run)
	if err != nil {
		return nil, err
	}
	err = s.reads.WithContext(ctx).Raw(`SELECT id AS exception_id, status, owner, reason FROM exceptions INDEXED BY exceptions_changed
		WHERE changed_seq > ? AND changed_seq > 0 AND +sieve_id = (SELECT sieve_id FROM runs WHERE id = ?)`, since, run).Scan(&list).Error
	if err != nil || !signed {
		return list, err
	}
	ids := make([]uint, len(list))
	for i := range list {
		ids[i] = list[i].ExceptionID
	}
	entries, err := s.entriesOf(ctx, run, ids)
	list = list[:0]
	for i := range entries {
		e := &entries[i]
		list = append(list, Stand{e.ExceptionID, e.Status, e.Owner, e.Reason})
	}
	return list, err
}
