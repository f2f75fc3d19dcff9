package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"
)

// rowWriter writes rows by the ten thousands, which the driver behind GORM does for most of its time by parsing the same statement anew.
// It has a connection of its own, on which each statement is prepared once. Only the queue uses it, so that there is still one writer.
//
// Its transactions are not synchronized with the disk one by one: what it writes counts only from a later transaction on, which is, and
// the disk's with it. Nor is it checked with each row that its run or snapshot is there: both have been made by who writes the row.
type rowWriter struct {
	conn *sqlite.Conn
}

func openRows(file string) (*rowWriter, error) {
	conn, err := sqlite.OpenConn(file, sqlite.OpenReadWrite)
	if err != nil {
		return nil, fmt.Errorf("the data file cannot be opened to write rows: %w", err)
	}
	for _, pragma := range []string{"synchronous = normal", "cache_size = -16000", "wal_autocheckpoint = 4000"} {
		if err := sqlitex.ExecuteTransient(conn, "PRAGMA "+pragma, nil); err != nil {
			return nil, errors.Join(err, conn.Close())
		}
	}
	conn.SetBusyTimeout(10 * time.Second)
	return &rowWriter{conn}, nil
}

func (w *rowWriter) close() error { return w.conn.Close() }

// transaction does something wholly or not at all.
func (w *rowWriter) transaction(ctx context.Context, do func(*rowWriter) error) (err error) {
	w.conn.SetInterrupt(ctx.Done())
	defer w.conn.SetInterrupt(nil)
	end, err := sqlitex.ImmediateTransaction(w.conn)
	if err != nil {
		return err
	}
	defer func() {
		if end(&err); err != nil && ctx.Err() != nil {
			err = ctx.Err()
		}
	}()
	return do(w)
}

// number is the one number that a query gives.
func (w *rowWriter) number(query string) (n int64, err error) {
	stmt, err := w.conn.Prepare(query)
	if err != nil {
		return 0, err
	}
	n, err = sqlitex.ResultInt64(stmt)
	return n, err
}

// insert executes a statement for a row of texts, numbers, bytes and times, which are kept as GORM keeps them.
func (w *rowWriter) insert(statement string, values ...any) error {
	stmt, err := w.conn.Prepare(statement)
	if err != nil {
		return err
	}
	for i, v := range values {
		switch v := v.(type) {
		case string:
			stmt.BindText(i+1, v)
		case int64:
			stmt.BindInt64(i+1, v)
		case int:
			stmt.BindInt64(i+1, int64(v))
		case uint:
			stmt.BindInt64(i+1, int64(v))
		case []byte:
			stmt.BindBytes(i+1, v)
		case time.Time:
			stmt.BindText(i+1, v.Format(timeLayout))
		default:
			return fmt.Errorf("a value of type %T cannot be written", v)
		}
	}
	if _, err = stmt.Step(); err != nil {
		return errors.Join(err, stmt.Reset())
	}
	return stmt.Reset()
}

// timeLayout is how times stand in the data file.
const timeLayout = "2006-01-02 15:04:05.999999999-07:00"
