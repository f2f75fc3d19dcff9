package store

import (
	"fmt"
	"time"

	"gorm.io/gorm"
)

// migrations bring a file from one schema to the next. Their numbers are their places, counted from 1. A migration that
// has been released is never changed; what is to be different comes as a new one.
var migrations = []struct {
	name string
	sql  []string
}{
	{"record sets, sieves, runs and jobs", []string{
		`CREATE TABLE record_sets (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, created DATETIME NOT NULL)`,
		`CREATE TABLE snapshots (id INTEGER PRIMARY KEY, record_set_id INTEGER NOT NULL REFERENCES record_sets(id), number INTEGER NOT NULL,
			columns TEXT NOT NULL, starts TEXT NOT NULL, records INTEGER NOT NULL, rejects INTEGER NOT NULL, bytes INTEGER NOT NULL,
			hash TEXT NOT NULL, source TEXT NOT NULL, delimiter TEXT NOT NULL, created DATETIME NOT NULL, sealed INTEGER NOT NULL)`,
		`CREATE UNIQUE INDEX snapshots_of_set ON snapshots (record_set_id, number) WHERE sealed = 1`,
		`CREATE TABLE chunks (snapshot_id INTEGER NOT NULL REFERENCES snapshots(id), batch INTEGER NOT NULL, "column" INTEGER NOT NULL, blob BLOB NOT NULL,
			PRIMARY KEY (snapshot_id, batch, "column"))`,
		`CREATE TABLE rejects (snapshot_id INTEGER NOT NULL REFERENCES snapshots(id), line INTEGER NOT NULL, reason TEXT NOT NULL, text TEXT NOT NULL,
			PRIMARY KEY (snapshot_id, line)) WITHOUT ROWID`,
		`CREATE TABLE sieves (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, version INTEGER NOT NULL, created DATETIME NOT NULL, updated DATETIME NOT NULL)`,
		`CREATE TABLE sieve_versions (sieve_id INTEGER NOT NULL REFERENCES sieves(id), version INTEGER NOT NULL, definition TEXT NOT NULL, created DATETIME NOT NULL,
			PRIMARY KEY (sieve_id, version)) WITHOUT ROWID`,
		`CREATE TABLE runs (id INTEGER PRIMARY KEY, sieve_id INTEGER NOT NULL, version INTEGER NOT NULL, number INTEGER NOT NULL,
			left_id INTEGER NOT NULL, right_id INTEGER NOT NULL, header TEXT NOT NULL, totals TEXT NOT NULL,
			started DATETIME NOT NULL, finished DATETIME NOT NULL, sealed INTEGER NOT NULL)`,
		`CREATE TABLE index_parts (run_id INTEGER NOT NULL REFERENCES runs(id), side INTEGER NOT NULL, part INTEGER NOT NULL, blob BLOB NOT NULL,
			PRIMARY KEY (run_id, side, part))`,
		`CREATE TABLE entries (run_id INTEGER NOT NULL REFERENCES runs(id), seq INTEGER NOT NULL, tray TEXT NOT NULL, side TEXT NOT NULL,
			status TEXT NOT NULL, body TEXT NOT NULL, search TEXT NOT NULL, PRIMARY KEY (run_id, seq)) WITHOUT ROWID`,
		`CREATE INDEX entries_by_tray ON entries (run_id, tray, seq)`,
		`CREATE TABLE jobs (id TEXT PRIMARY KEY, kind TEXT NOT NULL, subject TEXT NOT NULL, state TEXT NOT NULL, error TEXT NOT NULL, result TEXT NOT NULL,
			started DATETIME NOT NULL, finished DATETIME)`,
	}},
	{"how snapshots were read, control figures and profiles", []string{
		`ALTER TABLE snapshots ADD COLUMN recipe TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE snapshots ADD COLUMN findings TEXT NOT NULL DEFAULT ''`,
		// Several rejects may be on one line, so they are numbered.
		`CREATE TABLE rejects_numbered (snapshot_id INTEGER NOT NULL REFERENCES snapshots(id), seq INTEGER NOT NULL, line INTEGER NOT NULL,
			reason TEXT NOT NULL, text TEXT NOT NULL, PRIMARY KEY (snapshot_id, seq)) WITHOUT ROWID`,
		`INSERT INTO rejects_numbered SELECT snapshot_id, row_number() OVER (PARTITION BY snapshot_id ORDER BY line), line, reason, text FROM rejects`,
		`DROP TABLE rejects`,
		`ALTER TABLE rejects_numbered RENAME TO rejects`,
		`CREATE TABLE profiles (snapshot_id INTEGER PRIMARY KEY REFERENCES snapshots(id), body TEXT NOT NULL)`,
	}},
	{"connections to databases", []string{
		`CREATE TABLE connections (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, version INTEGER NOT NULL, body TEXT NOT NULL, secret BLOB,
			created DATETIME NOT NULL, updated DATETIME NOT NULL)`,
	}},
	{"crosswalks", []string{
		`CREATE TABLE acceptances (id INTEGER PRIMARY KEY, sieve_id INTEGER NOT NULL, kind TEXT NOT NULL, body TEXT NOT NULL, reason TEXT NOT NULL,
			score REAL NOT NULL, source TEXT NOT NULL, by TEXT NOT NULL, version INTEGER NOT NULL, created DATETIME NOT NULL,
			ended_version INTEGER NOT NULL, ended_by TEXT NOT NULL, ended DATETIME)`,
		`CREATE INDEX acceptances_of_sieve ON acceptances (sieve_id, id)`,
	}},
	{"people and the history", []string{
		`CREATE TABLE people (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, full_name TEXT NOT NULL, role TEXT NOT NULL, password TEXT NOT NULL,
			active INTEGER NOT NULL, version INTEGER NOT NULL, created DATETIME NOT NULL, updated DATETIME NOT NULL)`,
		`CREATE TABLE sessions (hash TEXT PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), created DATETIME NOT NULL, seen DATETIME NOT NULL,
			expires DATETIME NOT NULL) WITHOUT ROWID`,
		`CREATE TABLE tokens (id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), label TEXT NOT NULL, hash TEXT NOT NULL UNIQUE,
			created DATETIME NOT NULL, expires DATETIME NOT NULL, seen DATETIME, revoked DATETIME)`,
		`CREATE TABLE links (hash TEXT PRIMARY KEY, kind TEXT NOT NULL, person_id INTEGER NOT NULL, created DATETIME NOT NULL, expires DATETIME NOT NULL,
			used DATETIME) WITHOUT ROWID`,
		`CREATE TABLE history (seq INTEGER PRIMARY KEY, at TEXT NOT NULL, person_id INTEGER NOT NULL, person TEXT NOT NULL, action TEXT NOT NULL,
			kind TEXT NOT NULL, subject TEXT NOT NULL, details TEXT NOT NULL, prev TEXT NOT NULL, hash TEXT NOT NULL)`,
		`CREATE INDEX history_of_subject ON history (kind, subject, seq)`,
		`CREATE TRIGGER history_stays BEFORE UPDATE ON history BEGIN SELECT raise(ABORT, 'the history is only added to'); END`,
		`CREATE TRIGGER history_keeps BEFORE DELETE ON history BEGIN SELECT raise(ABORT, 'the history is only added to'); END`,
	}},
	{"exceptions that live on from run to run, and the work on them", []string{
		`CREATE TABLE exceptions (id INTEGER PRIMARY KEY, sieve_id INTEGER NOT NULL, side TEXT NOT NULL, tray TEXT NOT NULL, status TEXT NOT NULL,
			owner TEXT NOT NULL, reason TEXT NOT NULL, version INTEGER NOT NULL, opened DATETIME NOT NULL, opened_run INTEGER NOT NULL,
			presence TEXT NOT NULL, settled DATETIME, amount TEXT NOT NULL, size BLOB NOT NULL, key_text TEXT NOT NULL, body_run INTEGER NOT NULL,
			body_seq INTEGER NOT NULL, changed_seq INTEGER NOT NULL, changed_by TEXT NOT NULL, comments INTEGER NOT NULL, attachments INTEGER NOT NULL)`,
		`CREATE INDEX exceptions_of_sieve ON exceptions (sieve_id, id)`,
		`CREATE INDEX exceptions_opened ON exceptions (opened_run)`,
		`CREATE INDEX exceptions_shown ON exceptions (body_run, body_seq)`,
		`CREATE INDEX exceptions_changed ON exceptions (changed_seq)`,
		`CREATE TABLE entry_bodies (run_id INTEGER NOT NULL REFERENCES runs(id), seq INTEGER NOT NULL, body TEXT NOT NULL,
			PRIMARY KEY (run_id, seq)) WITHOUT ROWID`,
		`INSERT INTO entry_bodies SELECT run_id, seq, body FROM entries`,
		`CREATE TABLE entries_following (run_id INTEGER NOT NULL REFERENCES runs(id), seq INTEGER NOT NULL, tray TEXT NOT NULL, side TEXT NOT NULL,
			change TEXT NOT NULL, status TEXT NOT NULL, owner TEXT NOT NULL, reason TEXT NOT NULL, exception_id INTEGER NOT NULL, opened DATETIME NOT NULL,
			amount TEXT NOT NULL, size BLOB NOT NULL, differs INTEGER NOT NULL, key_text TEXT NOT NULL, body_run INTEGER NOT NULL, body_seq INTEGER NOT NULL,
			search TEXT NOT NULL, PRIMARY KEY (run_id, seq)) WITHOUT ROWID`,
		`INSERT INTO entries_following SELECT e.run_id, seq, tray, side, 'new', status, '', '', 0, r.finished, '', X'', 0,
			lower(replace(replace(replace(coalesce(json_extract(body, '$.key'), ''), '["', ''), '"]', ''), '","', ' ')), e.run_id, seq, search
			FROM entries e JOIN runs r ON r.id = e.run_id`,
		// Only the newest run of each sieve is followed on; what older ones found may long be something else.
		`INSERT INTO exceptions (sieve_id, side, tray, status, owner, reason, version, opened, opened_run, presence, amount, size, key_text, body_run, body_seq,
			changed_seq, changed_by, comments, attachments)
			SELECT r.sieve_id, e.side, e.tray, e.status, '', '', 1, r.finished, r.id, 'here', '', X'', e.key_text, e.run_id, e.seq, 0, '', 0, 0
			FROM entries_following e JOIN runs r ON r.id = e.run_id WHERE r.id IN (SELECT max(id) FROM runs WHERE sealed = 1 GROUP BY sieve_id)`,
		`UPDATE entries_following SET exception_id = x.id FROM exceptions x WHERE x.body_run = run_id AND x.body_seq = seq`,
		`DROP TABLE entries`,
		`ALTER TABLE entries_following RENAME TO entries`,
		`CREATE INDEX entries_of_exception ON entries (exception_id)`,
		`CREATE INDEX entries_shown ON entries (body_run, body_seq) WHERE body_run <> run_id`,
		`CREATE TABLE comments (id INTEGER PRIMARY KEY, exception_id INTEGER NOT NULL REFERENCES exceptions(id), person_id INTEGER NOT NULL, person TEXT NOT NULL,
			text TEXT NOT NULL, created DATETIME NOT NULL)`,
		`CREATE INDEX comments_of_exception ON comments (exception_id, id)`,
		`CREATE TABLE mentions (comment_id INTEGER NOT NULL REFERENCES comments(id), person_id INTEGER NOT NULL, exception_id INTEGER NOT NULL, seen INTEGER NOT NULL,
			PRIMARY KEY (person_id, comment_id)) WITHOUT ROWID`,
		`CREATE TABLE attachments (id INTEGER PRIMARY KEY, exception_id INTEGER NOT NULL REFERENCES exceptions(id), person TEXT NOT NULL, name TEXT NOT NULL,
			bytes INTEGER NOT NULL, hash TEXT NOT NULL, created DATETIME NOT NULL)`,
		`CREATE INDEX attachments_of_exception ON attachments (exception_id, id)`,
		`CREATE TABLE attachment_blobs (id INTEGER PRIMARY KEY REFERENCES attachments(id), blob BLOB NOT NULL)`,
		`CREATE TABLE reasons (id INTEGER PRIMARY KEY, text TEXT NOT NULL UNIQUE, active INTEGER NOT NULL)`,
		`INSERT INTO reasons (text, active) VALUES ('timing', 1), ('keying mistake', 1), ('rounding', 1), ('billed twice', 1), ('not ours', 1), ('agreed with the other side', 1)`,
		`CREATE TABLE actions (id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL, person_id INTEGER NOT NULL, person TEXT NOT NULL, says TEXT NOT NULL,
			items INTEGER NOT NULL, created DATETIME NOT NULL, undone DATETIME, undone_by TEXT NOT NULL)`,
		`CREATE TABLE action_items (action_id INTEGER NOT NULL REFERENCES actions(id), exception_id INTEGER NOT NULL, status TEXT NOT NULL, owner TEXT NOT NULL,
			reason TEXT NOT NULL, settled DATETIME, version INTEGER NOT NULL, PRIMARY KEY (action_id, exception_id)) WITHOUT ROWID`,
		`CREATE TABLE sign_offs (run_id INTEGER PRIMARY KEY REFERENCES runs(id), state TEXT NOT NULL, version INTEGER NOT NULL, preparer TEXT NOT NULL,
			submitted DATETIME, reviewer TEXT NOT NULL, signed DATETIME, note TEXT NOT NULL)`,
		`CREATE TABLE saved_filters (id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES people(id), name TEXT NOT NULL, query TEXT NOT NULL,
			created DATETIME NOT NULL, UNIQUE (person_id, name))`,
	}},
	{"links by which others read reports", []string{
		`CREATE TABLE shares (id INTEGER PRIMARY KEY, hash TEXT NOT NULL UNIQUE, run_id INTEGER NOT NULL REFERENCES runs(id), query TEXT NOT NULL, says TEXT NOT NULL,
			person TEXT NOT NULL, created DATETIME NOT NULL, expires DATETIME NOT NULL, revoked DATETIME)`,
	}},
	{"webhooks", []string{
		`CREATE TABLE webhooks (id INTEGER PRIMARY KEY, address TEXT NOT NULL, secret BLOB NOT NULL, events TEXT NOT NULL, person TEXT NOT NULL, created DATETIME NOT NULL)`,
		`CREATE TABLE deliveries (id INTEGER PRIMARY KEY, webhook_id INTEGER NOT NULL REFERENCES webhooks(id), event TEXT NOT NULL, body TEXT NOT NULL, state TEXT NOT NULL,
			attempts INTEGER NOT NULL, status INTEGER NOT NULL, error TEXT NOT NULL, due DATETIME NOT NULL, created DATETIME NOT NULL, finished DATETIME)`,
		`CREATE INDEX deliveries_due ON deliveries (state, due)`,
		`CREATE INDEX deliveries_of_webhook ON deliveries (webhook_id, id)`,
	}},
	{"schedules", []string{
		`CREATE TABLE schedules (sieve_id INTEGER PRIMARY KEY, cron TEXT NOT NULL, zone TEXT NOT NULL, watch INTEGER NOT NULL, "both" INTEGER NOT NULL,
			active INTEGER NOT NULL, person_id INTEGER NOT NULL, person TEXT NOT NULL, version INTEGER NOT NULL, fired DATETIME NOT NULL, says TEXT NOT NULL,
			at DATETIME NOT NULL, updated DATETIME NOT NULL, marks TEXT NOT NULL)`,
	}},
	{"currencies of amounts", []string{
		`ALTER TABLE entries ADD COLUMN currency TEXT NOT NULL DEFAULT ''`,
		`ALTER TABLE exceptions ADD COLUMN currency TEXT NOT NULL DEFAULT ''`,
	}},
	{"indexes of what is pending", []string{
		`CREATE INDEX exceptions_pending_size ON exceptions (size DESC, id, sieve_id, opened_run, owner) WHERE status IN ('open', 'in-progress') AND presence <> 'cleared'`,
		`CREATE INDEX exceptions_pending_age ON exceptions (opened, id, sieve_id, opened_run, owner) WHERE status IN ('open', 'in-progress') AND presence <> 'cleared'`,
	}},
	{"records that runs carry in", []string{
		`CREATE TABLE carried_chunks (run_id INTEGER NOT NULL REFERENCES runs(id), side INTEGER NOT NULL, batch INTEGER NOT NULL, "column" INTEGER NOT NULL,
			blob BLOB NOT NULL, PRIMARY KEY (run_id, side, batch, "column")) WITHOUT ROWID`,
	}},
	{"fewer indexes to be written with each new exception", []string{
		`DROP INDEX exceptions_changed`,
		`CREATE INDEX exceptions_changed ON exceptions (changed_seq) WHERE changed_seq > 0`,
		`DROP INDEX exceptions_opened`,
		`CREATE INDEX exceptions_opened ON exceptions (opened_run, body_seq)`,
		`DROP INDEX exceptions_shown`,
		`CREATE INDEX exceptions_shown ON exceptions (body_run, body_seq) WHERE body_run <> opened_run`,
	}},
	{packedBodies, []string{
		`CREATE TABLE body_blocks (run_id INTEGER NOT NULL REFERENCES runs(id), block INTEGER NOT NULL, blob BLOB NOT NULL, PRIMARY KEY (run_id, block)) WITHOUT ROWID`,
		`DROP INDEX exceptions_of_sieve`,
		`DROP INDEX exceptions_opened`,
		`CREATE INDEX exceptions_opened ON exceptions (opened_run)`,
		`ALTER TABLE runs ADD COLUMN followed INTEGER NOT NULL DEFAULT 1`,
	}},
	{"exceptions that nothing has become of have no rows", []string{
		`DELETE FROM exceptions WHERE opened_run IN (SELECT id FROM runs WHERE sealed = 0)`,
		`DROP INDEX exceptions_opened`,
		`DROP INDEX exceptions_shown`,
		`DROP INDEX exceptions_pending_size`,
		`DROP INDEX exceptions_pending_age`,
		`ALTER TABLE exceptions DROP COLUMN opened_run`,
		`CREATE INDEX exceptions_of_sieve ON exceptions (sieve_id, presence)`,
		`CREATE INDEX exceptions_shown ON exceptions (body_run, body_seq)`,
		`CREATE INDEX exceptions_pending_size ON exceptions (size DESC, id, sieve_id, owner) WHERE status IN ('open', 'in-progress') AND presence <> 'cleared'`,
		`CREATE INDEX exceptions_pending_age ON exceptions (opened, id, sieve_id, owner) WHERE status IN ('open', 'in-progress') AND presence <> 'cleared'`,
		`CREATE TABLE found_blocks (run_id INTEGER NOT NULL REFERENCES runs(id), sort INTEGER NOT NULL, block INTEGER NOT NULL, last BLOB NOT NULL, blob BLOB NOT NULL,
			PRIMARY KEY (run_id, sort, block)) WITHOUT ROWID`,
		`ALTER TABLE runs ADD COLUMN here INTEGER NOT NULL DEFAULT 0`,
		`UPDATE runs SET here = (SELECT count(*) FROM entries WHERE run_id = runs.id AND exception_id > 0 AND change NOT IN ('cleared', 'absent'))`,
	}},
	{"exceptions that are gone are found by hashes", []string{
		`ALTER TABLE exceptions ADD COLUMN reading INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE exceptions ADD COLUMN left_hash INTEGER NOT NULL DEFAULT 0`,
		`ALTER TABLE exceptions ADD COLUMN right_hash INTEGER NOT NULL DEFAULT 0`,
		`CREATE INDEX exceptions_cleared ON exceptions (sieve_id, reading) WHERE presence = 'cleared'`,
		`CREATE INDEX exceptions_left ON exceptions (sieve_id, left_hash) WHERE left_hash <> 0 AND presence <> 'here'`,
		`CREATE INDEX exceptions_right ON exceptions (sieve_id, right_hash) WHERE right_hash <> 0 AND presence <> 'here'`,
	}},
	{packedEntries, []string{
		`CREATE TABLE entry_blocks (run_id INTEGER NOT NULL REFERENCES runs(id), block INTEGER NOT NULL, entries INTEGER NOT NULL, least INTEGER NOT NULL, most INTEGER NOT NULL,
			oldest INTEGER NOT NULL, exceptions BLOB NOT NULL, blob BLOB NOT NULL, PRIMARY KEY (run_id, block))`,
		`CREATE INDEX entry_blocks_of_exceptions ON entry_blocks (run_id, most, least, block)`,
		`CREATE TABLE turned (run_id INTEGER NOT NULL REFERENCES runs(id), exception_id INTEGER NOT NULL, tray TEXT NOT NULL, side TEXT NOT NULL, change TEXT NOT NULL,
			status TEXT NOT NULL, opened DATETIME NOT NULL, amount TEXT NOT NULL, currency TEXT NOT NULL, size BLOB NOT NULL, key_text TEXT NOT NULL, body_run INTEGER NOT NULL,
			body_seq INTEGER NOT NULL, reading INTEGER NOT NULL, left_hash INTEGER NOT NULL, right_hash INTEGER NOT NULL, PRIMARY KEY (run_id, exception_id)) WITHOUT ROWID`,
		// In a table without row numbers a row is looked for by reading the others whole, which takes long where these are blobs.
		`CREATE TABLE body_blocks_numbered (run_id INTEGER NOT NULL REFERENCES runs(id), block INTEGER NOT NULL, blob BLOB NOT NULL, PRIMARY KEY (run_id, block))`,
		`INSERT INTO body_blocks_numbered SELECT run_id, block, blob FROM body_blocks`,
		`DROP TABLE body_blocks`,
		`ALTER TABLE body_blocks_numbered RENAME TO body_blocks`,
		`CREATE TABLE found_blocks_numbered (run_id INTEGER NOT NULL REFERENCES runs(id), sort INTEGER NOT NULL, block INTEGER NOT NULL, last BLOB NOT NULL, blob BLOB NOT NULL,
			PRIMARY KEY (run_id, sort, block))`,
		`INSERT INTO found_blocks_numbered SELECT run_id, sort, block, last, blob FROM found_blocks`,
		`DROP TABLE found_blocks`,
		`ALTER TABLE found_blocks_numbered RENAME TO found_blocks`,
		`CREATE TABLE carried_chunks_numbered (run_id INTEGER NOT NULL REFERENCES runs(id), side INTEGER NOT NULL, batch INTEGER NOT NULL, "column" INTEGER NOT NULL,
			blob BLOB NOT NULL, PRIMARY KEY (run_id, side, batch, "column"))`,
		`INSERT INTO carried_chunks_numbered SELECT run_id, side, batch, "column", blob FROM carried_chunks`,
		`DROP TABLE carried_chunks`,
		`ALTER TABLE carried_chunks_numbered RENAME TO carried_chunks`,
	}},
	{"numbers that are given once", numbersMigration()},
	{"when the values of exceptions have moved", []string{
		`ALTER TABLE exceptions ADD COLUMN moved_run INTEGER NOT NULL DEFAULT 0`,
		// What has been cleared and is opened again is pending, too.
		`DROP INDEX exceptions_pending_size`,
		`DROP INDEX exceptions_pending_age`,
		`CREATE INDEX exceptions_pending_size ON exceptions (size DESC, id, sieve_id, owner) WHERE status IN ('open', 'in-progress')`,
		`CREATE INDEX exceptions_pending_age ON exceptions (opened, id, sieve_id, owner) WHERE status IN ('open', 'in-progress')`,
	}},
}

// rewrites are what SQL cannot do of a migration, and what is done of it behind its statements.
var rewrites = map[string]func(*gorm.DB) error{packedBodies: packBodyRows, packedEntries: packEntryRows}

const (
	packedBodies  = "what people see of entries in packed blocks"
	packedEntries = "entries of reports in packed blocks"
)

// migrate brings the schema up to date, one migration a transaction.
func migrate(db *gorm.DB) error {
	if err := db.Exec(`CREATE TABLE IF NOT EXISTS migrations (number INTEGER PRIMARY KEY, name TEXT NOT NULL, applied DATETIME NOT NULL)`).Error; err != nil {
		return fmt.Errorf("the data file cannot be written: %w", plainError(err))
	}
	var done int
	if err := db.Raw(`SELECT coalesce(max(number), 0) FROM migrations`).Scan(&done).Error; err != nil {
		return err
	}
	if done > len(migrations) {
		return fmt.Errorf("the data file has schema %d and this twinsieve knows %d; use the newer twinsieve that wrote it", done, len(migrations))
	}
	for n := done; n < len(migrations); n++ {
		err := db.Transaction(func(tx *gorm.DB) error {
			for _, sql := range migrations[n].sql {
				if err := tx.Exec(sql).Error; err != nil {
					return err
				}
			}
			if rewrite := rewrites[migrations[n].name]; rewrite != nil {
				if err := rewrite(tx); err != nil {
					return err
				}
			}
			return tx.Exec(`INSERT INTO migrations VALUES (?, ?, ?)`, n+1, migrations[n].name, time.Now().UTC()).Error
		})
		if err != nil {
			return fmt.Errorf("migration %d (%s): %w", n+1, migrations[n].name, plainError(err))
		}
	}
	return nil
}
