package store

import (
	"context"
	"slices"

	"gorm.io/gorm"

	"twinsieve/core/again"
)

// turnedColumns are the columns of what a run has to say of an exception that is no more what it was. They are rows until the run is sealed, when they go into the exceptions'.
const turnedColumns = "run_id, exception_id, tray, side, change, status, opened, amount, currency, size, key_text, body_run, body_seq, reading, left_hash, right_hash"

// turnedRow is such a row: what an entry says, and what its exception is kept under if it is gone.
func turnedRow(e *Entry, under again.Hashes) []any {
	return []any{e.RunID, e.ExceptionID, e.Tray, e.Side, e.Change, e.Status, e.opened, e.Amount, e.Currency, e.Size, e.KeyText, e.BodyRun, e.BodySeq,
		under.Reading, under.Sides[0], under.Sides[1]}
}

// meanwhile are those of a run's exceptions that people have changed since it has read them. What an index is searched by comes first.
const meanwhile = `AND exception_id IN (SELECT id FROM exceptions WHERE changed_seq > @seen AND changed_seq > 0)`

// moved says of something turned that what people saw of it is no more what is there.
const moved = `e.change IN ('changed', 'cleared', 'returned')`

// following are the statements of [follow], in their order. None may go through all exceptions that there are.
var following = []string{
	`UPDATE turned SET status = x.status FROM exceptions x WHERE x.id = exception_id AND run_id = @run ` + meanwhile,
	`UPDATE turned SET status = CASE change WHEN 'cleared' THEN 'settled' ELSE 'open' END WHERE run_id = @run
		AND (change IN ('cleared', 'returned') OR change = 'changed' AND status IN ('explained', 'settled')) ` + meanwhile,
	`UPDATE exceptions SET status = e.status, version = version + (e.status <> exceptions.status OR ` + moved + `), moved_run = CASE WHEN ` + moved + ` THEN e.run_id ELSE moved_run END, changed_by = CASE WHEN e.status = exceptions.status THEN changed_by ELSE '' END,
		changed_seq = CASE WHEN e.status = exceptions.status THEN changed_seq ELSE (SELECT coalesce(max(seq), 0) + 1 FROM history) END,
		settled = CASE WHEN e.status = exceptions.status THEN settled WHEN e.status IN ('open', 'in-progress') THEN NULL ELSE coalesce(settled, @now) END,
		presence = CASE WHEN e.change IN ('cleared', 'absent') THEN e.change ELSE 'here' END, size = e.size, tray = e.tray, side = e.side,
		amount = e.amount, currency = e.currency, key_text = e.key_text, body_run = e.body_run, body_seq = e.body_seq,
		reading = e.reading, left_hash = e.left_hash, right_hash = e.right_hash
		FROM turned e WHERE e.run_id = @run AND e.exception_id = exceptions.id AND exceptions.id IN (SELECT exception_id FROM turned WHERE run_id = @run)`,
	// Those that have no rows yet were open, and nobody's.
	`INSERT INTO exceptions (id, sieve_id, side, tray, status, owner, reason, version, opened, presence, settled, amount, currency, size, key_text, body_run, body_seq,
		changed_seq, changed_by, comments, attachments, reading, left_hash, right_hash, moved_run)
		SELECT e.exception_id, @sieve, e.side, e.tray, e.status, '', '', 1 + (e.status <> 'open' OR ` + moved + `), e.opened, CASE WHEN e.change IN ('cleared', 'absent') THEN e.change ELSE 'here' END,
		CASE WHEN e.status = 'open' THEN NULL ELSE @now END, e.amount, e.currency, e.size, e.key_text, e.body_run, e.body_seq,
		CASE WHEN e.status = 'open' THEN 0 ELSE (SELECT coalesce(max(seq), 0) + 1 FROM history) END, '', 0, 0,
		e.reading, e.left_hash, e.right_hash, CASE WHEN ` + moved + ` THEN e.run_id ELSE 0 END
		FROM turned e WHERE e.run_id = @run AND NOT EXISTS (SELECT 1 FROM exceptions x WHERE x.id = e.exception_id)`,
	// Those whose records were absent, and are there because the run carries them in.
	`UPDATE exceptions SET presence = 'here' WHERE presence = 'absent' AND id IN (SELECT value FROM json_each(@back))`,
	// Those that the sieve's new key cannot produce, for good: unless somebody has taken them up meanwhile, they have that as their reason.
	`INSERT INTO reasons (text, active) SELECT @why, 0 WHERE json_array_length(@retired) > 0 ON CONFLICT (text) DO NOTHING`,
	`UPDATE exceptions SET reason = @why WHERE status = 'settled' AND id IN (SELECT value FROM json_each(@retired))`,
}

// KeyChanged is the reason of exceptions that were retired because their sieve's new key cannot produce them.
const KeyChanged = "the sieve's key has changed"

// follow lets the exceptions that a run has found again, or not, be what the run says of them. It is part of the run's sealing, for which
// everybody waits, so it looks only at what has become something else. What people have changed since entry seen of
// the history may have come after the run has read it, so it is [turned] again. The other exceptions are as they were, and show what the run has
// found when [RunWriter.Follow] is done.
func follow(tx *gorm.DB, run *Run, seen int64, back, retired []uint) error {
	named := map[string]any{"run": run.ID, "sieve": run.SieveID, "now": run.Finished, "seen": seen, "back": numbers(back), "retired": numbers(retired), "why": KeyChanged}
	for _, sql := range following {
		if err := tx.Exec(sql, named).Error; err != nil {
			return err
		}
	}
	return nil
}

// followedAtOnce is how many exceptions are gone through before it is seen whether a person's change waits.
const followedAtOnce = 500

// followRest lets the exceptions that have rows, and that a sealed run has found as they were, show what it has found: on which lines their records
// stand now. It deletes what was written for the sealing, and the lists of what earlier runs have found. All
// is done bit by bit, and once more from the beginning after a crash.
func (s *Store) followRest(ctx context.Context, run Run) error {
	newest, err := newestRunOf(s.reads.WithContext(ctx), run.SieveID)
	if err != nil {
		return err
	}
	if newest == run.ID { // else a later one has said where they stand
		if err := s.followSame(ctx, run); err != nil {
			return err
		}
	}
	if err := s.deleteAll(ctx, "turned", "run_id", run.ID); err != nil {
		return err
	}
	var before []uint
	err = s.reads.WithContext(ctx).Raw("SELECT DISTINCT run_id FROM found_blocks WHERE run_id IN (SELECT id FROM runs WHERE sieve_id = ? AND id < ?)", run.SieveID, run.ID).Scan(&before).Error
	if err != nil {
		return err
	}
	for _, id := range before {
		if err := s.deleteAll(ctx, "found_blocks", "run_id", id); err != nil {
			return err
		}
	}
	return s.write(ctx, bulk, func(tx *gorm.DB) error {
		return tx.Model(&Run{}).Where("id = ?", run.ID).Update("followed", true).Error
	})
}

// followSame lets exceptions that are as they were show where their records stand now.
func (s *Store) followSame(ctx context.Context, run Run) error {
	var rows []uint
	if err := s.reads.WithContext(ctx).Model(&Exception{}).Where("sieve_id = ? AND presence = 'here'", run.SieveID).Pluck("id", &rows).Error; err != nil || len(rows) == 0 {
		return err
	}
	slices.Sort(rows)
	return s.eachEntry(ctx, run.ID, 1, func(list []Entry) (bool, error) {
		list = slices.DeleteFunc(list, func(e Entry) bool {
			_, has := slices.BinarySearch(rows, e.ExceptionID)
			return !has || again.Change(e.Change) != again.StillOpen
		})
		for len(list) > 0 {
			err := s.writeRows(ctx, func(to *rowWriter) error {
				for n := 0; len(list) > 0; n++ {
					if n%followedAtOnce == followedAtOnce-1 && s.queue.urgentWaits() {
						return nil
					}
					e := &list[0]
					_, err := to.change(`UPDATE exceptions SET tray = ?, side = ?, amount = ?, currency = ?, key_text = ?, body_run = ?, body_seq = ? WHERE id = ? AND presence = 'here'`,
						e.Tray, e.Side, e.Amount, e.Currency, e.KeyText, e.BodyRun, e.BodySeq, e.ExceptionID)
					if err != nil {
						return err
					}
					list = list[1:]
				}
				return nil
			})
			if err != nil {
				return false, err
			}
		}
		return false, nil
	})
}
