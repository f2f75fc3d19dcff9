package sources

import (
	"context"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"zombiezen.com/go/sqlite"

	"twinsieve/core/exact"
	"twinsieve/core/record"
)

// sqliteFile reads an SQLite file. SQLite keeps a value in one of five forms, whatever its column says: a decimal that was
// written into a column of numbers is kept as a floating-point number, and so written as that.
type sqliteFile struct{}

func (sqliteFile) open(ctx context.Context, c Connection, query string, _ time.Duration) (_ rows, err error) {
	if info, err := os.Stat(c.File); err != nil || !info.Mode().IsRegular() {
		return nil, &Fault{Unreachable, "the SQLite file is not there, or cannot be read"}
	}
	conn, err := sqlite.OpenConn(c.File, sqlite.OpenReadOnly)
	if err != nil {
		return nil, &Fault{Unreachable, "the SQLite file cannot be read: " + oneLine(err.Error())}
	}
	r := &sqliteRows{conn: conn}
	defer func() {
		if err != nil {
			_ = r.close()
		}
	}()
	conn.SetInterrupt(ctx.Done())
	conn.SetBusyTimeout(connectLimit)
	conn.Limit(sqlite.LimitAttached, 0)                   // no way to other files
	conn.Limit(sqlite.LimitLength, record.MaxRecordBytes) // a value that could be in no record is not made
	for _, set := range []string{"PRAGMA query_only = 1", "BEGIN"} {
		if err := sqliteRun(conn, set); err != nil {
			return nil, sqliteFault(err)
		}
	}
	stmt, rest, err := conn.PrepareTransient(query)
	if err != nil {
		return nil, sqliteFault(err)
	}
	r.stmt = stmt
	if left := strings.TrimSpace(query[len(query)-rest:]); strings.Trim(left, "; \t\r\n") != "" {
		return nil, &Fault{Refused, fmt.Sprintf("the query has a second statement, %q; write one that selects rows", cut(left))}
	}
	if r.more, err = stmt.Step(); err != nil {
		return nil, sqliteFault(err)
	}
	for i := range stmt.ColumnCount() {
		name := stmt.ColumnName(i)
		if name == "" { // the library forgets a name that a later column has, too
			return nil, &record.Unreadable{What: fmt.Sprintf("column %d of the query has the name of another, or none; give each column a name of its own with AS", i+1)}
		}
		r.names = append(r.names, name)
	}
	r.cells, r.buffers = make([][]byte, len(r.names)), make([][]byte, len(r.names))
	return r, nil
}

func cut(text string) string {
	if r := []rune(text); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return text
}

func sqliteRun(conn *sqlite.Conn, text string) error {
	stmt, _, err := conn.PrepareTransient(text)
	if err != nil {
		return err
	}
	_, err = stmt.Step()
	if finished := stmt.Finalize(); err == nil {
		err = finished
	}
	return err
}

// quote takes a name as one: an SQLite file has no schemas.
func (sqliteFile) quote(table string) string {
	return `"` + strings.ReplaceAll(table, `"`, `""`) + `"`
}

func (sqliteFile) tables() string {
	return `SELECT '' AS s, m.name AS t, m.type = 'view' AS v, c.name AS c FROM sqlite_schema m JOIN pragma_table_info(m.name) c
	WHERE m.type IN ('table', 'view') AND m.name NOT LIKE 'sqlite\_%' ESCAPE '\' ORDER BY m.name, c.cid`
}

type sqliteRows struct {
	conn    *sqlite.Conn
	stmt    *sqlite.Stmt
	names   []string
	cells   [][]byte
	buffers [][]byte
	more    bool // a row has been stepped to, and not been given out
	ended   bool
}

func (r *sqliteRows) columns() []string { return r.names }

func (r *sqliteRows) next() ([][]byte, error) {
	if r.ended {
		return nil, io.EOF
	}
	if !r.more {
		more, err := r.stmt.Step()
		if err != nil {
			return nil, sqliteFault(err)
		}
		r.more = more
	}
	if !r.more {
		r.ended = true
		return nil, io.EOF
	}
	r.more = false
	for c := range r.cells {
		if r.stmt.ColumnType(c) == sqlite.TypeNull {
			r.cells[c] = nil
			continue
		}
		r.buffers[c] = r.value(r.buffers[c][:0], c)
		r.cells[c] = r.buffers[c]
	}
	return r.cells, nil
}

// value appends the text of a value that is not null. It is never nil, however short.
func (r *sqliteRows) value(dst []byte, c int) []byte {
	if dst == nil {
		dst = []byte{}
	}
	switch r.stmt.ColumnType(c) {
	case sqlite.TypeInteger:
		return strconv.AppendInt(dst, r.stmt.ColumnInt64(c), 10)
	case sqlite.TypeFloat:
		return exact.AppendFloat(dst, r.stmt.ColumnFloat(c), 64)
	case sqlite.TypeBlob:
		b := make([]byte, r.stmt.ColumnLen(c))
		return appendHex(dst, b[:r.stmt.ColumnBytes(c, b)])
	}
	return append(dst, r.stmt.ColumnText(c)...)
}

func (r *sqliteRows) close() error {
	if r.stmt != nil {
		_ = r.stmt.Finalize() // its error was met already
	}
	return r.conn.Close()
}

func sqliteFault(err error) error {
	switch sqlite.ErrCode(err).ToPrimary() {
	case sqlite.ResultNotADB, sqlite.ResultCantOpen:
		return &Fault{Unreachable, "the file is no SQLite database, or cannot be read: " + oneLine(err.Error())}
	case sqlite.ResultInterrupt:
		return &Fault{TooLong, "the query was ended: " + oneLine(err.Error())}
	case sqlite.ResultIOErr, sqlite.ResultCorrupt, sqlite.ResultBusy, sqlite.ResultLocked:
		return &Fault{Gone, "the SQLite file could not be read to its end: " + oneLine(err.Error())}
	}
	return refused(err.Error())
}
