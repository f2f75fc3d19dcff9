package store

import (
	"errors"
	"slices"

	"gorm.io/gorm"
)

// packEntryRows packs entries as they were kept before, each in a row of its own.
func packEntryRows(tx *gorm.DB) error {
	var runs []uint
	if err := tx.Raw("SELECT DISTINCT run_id FROM entries").Scan(&runs).Error; err != nil {
		return err
	}
	for _, run := range runs {
		var list []Entry
		for more := true; more; {
			last := int64(0)
			if len(list) > 0 {
				last = list[len(list)-1].Seq
			}
			read, err := entryRows(tx, run, last)
			if err != nil {
				return err
			}
			list, more = append(list, read...), len(read) == rowsReadAtOnce
			for len(list) > 0 {
				n := slices.IndexFunc(list, func(e Entry) bool { return entryBlockOf(e.Seq) != entryBlockOf(list[0].Seq) })
				if n < 0 && more {
					break // the block may go on
				}
				if n < 0 {
					n = len(list)
				}
				p := packEntries(list[:n]).piece()
				if err := tx.Exec("INSERT INTO "+p.table+" ("+p.columns+") VALUES ?", p.rows[0]).Error; err != nil {
					return err
				}
				list = list[n:]
			}
		}
	}
	return tx.Exec("DROP TABLE entries").Error
}

// rowsReadAtOnce is how many entries are read of those that have rows.
const rowsReadAtOnce = 10_000

// entryRows reads entries that have rows, of a run, behind a place.
func entryRows(tx *gorm.DB, run uint, after int64) (list []Entry, err error) {
	rows, err := tx.Raw(`SELECT seq, tray, side, change, status, owner, reason, exception_id, CAST(opened AS TEXT), amount, currency, size, differs, key_text, body_run, body_seq, search
		FROM entries WHERE run_id = ? AND seq > ? ORDER BY seq LIMIT ?`, run, after, rowsReadAtOnce).Rows()
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	for rows.Next() {
		e := Entry{RunID: run}
		if err := rows.Scan(&e.Seq, &e.Tray, &e.Side, &e.Change, &e.Status, &e.Owner, &e.Reason, &e.ExceptionID, &e.opened, &e.Amount, &e.Currency, &e.Size, &e.Differs, &e.KeyText, &e.BodyRun,
			&e.BodySeq, &e.Search); err != nil {
			return nil, err
		}
		list = append(list, e)
	}
	return list, rows.Err()
}
