// Package sources reads record sets from databases: a table or the rows of one query, from PostgreSQL, from MariaDB or
// MySQL, and from an SQLite file.
//
// Rows are streamed within a read-only transaction, and within a time limit. A query is one statement that begins as queries do; whatever
// else is refused before the database sees it, and what a query may still try to write is refused by the database.
//
// Each cell is the value as the database writes it: decimals with all their digits, dates as YYYY-MM-DD, times with the
// session's zone set to UTC, floating-point numbers as the shortest text that is read back as the same number. A truth
// value of PostgreSQL is true or false; MariaDB has none and gives 1 or 0. Bytes are written as \x and hexadecimal digits.
// Nulls are nulls, and an empty text is an empty text.
package sources

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"twinsieve/core/record"
)

// The kinds of databases.
const (
	PostgreSQL = "postgresql"
	MariaDB    = "mariadb" // and MySQL
	SQLite     = "sqlite"
)

// Kinds are the kinds of databases that can be read.
var Kinds = []string{PostgreSQL, MariaDB, SQLite}

// Whether the way to a database is encrypted.
const (
	TLSOff    = "off"
	TLSOn     = "on"     // whoever answers
	TLSVerify = "verify" // and its certificate must be that of the host
)

// TLSModes are the ways to encrypt.
var TLSModes = []string{TLSOff, TLSOn, TLSVerify}

// Connection says where a database is, and as whom it is read.
type Connection struct {
	Kind     string
	Host     string
	Port     int // 0: the usual one of the kind
	Database string
	User     string
	Password string
	TLS      string // "": off
	File     string // of SQLite, and nothing else of it: path of the file
}

// Query says what is read: a table with all its columns, or the rows of a query. One of them is given.
type Query struct {
	Table string // its name, with that of its schema and a point in front where it lies in another than the usual one
	Text  string
}

// Options are the circumstances under which a query is read.
type Options struct {
	Limit  time.Duration       // how long it may take; 0: an hour
	Reject func(record.Reject) // called for each reject; may be nil
}

// Fault says why a database could not be read.
type Fault struct {
	Reason Reason
	What   string // what is wrong, and how to mend it
}

// Error implements error.
func (f *Fault) Error() string { return f.What }

// Reason is a kind of [Fault].
type Reason int

// The reasons.
const (
	Refused     Reason = iota // the database refuses the query, or the query is none
	Unreachable               // there is no way to the database, or no entry
	Gone                      // the database went away while it was being read
	TooLong                   // the time limit was reached
)

// Open begins to read rows. The error is a [*Fault] or a [*record.Unreadable]. The reader is to be closed.
func Open(ctx context.Context, c Connection, q Query, o Options) (*Reader, error) {
	if o.Limit <= 0 {
		o.Limit = time.Hour
	}
	limited, cancel := context.WithTimeout(ctx, o.Limit)
	r := &Reader{ctx: limited, cancel: cancel, options: o, secret: c.Password}
	if err := r.open(c, q); err != nil {
		err = r.fault(err)
		_ = r.Close() // what went wrong first is what counts
		return nil, err
	}
	return r, nil
}

// rows are the rows of a query, one after another.
type rows interface {
	columns() []string
	// next returns the cells of the next row, nil for nulls, or io.EOF after the last. They are good until the next call.
	next() ([][]byte, error)
	close() error
}

// Reader reads the rows of a query as records. It implements [record.Reader]. A record's line is the number of its row.
type Reader struct {
	ctx     context.Context
	cancel  context.CancelFunc
	options Options
	secret  string
	rows    rows
	names   []string
	builder *record.Builder
	read    int64
	bytes   int64
	rejects int64
}

func (r *Reader) open(c Connection, q Query) (err error) {
	k, err := kindOf(c)
	if err != nil {
		return err
	}
	text := strings.TrimSpace(q.Text)
	switch {
	case q.Table != "" && text != "":
		return &Fault{Refused, "both a table and a query are named; name one of them"}
	case q.Table != "":
		text = "SELECT * FROM " + k.quote(q.Table)
	case text == "":
		return &Fault{Refused, "neither a table nor a query is named"}
	default:
		if err := checkQuery(c.Kind, text); err != nil {
			return err
		}
	}
	if r.rows, err = k.open(r.ctx, c, text, r.options.Limit); err != nil {
		return err
	}
	if len(r.rows.columns()) == 0 {
		return &Fault{Refused, "the query gives no rows; write one that selects some"}
	}
	if r.names, err = record.CheckColumns(r.rows.columns(), 0); err != nil {
		return err
	}
	r.builder = record.NewBuilder(len(r.names))
	return nil
}

// Columns are the names of the columns.
func (r *Reader) Columns() []string { return r.names }

// Rejects is the number of rejects so far.
func (r *Reader) Rejects() int64 { return r.rejects }

// Bytes is how many bytes the cells have had so far.
func (r *Reader) Bytes() int64 { return r.bytes }

// Next implements [record.Reader]. That the database went away or took too long is a [*Fault].
func (r *Reader) Next() (*record.Batch, error) {
	for {
		cells, err := r.rows.next()
		if err == io.EOF {
			return r.builder.Last()
		}
		if err != nil {
			return nil, r.fault(err)
		}
		r.read++
		if fault := r.check(cells); fault != "" {
			r.rejects++
			if r.options.Reject != nil {
				r.options.Reject(record.NewReject(r.read, fault, nil))
			}
			continue
		}
		for c, text := range cells {
			if text == nil {
				r.builder.Null(c)
			} else {
				r.builder.Cell(c, text)
			}
		}
		if b := r.builder.Close(r.read); b != nil {
			return b, nil
		}
	}
}

// check says why a row can be no record.
func (r *Reader) check(cells [][]byte) string {
	size := 0
	for c, text := range cells {
		if size += len(text); !utf8.Valid(text) {
			return fmt.Sprintf("column %q holds bytes that are no UTF-8 text", r.names[c])
		}
	}
	r.bytes += int64(size)
	if size > record.MaxRecordBytes {
		return fmt.Sprintf("the row has %d bytes; a record has at most %d", size, record.MaxRecordBytes)
	}
	return ""
}

// Close ends the transaction and the connection.
func (r *Reader) Close() error {
	defer r.cancel()
	if r.rows == nil {
		return nil
	}
	return r.rows.close()
}

// fault gives an error that came while the reader was at work its reason. No error says a password.
func (r *Reader) fault(err error) error {
	if isUnreadable(err) {
		return err
	}
	f := faultOf(err)
	switch {
	case r.ctx.Err() == context.Canceled:
		return r.ctx.Err()
	case r.ctx.Err() != nil, f.Reason == TooLong: // here or in the database, whichever was first
		f = &Fault{TooLong, fmt.Sprintf("the query took longer than %s; ask for less, or give the connection a longer time limit", r.options.Limit)}
	}
	if r.secret != "" {
		f = &Fault{f.Reason, strings.ReplaceAll(f.What, r.secret, "…")}
	}
	return f
}

// Table is a table or a view of a database.
type Table struct {
	Name    string   `json:"name" description:"With that of its schema and a point in front, where it lies in another than the usual one."`
	View    bool     `json:"view" description:"It is a view."`
	Columns []string `json:"columns" nullable:"false"`
}

// tablesLimit is how long listing tables may take.
const tablesLimit = 15 * time.Second

// Tables lists the tables and views that a connection sees, by name. It is also how to find out whether a connection is
// any good. The error is a [*Fault].
func Tables(ctx context.Context, c Connection) ([]Table, error) {
	k, err := kindOf(c)
	if err != nil {
		return nil, err
	}
	r, err := Open(ctx, c, Query{Text: k.tables()}, Options{Limit: tablesLimit})
	if err != nil {
		return nil, err
	}
	defer r.Close()
	tables := []Table{}
	for {
		b, err := r.Next()
		if err == io.EOF {
			return tables, nil
		}
		if err != nil {
			return nil, err
		}
		for i := range b.Records() {
			cells := b.Cells(i) // schema, table, whether it is a view, column
			name := cells[1].Text
			if cells[0].Text != "" {
				name = cells[0].Text + "." + name
			}
			if n := len(tables); n == 0 || tables[n-1].Name != name {
				tables = append(tables, Table{Name: name, View: cells[2].Text == "1"})
			}
			last := &tables[len(tables)-1]
			last.Columns = append(last.Columns, cells[3].Text)
		}
	}
}

// kind is one kind of database.
type kind interface {
	open(ctx context.Context, c Connection, query string, limit time.Duration) (rows, error)
	// quote writes the name of a table as the database has it in a query.
	quote(table string) string
	// tables is a query for what there is: schema (empty for the usual one), table, 1 for a view, column; in order.
	tables() string
}

func kindOf(c Connection) (kind, error) {
	if err := c.Check(); err != nil {
		return nil, err
	}
	return map[string]kind{PostgreSQL: postgres{}, MariaDB: mariadb{}, SQLite: sqliteFile{}}[c.Kind], nil
}

// Check refuses connections that say too little or too much. The error is a [*Fault].
func (c *Connection) Check() error {
	wrong := func(format string, args ...any) error { return &Fault{Unreachable, fmt.Sprintf(format, args...)} }
	switch {
	case !slices.Contains(Kinds, c.Kind):
		return wrong("%q is no kind of database that can be read; there are %s", c.Kind, strings.Join(Kinds, ", "))
	case c.Kind == SQLite && c.File == "":
		return wrong("an SQLite database is a file; name it")
	case c.Kind == SQLite && (c.Host != "" || c.Port != 0 || c.Database != "" || c.User != "" || c.Password != "" || c.TLS != ""):
		return wrong("an SQLite database is a file; it has no host, port, database, user, password or encryption")
	case c.Kind == SQLite:
		return nil
	case c.File != "":
		return wrong("a database of kind %s is no file; name its host and database", c.Kind)
	case c.Host == "":
		return wrong("the host is not named")
	case c.Port < 0 || c.Port > 65535:
		return wrong("the port %d is not between 1 and 65535", c.Port)
	case c.Database == "":
		return wrong("the database is not named")
	case c.TLS != "" && !slices.Contains(TLSModes, c.TLS):
		return wrong("%q is no way to encrypt; there are %s", c.TLS, strings.Join(TLSModes, ", "))
	}
	return nil
}

// quoted quotes each part of a table's name with a mark.
func quoted(table, mark string) string {
	parts := strings.Split(table, ".")
	for i, p := range parts {
		parts[i] = mark + strings.ReplaceAll(p, mark, mark+mark) + mark
	}
	return strings.Join(parts, ".")
}
