package store

import (
	"context"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"twinsieve/core/again"
)

// touchedPlace is the place of an entry whose exception is no more what it was, and what it is kept under if it is gone.
type touchedPlace struct {
	seq       int64
	exception uint
	hashes    again.Hashes
}

// placesText writes places as one value of a statement: of each its exception, its place, and the numbers of its hashes.
func placesText(places []touchedPlace) string {
	text := []byte{'['}
	for i, p := range places {
		if i > 0 {
			text = append(text, ',')
		}
		text = append(text, '[')
		for n, number := range [5]int64{int64(p.exception), p.seq, p.hashes.Reading, p.hashes.Sides[0], p.hashes.Sides[1]} {
			if n > 0 {
				text = append(text, ',')
			}
			text = strconv.AppendInt(text, number, 10)
		}
		text = append(text, ']')
	}
	return string(append(text, ']'))
}

// meanwhile are those of a run's exceptions that people have changed since it has read them. What an index is searched by comes first.
const meanwhile = `AND exception_id IN (SELECT id FROM exceptions WHERE changed_seq > @seen AND changed_seq > 0)`

// following are the statements of [follow], in their order. None may go through all exceptions or entries that there are.
var following = []string{
	`UPDATE entries INDEXED BY entries_of_exception SET status = x.status, owner = x.owner, reason = x.reason FROM exceptions x WHERE x.id = exception_id AND run_id = @run
		AND change <> 'new' ` + meanwhile,
	`UPDATE entries INDEXED BY entries_of_exception SET status = CASE change WHEN 'cleared' THEN 'settled' ELSE 'open' END WHERE run_id = @run
		AND (change IN ('cleared', 'returned') OR change = 'changed' AND status IN ('explained', 'settled')) ` + meanwhile,
	`CREATE TEMP TABLE IF NOT EXISTS touched (id INTEGER PRIMARY KEY, seq INTEGER NOT NULL, reading INTEGER NOT NULL, left_hash INTEGER NOT NULL, right_hash INTEGER NOT NULL)`,
	`DELETE FROM touched`,
	`INSERT INTO touched SELECT value ->> 0, value ->> 1, value ->> 2, value ->> 3, value ->> 4 FROM json_each(@places)`,
	`UPDATE exceptions SET status = e.status, version = version + (e.status <> exceptions.status), changed_by = CASE WHEN e.status = exceptions.status THEN changed_by ELSE '' END,
		changed_seq = CASE WHEN e.status = exceptions.status THEN changed_seq ELSE (SELECT coalesce(max(seq), 0) + 1 FROM history) END,
		settled = CASE WHEN e.status = exceptions.status THEN settled WHEN e.status IN ('open', 'in-progress') THEN NULL ELSE coalesce(settled, @now) END,
		presence = CASE WHEN e.change IN ('cleared', 'absent') THEN e.change ELSE 'here' END, size = e.size, tray = e.tray, side = e.side,
		amount = e.amount, currency = e.currency, key_text = e.key_text, body_run = e.body_run, body_seq = e.body_seq,
		reading = t.reading, left_hash = t.left_hash, right_hash = t.right_hash
		FROM touched t CROSS JOIN entries e ON e.run_id = @run AND e.seq = t.seq WHERE t.id = exceptions.id AND exceptions.id IN (SELECT id FROM touched)`,
	// Those that have no rows yet were open, and nobody's.
	`INSERT INTO exceptions (id, sieve_id, side, tray, status, owner, reason, version, opened, presence, settled, amount, currency, size, key_text, body_run, body_seq,
		changed_seq, changed_by, comments, attachments, reading, left_hash, right_hash)
		SELECT t.id, @sieve, e.side, e.tray, e.status, '', '', 1 + (e.status <> 'open'), e.opened, CASE WHEN e.change IN ('cleared', 'absent') THEN e.change ELSE 'here' END,
		CASE WHEN e.status = 'open' THEN NULL ELSE @now END, e.amount, e.currency, e.size, e.key_text, e.body_run, e.body_seq,
		CASE WHEN e.status = 'open' THEN 0 ELSE (SELECT coalesce(max(seq), 0) + 1 FROM history) END, '', 0, 0,
		t.reading, t.left_hash, t.right_hash
		FROM touched t CROSS JOIN entries e ON e.run_id = @run AND e.seq = t.seq WHERE NOT EXISTS (SELECT 1 FROM exceptions x WHERE x.id = t.id)`,
	// Those whose records were absent, and are there because the run carries them in.
	`UPDATE exceptions SET presence = 'here' WHERE presence = 'absent' AND id IN (SELECT value FROM json_each(@back))`,
}

// follow lets the exceptions that a run has found again, or not, be what the run says of them. It is part of the run's sealing, for which
// everybody waits, so it looks only at what has become something else: at the entries with the given places. What people have changed since entry seen of
// the history may have come after the run has read it, so the run's entries show it, and it is [turned] again. The other exceptions are as they were, and show what the run has
// found when [RunWriter.Follow] is done, as do reports of before.
func follow(tx *gorm.DB, run *Run, seen int64, places []touchedPlace, back []uint) error {
	named := map[string]any{"run": run.ID, "sieve": run.SieveID, "now": run.Finished, "seen": seen, "places": placesText(places), "back": numbers(back)}
	for _, sql := range following {
		var values []any
		if strings.Contains(sql, "@") {
			values = []any{named}
		}
		if err := tx.Exec(sql, values...).Error; err != nil {
			return err
		}
	}
	return nil
}

// followedAtOnce is how many exceptions are gone through before it is seen whether a person's change waits.
const followedAtOnce = 500

// followRest lets the exceptions that have rows, and that a sealed run has found as they were, show what it has found: on which lines their records
// stand now. It lets reports of before that are not signed show what the run has turned from one status to another, and deletes the lists of what earlier runs have found. All
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
	if err := s.followTurned(ctx, run); err != nil {
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

// followTurned lets reports of before show what a run has turned from one status to another.
func (s *Store) followTurned(ctx context.Context, run Run) error {
	var last int64
	if err := s.reads.WithContext(ctx).Model(&Entry{}).Select("coalesce(max(seq), 0)").Where("run_id = ?", run.ID).Scan(&last).Error; err != nil {
		return err
	}
	for first := int64(1); first <= last; {
		err := s.writeRows(ctx, func(to *rowWriter) error {
			for pieces := 0; first <= last; pieces++ {
				_, err := to.change(`UPDATE entries SET status = x.status FROM exceptions x WHERE x.id = exception_id AND x.status <> entries.status
					AND exception_id IN (SELECT exception_id FROM entries WHERE run_id = ?1 AND seq BETWEEN ?2 AND ?3 AND change NOT IN ('new', 'still-open'))
					AND run_id NOT IN (SELECT run_id FROM sign_offs WHERE state = 'signed')`, run.ID, first, first+followedAtOnce-1)
				if first += followedAtOnce; err != nil || s.queue.urgentWaits() || pieces == 20 {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// followSame lets exceptions that are as they were show where their records stand now.
func (s *Store) followSame(ctx context.Context, run Run) error {
	for last, done := int64(0), false; !done; {
		err := s.writeRows(ctx, func(to *rowWriter) error {
			for pieces := 0; ; pieces++ {
				upTo, err := to.number(`SELECT coalesce(max(id), 0) FROM (SELECT id FROM exceptions WHERE sieve_id = ?1 AND presence = 'here' AND id > ?2 ORDER BY id LIMIT ?3)`, run.SieveID, last, followedAtOnce)
				if err != nil {
					return err
				}
				if upTo == 0 {
					done = true
					return nil
				}
				_, err = to.change(`UPDATE exceptions SET tray = e.tray, side = e.side, amount = e.amount, currency = e.currency, key_text = e.key_text,
					body_run = e.body_run, body_seq = e.body_seq FROM entries e WHERE e.exception_id = exceptions.id AND e.run_id = ?1 AND e.change = 'still-open'
					AND exceptions.sieve_id = ?2 AND exceptions.presence = 'here' AND exceptions.id > ?3 AND exceptions.id <= ?4`, run.ID, run.SieveID, last, upTo)
				if last = upTo; err != nil || s.queue.urgentWaits() || pieces == 20 {
					return err
				}
			}
		})
		if err != nil {
			return err
		}
	}
	return nil
}
