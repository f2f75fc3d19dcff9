// Package store keeps everything in one SQLite file through GORM. Nothing else knows its SQL.
//
// The file lies in a data directory that one process at a time may use. All changes go through one writer, people's
// before bulk ones, in short transactions; reads have connections of their own and never wait for a change.
//
// Snapshots and runs are written piece by piece and become visible only when they are sealed. What a crash leaves
// unsealed is removed by the next [Open].
package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/glebarez/sqlite"
	"github.com/gofrs/flock"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
	"zombiezen.com/go/sqlite/sqlitex"

	"twinsieve/core/spill"
)

// FileName is the name of the data file in its directory.
const FileName = "twinsieve.db"

// Store is an open data directory. Its methods may be called from several goroutines at once.
type Store struct {
	dir    string
	lock   *flock.Flock
	reads  *gorm.DB
	writes *gorm.DB
	rows   *rowWriter
	bulk   *rowReader
	queue  *queue
	near   *batchCache

	exceptions atomic.Int64 // the greatest number that one has
}

// Errors that callers tell apart.
var (
	ErrNotFound  = errors.New("not found")
	ErrNameTaken = errors.New("the name is taken")
	ErrChanged   = errors.New("it has been changed meanwhile")
	ErrFull      = errors.New("the disk is full")
	ErrNeeded    = errors.New("something that stays refers to it")
)

// InUseError says that another process uses the data directory.
type InUseError struct{ Dir string }

// Error implements error.
func (e *InUseError) Error() string {
	return fmt.Sprintf("the data directory %s is in use by another twinsieve; stop that one, or name another directory with --data", e.Dir)
}

// Open opens a data directory, and makes it where it is not there. It brings the schema up to date and removes what a
// crash left half done.
func Open(dir string) (_ *Store, err error) {
	if err := os.MkdirAll(filepath.Join(dir, "tmp"), 0o700); err != nil {
		return nil, fmt.Errorf("the data directory %s cannot be made or written: %w; name another with --data", dir, err)
	}
	s := &Store{dir: dir, lock: flock.New(filepath.Join(dir, "lock")), near: newBatchCache(64 << 20)}
	ok, err := s.lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("the data directory %s cannot be written: %w; name another with --data", dir, err)
	}
	if !ok {
		return nil, &InUseError{dir}
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, s.Close())
		}
	}()
	if err := spill.Clear(s.TempDir()); err != nil {
		return nil, err
	}
	if err := private(dir); err != nil {
		return nil, err
	}
	if s.writes, err = openDB(dir, 1, false); err != nil {
		return nil, err
	}
	if err := migrate(s.writes); err != nil {
		return nil, err
	}
	if s.reads, err = openDB(dir, 8, true); err != nil {
		return nil, err
	}
	if s.rows, err = openRows(filepath.Join(dir, FileName)); err != nil {
		return nil, err
	}
	if s.bulk, err = newRowReader(filepath.Join(dir, FileName)); err != nil {
		return nil, err
	}
	s.queue = newQueue(s.writes, s.rows)
	if err := s.clearRemains(context.Background()); err != nil {
		return nil, err
	}
	return s, s.countExceptions(context.Background())
}

// private makes the data file one that only its owner can read, also in a folder that others can look into. SQLite gives the files beside it
// the same mode.
func private(dir string) error {
	for _, ending := range []string{"", "-wal", "-shm"} {
		name := filepath.Join(dir, FileName+ending)
		if ending == "" {
			f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR, 0o600)
			if err != nil {
				return fmt.Errorf("the data file cannot be opened: %w", err)
			}
			if err := f.Close(); err != nil {
				return err
			}
		}
		if err := os.Chmod(name, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("the data file cannot be kept from others: %w", err)
		}
	}
	return nil
}

// Cache sets how many bytes of records that have been read stay in memory, 64 MiB where it is not set.
func (s *Store) Cache(bytes int64) { s.near.limit(bytes) }

// WritePages sets how many bytes of pages that rows are written into stay in memory.
func (s *Store) WritePages(bytes int64) error {
	return s.writeRows(context.Background(), func(w *rowWriter) error {
		return sqlitex.ExecuteTransient(w.conn, fmt.Sprintf("PRAGMA cache_size = -%d", bytes>>10), nil)
	})
}

// TempDir is where temporary files belong that must not outlive the process.
func (s *Store) TempDir() string { return filepath.Join(s.dir, "tmp") }

func openDB(dir string, connections int, queryOnly bool) (*gorm.DB, error) {
	pragmas := []string{"auto_vacuum(incremental)", "journal_mode(wal)", "synchronous(full)", "foreign_keys(1)", "busy_timeout(10000)"}
	if queryOnly {
		pragmas = []string{"query_only(1)", "busy_timeout(10000)"}
	}
	dsn := "file:" + (&url.URL{Path: filepath.Join(dir, FileName)}).EscapedPath() + "?_pragma=" + strings.Join(pragmas, "&_pragma=")
	db, err := gorm.Open(sqlite.Open(dsn), &gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true, TranslateError: true})
	if err != nil {
		return nil, fmt.Errorf("the data file in %s cannot be opened: %w", dir, err)
	}
	if err := numberRows(db); err != nil {
		return nil, err
	}
	sql, err := db.DB()
	if err != nil {
		return nil, err
	}
	sql.SetMaxOpenConns(connections)
	sql.SetMaxIdleConns(connections)
	return db, nil
}

// Close finishes the change that is being made, closes the file and frees the directory.
func (s *Store) Close() error {
	if s.queue != nil {
		s.queue.close()
	}
	var errs []error
	if s.rows != nil {
		errs = append(errs, s.rows.close())
	}
	if s.bulk != nil {
		errs = append(errs, s.bulk.close())
	}
	for _, db := range []*gorm.DB{s.reads, s.writes} {
		if db == nil {
			continue
		}
		if sql, err := db.DB(); err == nil {
			errs = append(errs, sql.Close())
		}
	}
	return errors.Join(append(errs, s.lock.Unlock())...)
}

// Ready reports whether the store answers.
func (s *Store) Ready(ctx context.Context) error {
	return s.reads.WithContext(ctx).Exec("SELECT 1").Error
}

// clearRemains removes what was not sealed and marks jobs that were under way as interrupted.
func (s *Store) clearRemains(ctx context.Context) error {
	var snapshots, runs []uint
	if err := s.reads.Model(&Snapshot{}).Where("sealed = 0").Pluck("id", &snapshots).Error; err != nil {
		return err
	}
	if err := s.reads.Model(&Run{}).Where("sealed = 0").Pluck("id", &runs).Error; err != nil {
		return err
	}
	for _, id := range snapshots {
		if err := s.dropSnapshot(ctx, id); err != nil {
			return err
		}
	}
	for _, id := range runs {
		if err := s.dropRun(ctx, id); err != nil {
			return err
		}
	}
	var behind []Run
	if err := s.reads.Where("sealed = 1 AND followed = 0").Order("id").Find(&behind).Error; err != nil {
		return err
	}
	for _, run := range behind {
		if err := s.followRest(ctx, run); err != nil {
			return err
		}
	}
	if err := s.thin(ctx); err != nil {
		return err
	}
	return s.write(ctx, urgent, func(tx *gorm.DB) error {
		return tx.Model(&Job{}).Where("state IN ?", []string{JobQueued, JobRunning}).Update("state", JobInterrupted).Error
	})
}

// priority says whose turn it is when several changes wait.
type priority int

const (
	urgent priority = iota // what people change
	bulk                   // what loads and runs write
)

type change struct {
	ctx  context.Context
	do   func(*gorm.DB) error
	rows func(*rowWriter) error // what it does instead, where it writes many rows
	done chan error
}

// queue is the one writer.
type queue struct {
	waiting [2]chan change
	wanted  atomic.Int64 // urgent changes that wait, or are being made
	quit    chan struct{}
	once    sync.Once
	ended   sync.WaitGroup
}

func newQueue(db *gorm.DB, rows *rowWriter) *queue {
	q := &queue{waiting: [2]chan change{make(chan change), make(chan change)}, quit: make(chan struct{})}
	q.ended.Go(func() {
		for {
			var c change
			select {
			case c = <-q.waiting[urgent]:
			default:
				select {
				case c = <-q.waiting[urgent]:
				case c = <-q.waiting[bulk]:
				case <-q.quit:
					return
				}
			}
			if c.rows != nil {
				c.done <- rows.transaction(c.ctx, c.rows)
			} else {
				c.done <- db.WithContext(c.ctx).Transaction(c.do)
			}
		}
	})
	return q
}

// urgentWaits reports, while a bulk change is being made, whether an urgent one waits for it.
func (q *queue) urgentWaits() bool { return q.wanted.Load() > 0 }

func (q *queue) close() {
	q.once.Do(func() { close(q.quit) })
	q.ended.Wait()
}

// ErrClosed is the answer to a change after [Store.Close].
var ErrClosed = errors.New("the store is closed")

// write makes a change in a transaction of its own, when its turn comes.
func (s *Store) write(ctx context.Context, p priority, do func(*gorm.DB) error) error {
	return s.queue.wait(p, change{ctx: ctx, do: do, done: make(chan error, 1)})
}

// writeRows writes many rows in a transaction of its own, when its turn comes.
func (s *Store) writeRows(ctx context.Context, do func(*rowWriter) error) error {
	return s.queue.wait(bulk, change{ctx: ctx, rows: do, done: make(chan error, 1)})
}

// wait waits until a change has been made.
func (q *queue) wait(p priority, c change) error {
	if p == urgent {
		q.wanted.Add(1)
		defer q.wanted.Add(-1)
	}
	select {
	case q.waiting[p] <- c:
	case <-c.ctx.Done():
		return c.ctx.Err()
	case <-q.quit:
		return ErrClosed
	}
	return plainError(<-c.done)
}

// plainError gives the errors that callers tell apart their names.
func plainError(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return ErrNameTaken
	case strings.Contains(err.Error(), "database or disk is full"):
		return fmt.Errorf("%w: %s", ErrFull, err)
	}
	return err
}

// giveBack returns the file's free pages to the system.
func (s *Store) giveBack(ctx context.Context) error {
	return s.write(ctx, bulk, func(tx *gorm.DB) error {
		var pages []int // the pragma frees a page for each row that is fetched
		return tx.Raw("PRAGMA incremental_vacuum").Scan(&pages).Error
	})
}
