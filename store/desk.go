package store

import (
	"context"
	"strings"
	"unique"
)

// DeskRow is what an entry of a report can be chosen and sorted by.
type DeskRow struct {
	Seq      int64
	Tray     string
	Change   string
	Status   string
	Owner    string
	Reason   string
	Opened   string // as the data file writes times, which is ordered as they are
	Size     string
	Currency string
	Differs  int64
	KeyText  string
	Search   string
}

// writtenTime is the layout in which the data file keeps times.
const writtenTime = "2006-01-02 15:04:05.999999999-07:00"

// DeskRow is what an entry that has got its place in a report can be chosen and sorted by. Texts that stand in many rows are one in memory.
func (e *Entry) DeskRow() DeskRow {
	return DeskRow{Seq: e.Seq, Tray: once(e.Tray), Change: once(e.Change), Status: once(e.Status), Owner: once(e.Owner), Reason: once(e.Reason),
		Opened: e.opened, Size: string(e.Size), Currency: once(e.Currency), Differs: e.Differs,
		KeyText: strings.Clone(e.KeyText), Search: strings.Clone(e.Search)} // of their own, so that they lie beside each other
}

// once is a text that stands in many rows, which is one in memory.
func once(text string) string { return unique.Make(text).Value() }

// DeskRows reads all entries of a run, in the order of its report; nil where there are more than so many.
func (s *Store) DeskRows(ctx context.Context, run uint, most int64) ([]DeskRow, error) {
	var n int64
	if err := s.reads.WithContext(ctx).Model(&Entry{}).Where("run_id = ?", run).Count(&n).Error; err != nil || n > most {
		return nil, err
	}
	list := make([]DeskRow, 0, n)
	var last DeskRow // most columns have few values, so that mostly the one before has it already
	again := func(r row, column int, last *string) string {
		if text := r.textAs(column, *last); text != *last {
			*last = once(text)
		}
		return *last
	}
	err := s.bulk.each(ctx, `SELECT seq, tray, change, status, owner, reason, CAST(opened AS TEXT), size, currency, differs, key_text, search
		FROM entries WHERE run_id = ? ORDER BY seq`, []any{run}, func(r row) error {
		list = append(list, DeskRow{Seq: r.number(0), Tray: again(r, 1, &last.Tray), Change: again(r, 2, &last.Change), Status: again(r, 3, &last.Status), Owner: again(r, 4, &last.Owner),
			Reason: again(r, 5, &last.Reason), Opened: again(r, 6, &last.Opened), Size: string(r.bytes(7)), Currency: again(r, 8, &last.Currency), Differs: r.number(9), KeyText: r.text(10), Search: r.text(11)})
		return nil
	})
	return list, err
}

// DeskChanges are the entries of a run whose exceptions have been changed since an entry of the history, as they are now: what they show of it may come later, see
// [RunWriter.Follow]. In a signed report they are as they were. These are few, and the report may be long, so it is they that are gone through.
func (s *Store) DeskChanges(ctx context.Context, run uint, since int64) (list []DeskRow, err error) {
	err = s.reads.WithContext(ctx).Raw(`SELECT e.seq, iif(o.run_id IS NULL, x.status, e.status) AS status, iif(o.run_id IS NULL, x.owner, e.owner) AS owner,
		iif(o.run_id IS NULL, x.reason, e.reason) AS reason FROM exceptions x INDEXED BY exceptions_changed
		CROSS JOIN entries e INDEXED BY entries_of_exception ON e.exception_id = x.id AND e.run_id = ? LEFT JOIN sign_offs o ON o.run_id = e.run_id AND o.state = 'signed'
		WHERE x.changed_seq > ? AND x.changed_seq > 0`, run, since).Scan(&list).Error
	return list, err
}
