package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"
)

// rowReader reads rows by the thousands, of which lists, hand-overs and runs consist. GORM takes longer to put one into a struct than all that is
// done with it afterwards. It has connections of its own, on which each statement is prepared once, so its statements are few: a list of
// numbers is one value, see [numbers].
type rowReader struct {
	pool *sqlitex.Pool
	once sync.Once
}

// rowReaders is how many can read at once; who comes later waits.
const rowReaders = 4

func newRowReader(file string) (*rowReader, error) {
	pool, err := sqlitex.NewPool(file, sqlitex.PoolOptions{Flags: sqlite.OpenReadWrite, PoolSize: rowReaders, PrepareConn: func(conn *sqlite.Conn) error {
		conn.SetBusyTimeout(10 * time.Second)
		return sqlitex.ExecuteTransient(conn, "PRAGMA query_only = 1", nil)
	}})
	if err != nil {
		return nil, fmt.Errorf("the data file cannot be opened to read rows: %w", err)
	}
	return &rowReader{pool: pool}, nil
}

func (r *rowReader) close() (err error) {
	r.once.Do(func() { err = r.pool.Close() })
	return err
}

// each visits the rows of a query.
func (r *rowReader) each(ctx context.Context, query string, values []any, visit func(row) error) (err error) {
	conn, err := r.pool.Take(ctx)
	if err != nil {
		return err
	}
	defer r.pool.Put(conn)
	stmt, err := conn.Prepare(query)
	if err != nil {
		return err
	}
	defer func() {
		err = errors.Join(err, stmt.Reset())
		if err != nil && ctx.Err() != nil {
			err = ctx.Err()
		}
	}()
	if err := bind(stmt, values); err != nil {
		return err
	}
	for {
		more, err := stmt.Step()
		if err != nil || !more {
			return err
		}
		if err := visit(row{stmt}); err != nil {
			return err
		}
	}
}

// row is a row that is being visited. Its columns are counted from 0.
type row struct{ stmt *sqlite.Stmt }

func (r row) text(column int) string  { return r.stmt.ColumnText(column) }
func (r row) number(column int) int64 { return r.stmt.ColumnInt64(column) }
func (r row) id(column int) uint      { return uint(r.stmt.ColumnInt64(column)) }

// textAs is a text, or what is given where it is the same, as it mostly is in columns of few values.
func (r row) textAs(column int, same string) string {
	if r.stmt.ColumnLen(column) == len(same) {
		var text [64]byte
		if n := r.stmt.ColumnBytes(column, text[:]); string(text[:n]) == same {
			return same
		}
	}
	return r.text(column)
}

func (r row) bytes(column int) []byte {
	b := make([]byte, r.stmt.ColumnLen(column))
	r.stmt.ColumnBytes(column, b)
	return b
}

// time is a time; of a column that has none, the zero time.
func (r row) time(column int) (time.Time, error) {
	if r.stmt.ColumnIsNull(column) {
		return time.Time{}, nil
	}
	return time.Parse(writtenTime, r.text(column))
}

// numbers is a list of numbers as one value of a query, which takes it apart with json_each.
func numbers[T int64 | uint](list []T) string {
	text, _ := json.Marshal(list) // numbers can always be written
	return string(text)
}
