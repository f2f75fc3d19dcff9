package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
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

// rowsAtOnce is how many rows one statement writes. While it runs it stays at its place in the table and in each index, which rows that come in
// order need not be looked for again.
const rowsAtOnce = 100

// insert writes rows into columns of a table, whose names have commas between them.
func (w *rowWriter) insert(table, columns string, rows [][]any) error {
	for part := range slices.Chunk(rows, rowsAtOnce) {
		if len(part) < rowsAtOnce { // statements are kept, so that there are two of them
			for _, row := range part {
				if err := w.insertSome(table, columns, row, 1); err != nil {
					return err
				}
			}
			continue
		}
		if err := w.insertSome(table, columns, slices.Concat(part...), rowsAtOnce); err != nil {
			return err
		}
	}
	return nil
}

func (w *rowWriter) insertSome(table, columns string, values []any, rows int) error {
	one := "(?" + strings.Repeat(",?", len(values)/rows-1) + ")"
	// A transaction goes back whole when a row fails. So SQLite need not be able to take a statement back by itself, for which it would keep a journal of each.
	_, err := w.change("INSERT OR FAIL INTO "+table+" ("+columns+") VALUES "+one+strings.Repeat(","+one, rows-1), values...)
	return err
}

// change executes a statement, and says how many rows it has written or deleted.
func (w *rowWriter) change(statement string, values ...any) (rows int, err error) {
	stmt, err := w.conn.Prepare(statement)
	if err != nil {
		return 0, err
	}
	if err := bind(stmt, values); err != nil {
		return 0, err
	}
	if _, err = stmt.Step(); err != nil {
		return 0, errors.Join(err, stmt.Reset())
	}
	return w.conn.Changes(), stmt.Reset()
}

// bind gives a statement the values of its parameters: texts, numbers, bytes and times, which stand in the data file as GORM writes them.
func bind(stmt *sqlite.Stmt, values []any) error {
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
			stmt.BindText(i+1, v.Format(writtenTime))
		default:
			return fmt.Errorf("a value of type %T is none of the data file's", v)
		}
	}
	return nil
}
