package store

import (
	"fmt"

	"github.com/klauspost/compress/zstd"
	"zombiezen.com/go/sqlite/sqlitex"
)

// LimitPages makes the data file refuse to grow beyond its present size and so many pages, as a full disk does.
// A negative number lifts the limit.
func (s *Store) LimitPages(more int) error {
	var now int
	if err := s.writes.Raw("PRAGMA page_count").Scan(&now).Error; err != nil {
		return err
	}
	limit := now + more
	if more < 0 {
		limit = 1 << 30
	}
	pragma := fmt.Sprintf("PRAGMA max_page_count = %d", limit)
	if err := sqlitex.ExecuteTransient(s.rows.conn, pragma, nil); err != nil {
		return err
	}
	var got int
	return s.writes.Raw(pragma).Scan(&got).Error
}

// Integrity is what SQLite's integrity check says.
func (s *Store) Integrity() (found []string, err error) {
	return found, s.writes.Raw("PRAGMA integrity_check").Scan(&found).Error
}

// Rows counts the rows of a table.
func (s *Store) Rows(table string) (n int64, err error) {
	return n, s.reads.Table(table).Count(&n).Error
}

// Pages is the number of pages of the file.
func (s *Store) Pages() (n int64, err error) {
	return n, s.writes.Raw("PRAGMA page_count").Scan(&n).Error
}

// Migrated writes down that a migration of some other program has been applied.
func (s *Store) Migrated(number int) error {
	return s.writes.Exec("INSERT INTO migrations VALUES (?, 'of a newer program', '2031-01-01')", number).Error
}

// Old makes a data file of an earlier schema, and runs statements in it.
func Old(dir string, schema int, statements ...string) error {
	all := migrations
	migrations = migrations[:schema]
	defer func() { migrations = all }()
	db, err := openDB(dir, 1, false)
	if err != nil {
		return err
	}
	if err := migrate(db); err != nil {
		return err
	}
	for _, text := range statements {
		if err := db.Exec(text).Error; err != nil {
			return err
		}
	}
	sql, err := db.DB()
	if err != nil {
		return err
	}
	return sql.Close()
}

// Exec runs a statement in the data file.
func (s *Store) Exec(sql string) error { return s.writes.Exec(sql).Error }

// Near is how many bytes of decoded records are kept at hand.
func (s *Store) Near() int64 {
	s.near.mu.Lock()
	defer s.near.mu.Unlock()
	return s.near.held
}

// ZstdOfBefore packs text as blobs were packed before.
func ZstdOfBefore(text string) []byte {
	w, err := zstd.NewWriter(nil)
	if err != nil {
		panic(err)
	}
	return w.EncodeAll([]byte(text), nil)
}
