package sources

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"
)

// postgres reads PostgreSQL. All values are asked for as text, which is exact.
type postgres struct{}

// connectLimit is how long a database may take to answer at all.
const connectLimit = 10 * time.Second

func (postgres) open(ctx context.Context, c Connection, query string, limit time.Duration) (rows, error) {
	config, err := postgresConfig(c, limit)
	if err != nil {
		return nil, err
	}
	conn, err := pgconn.ConnectConfig(ctx, config)
	if err != nil {
		return nil, unreachable(err)
	}
	r := &postgresRows{ctx: ctx, conn: conn}
	if _, err := conn.Exec(ctx, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY").ReadAll(); err != nil {
		_ = r.close()
		return nil, err
	}
	// The extended protocol takes one statement, whatever semicolons it has.
	r.result = conn.ExecParams(ctx, query, nil, nil, nil, nil)
	if !r.result.NextRow() { // there may be none, and yet columns
		r.ended = true
		if _, err := r.result.Close(); err != nil {
			_ = r.close()
			return nil, err
		}
	} else {
		r.first = true
	}
	for _, f := range r.result.FieldDescriptions() {
		r.names = append(r.names, f.Name)
		r.truth = append(r.truth, f.DataTypeOID == pgtype.BoolOID)
	}
	return r, nil
}

// postgresConfig is how to connect. Nothing is taken from the service's own environment or from files of its user.
func postgresConfig(c Connection, limit time.Duration) (*pgconn.Config, error) {
	config, err := pgconn.ParseConfigWithOptions("host=localhost sslmode=disable passfile='' servicefile=''", pgconn.ParseConfigOptions{})
	if err != nil {
		return nil, &Fault{Unreachable, oneLine(err.Error())}
	}
	config.Host, config.Port, config.Database, config.User, config.Password = c.Host, 5432, c.Database, c.User, c.Password
	if c.Port != 0 {
		config.Port = uint16(c.Port)
	}
	config.Fallbacks, config.ValidateConnect, config.ConnectTimeout = nil, nil, connectLimit
	switch c.TLS {
	case TLSOn:
		config.TLSConfig = &tls.Config{InsecureSkipVerify: true} // as was asked for
	case TLSVerify:
		config.TLSConfig = &tls.Config{ServerName: c.Host}
	}
	config.RuntimeParams = map[string]string{
		"application_name": "twinsieve", "client_encoding": "UTF8", "default_transaction_read_only": "on",
		"statement_timeout": strconv.FormatInt(limit.Milliseconds(), 10),
		"TimeZone":          "UTC", "DateStyle": "ISO, YMD", "IntervalStyle": "iso_8601", "extra_float_digits": "3", "bytea_output": "hex",
	}
	return config, nil
}

func (postgres) quote(table string) string { return quoted(table, `"`) }

func (postgres) tables() string {
	return `SELECT CASE table_schema WHEN current_schema() THEN '' ELSE table_schema END, table_name,
	(SELECT count(*) FROM information_schema.views v WHERE (v.table_schema, v.table_name) = (c.table_schema, c.table_name)), column_name
	FROM information_schema.columns c WHERE table_schema NOT IN ('pg_catalog', 'information_schema') ORDER BY 1, 2, ordinal_position`
}

type postgresRows struct {
	ctx    context.Context
	conn   *pgconn.PgConn
	result *pgconn.ResultReader
	names  []string
	truth  []bool // which columns hold truth values
	cells  [][]byte
	first  bool // the first row has been fetched, and not been given out
	ended  bool
}

func (r *postgresRows) columns() []string { return r.names }

var truths = map[string][]byte{"t": []byte("true"), "f": []byte("false")}

func (r *postgresRows) next() ([][]byte, error) {
	if r.ended {
		return nil, io.EOF
	}
	if !r.first && !r.result.NextRow() {
		r.ended = true
		if _, err := r.result.Close(); err != nil {
			return nil, err
		}
		return nil, io.EOF
	}
	r.first = false
	r.cells = r.cells[:0]
	for c, text := range r.result.Values() {
		if r.truth[c] && text != nil {
			text = truths[string(text)]
		}
		r.cells = append(r.cells, text)
	}
	return r.cells, nil
}

// close ends the connection, and with it a query that is still under way.
func (r *postgresRows) close() error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.ctx), time.Second)
	defer cancel()
	if r.result != nil && !r.ended && !r.conn.IsClosed() {
		_ = r.conn.CancelRequest(ctx) // the rest of the rows is not wanted; should it fail, closing ends them, too
	}
	_ = r.conn.Close(ctx) // nothing was written that could be lost
	return nil
}

func postgresFault(e *pgconn.PgError) *Fault {
	switch {
	case e.Code == "57014" && strings.Contains(e.Message, "timeout"): // rather than ended by somebody
		return &Fault{TooLong, "the database ended the query: " + oneLine(e.Message)}
	case e.Code[:2] == "57", e.Code[:2] == "08": // the server stops, or the connection broke
		return &Fault{Gone, fmt.Sprintf("the database went away while it was being read: %s; try again when it is back", oneLine(e.Message))}
	case e.Code[:2] == "28", e.Code == "3D000": // no entry, no such database
		return unreachable(errors.New(e.Message))
	}
	words := e.Message
	if e.Position > 0 {
		words += fmt.Sprintf(" (at character %d)", e.Position)
	}
	if e.Hint != "" {
		words += ". " + e.Hint
	}
	return refused(words)
}
