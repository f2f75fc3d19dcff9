package store

import (
	"encoding/hex"
	"encoding/json"
	"slices"

	"gorm.io/gorm"

	"twinsieve/core/again"
)

// An exception is untouched while nobody has worked on it and no later run has found something else of it. All that there is to say of it then stands
// in an entry of its sieve's newest run, which has found it first or found it again as it was: it is open, has no owner, and nothing has been said about
// it. So it has no row of its own, which would take longer to write than its entry, and most are never touched.
//
// What touches an exception gives it a row first, see [Store.touch] and [follow]. Every exception of a sieve is either a row, or is said to be new or still
// open by the newest run. So how many are untouched is how many that run has found, less the rows that are there.
//
// All exceptions lists them in the lists of what runs have found, see foundlists.go; which of these have rows is looked up for a page.

// eachUntouched visits, as [eachListed] does and one by one, those of the exceptions that a run has found that have no rows meanwhile.
func eachUntouched(tx *gorm.DB, run uint, o sortOrder, after []byte, visit func(listed) (enough bool)) error {
	return eachListed(tx, run, o, after, func(list []listed) (bool, error) {
		ids := make([]uint, len(list))
		for i := range list {
			ids[i] = idOf(list[i].key)
		}
		var rows []uint
		if err := tx.Raw("SELECT id FROM exceptions WHERE id IN (SELECT value FROM json_each(?))", numbers(ids)).Scan(&rows).Error; err != nil {
			return false, err
		}
		touched := make(map[uint]bool, len(rows))
		for _, id := range rows {
			touched[id] = true
		}
		for i := range list {
			if !touched[ids[i]] && visit(list[i]) {
				return true, nil
			}
		}
		return false, nil
	})
}

// touch gives those exceptions rows that have none; all of them are in a run's report.
func (s *Store) touch(tx *gorm.DB, run uint, ids []uint) error {
	var sieve uint
	if err := tx.Raw("SELECT sieve_id FROM runs WHERE id = ?", run).Scan(&sieve).Error; err != nil {
		return err
	}
	var rows []uint
	if err := tx.Raw("SELECT id FROM exceptions WHERE id IN (SELECT value FROM json_each(?))", numbers(ids)).Scan(&rows).Error; err != nil {
		return err
	}
	slices.Sort(rows)
	ids = slices.DeleteFunc(slices.Clone(ids), func(id uint) bool { _, is := slices.BinarySearch(rows, id); return is })
	newest, err := newestRunOf(tx, sieve)
	if err != nil {
		return err
	}
	entries, err := s.entriesOf(tx.Statement.Context, newest, ids)
	if err != nil {
		return err
	}
	// As one value, for the driver behind GORM takes long to write rows one by one. JSON keeps no text that is no UTF-8.
	var made [][]any
	for i := range entries {
		e := &entries[i]
		if change := again.Change(e.Change); change == again.New || change == again.StillOpen {
			made = append(made, []any{e.ExceptionID, e.Side, e.Tray, e.opened, e.Amount,
				hex.EncodeToString([]byte(e.Currency)), hex.EncodeToString(e.Size), hex.EncodeToString([]byte(e.KeyText)), e.BodyRun, e.BodySeq})
		}
	}
	if len(made) == 0 {
		return nil
	}
	text, err := json.Marshal(made)
	if err != nil {
		return err
	}
	return tx.Exec(`INSERT INTO exceptions (id, sieve_id, side, tray, status, owner, reason, version, opened, presence, amount, currency, size, key_text, body_run, body_seq,
			changed_seq, changed_by, comments, attachments)
		SELECT value ->> 0, ?, value ->> 1, value ->> 2, 'open', '', '', 1, value ->> 3, 'here', value ->> 4, CAST(unhex(value ->> 5) AS TEXT), unhex(value ->> 6),
			CAST(unhex(value ->> 7) AS TEXT), value ->> 8, value ->> 9, 0, '', 0, 0
		FROM json_each(?)`, sieve, string(text)).Error
}
