package sources

import (
	"context"
	"crypto/tls"
	"database/sql/driver"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"reflect"
	"slices"
	"strconv"
	"time"

	"github.com/go-sql-driver/mysql"

	"twinsieve/core/exact"
)

// mariadb reads MariaDB and MySQL. Queries are prepared, for then numbers come as they are stored: in text a FLOAT has six digits.
type mariadb struct{}

func (mariadb) open(ctx context.Context, c Connection, query string, limit time.Duration) (_ rows, err error) {
	config := mysql.NewConfig()
	port := 3306
	if c.Port != 0 {
		port = c.Port
	}
	config.Net, config.Addr = "tcp", net.JoinHostPort(c.Host, strconv.Itoa(port))
	config.DBName, config.User, config.Passwd = c.Database, c.User, c.Password
	config.Timeout, config.Logger = connectLimit, &mysql.NopLogger{}
	config.Collation = "utf8mb4_general_ci"
	config.Params = map[string]string{"time_zone": "'+00:00'"}
	switch c.TLS {
	case TLSOn:
		config.TLS = &tls.Config{InsecureSkipVerify: true} // as was asked for
	case TLSVerify:
		config.TLS = &tls.Config{ServerName: c.Host}
	}
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, unreachable(err)
	}
	r := &mariadbRows{}
	if r.conn, err = connector.Connect(ctx); err != nil {
		return nil, unreachable(err)
	}
	defer func() {
		if err != nil {
			_ = r.close()
		}
	}()
	if err := r.setTimeLimit(ctx, limit); err != nil {
		return nil, err
	}
	for _, set := range []string{"SET SESSION TRANSACTION READ ONLY", "START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY"} {
		if err := r.do(ctx, set); err != nil {
			return nil, err
		}
	}
	statement, err := r.conn.(driver.ConnPrepareContext).PrepareContext(ctx, query) // one, for the driver asks for no more
	if err != nil {
		return nil, err
	}
	if r.rows, err = statement.(driver.StmtQueryContext).QueryContext(ctx, nil); err != nil {
		return nil, err
	}
	r.names = r.rows.Columns()
	r.values, r.cells, r.buffers = make([]driver.Value, len(r.names)), make([][]byte, len(r.names)), make([][]byte, len(r.names))
	types, scales := r.rows.(driver.RowsColumnTypeDatabaseTypeName), r.rows.(driver.RowsColumnTypePrecisionScale)
	for i := range r.names {
		kind := types.ColumnTypeDatabaseTypeName(i)
		form := numberForm{width: zeroFilled(r.rows, i), scale: -1}
		if _, scale, ok := scales.ColumnTypePrecisionScale(i); ok && scale < mostScale && (kind == "FLOAT" || kind == "DOUBLE") {
			form.scale = int(scale)
		}
		if kind == "YEAR" {
			form.width = 4
		}
		r.forms = append(r.forms, form)
		switch kind {
		case "BINARY", "VARBINARY", "TINYBLOB", "BLOB", "MEDIUMBLOB", "LONGBLOB", "GEOMETRY":
			r.written = append(r.written, appendHex)
		case "BIT":
			r.written = append(r.written, appendBits)
		default:
			r.written = append(r.written, nil)
		}
	}
	return r, nil
}

// numberForm is how the numbers of a column are written.
type numberForm struct {
	width int // digits that there are at least, with zeros in front
	scale int // digits behind the point; -1: as many as tell the number from others
}

// mostScale is what a scale is below, where there is one.
const mostScale = 31

// zeroFilled is the width to which a column's numbers are filled with zeros; 0 where they are not. The driver knows it and has no method that
// tells, so that it is read from what it holds; a test sees whether it is still there.
func zeroFilled(rows driver.Rows, column int) int {
	const zeroFill = 1 << 6
	held := reflect.ValueOf(rows)
	if held.Kind() != reflect.Pointer || held.Elem().Kind() != reflect.Struct {
		return 0
	}
	set := held.Elem().FieldByName("rs")
	if !set.IsValid() {
		return 0
	}
	columns := set.FieldByName("columns")
	if !columns.IsValid() || column >= columns.Len() {
		return 0
	}
	flags, length := columns.Index(column).FieldByName("flags"), columns.Index(column).FieldByName("length")
	if !flags.CanUint() || !length.CanUint() || flags.Uint()&zeroFill == 0 {
		return 0
	}
	return int(length.Uint())
}

// fill writes zeros in front of digits.
func (f *numberForm) fill(dst []byte) []byte {
	for len(dst) < f.width {
		dst = slices.Insert(dst, 0, '0')
	}
	return dst
}

func (r *mariadbRows) do(ctx context.Context, text string) error {
	_, err := r.conn.(driver.ExecerContext).ExecContext(ctx, text, nil)
	return err
}

// unknownVariable is the number of the error that a variable is not known.
const unknownVariable = 1193

// setTimeLimit sets how long a query may take: MariaDB counts seconds, MySQL thousandths.
func (r *mariadbRows) setTimeLimit(ctx context.Context, limit time.Duration) error {
	err := r.do(ctx, fmt.Sprintf("SET SESSION max_statement_time = %.3f", limit.Seconds()))
	if my := new(mysql.MySQLError); errors.As(err, &my) && my.Number == unknownVariable {
		return r.do(ctx, fmt.Sprintf("SET SESSION max_execution_time = %d", limit.Milliseconds()))
	}
	return err
}

func (mariadb) quote(table string) string { return quoted(table, "`") }

func (mariadb) tables() string {
	return `SELECT '', c.table_name, IF(t.table_type LIKE '%VIEW', 1, 0), c.column_name
	FROM information_schema.columns c JOIN information_schema.tables t ON t.table_schema = c.table_schema AND t.table_name = c.table_name
	WHERE c.table_schema = database() ORDER BY 2, c.ordinal_position`
}

type mariadbRows struct {
	conn    driver.Conn
	rows    driver.Rows
	names   []string
	written []func(dst, value []byte) []byte // how a column's values are written, where not as they come
	forms   []numberForm
	values  []driver.Value
	cells   [][]byte
	buffers [][]byte
}

func (r *mariadbRows) columns() []string { return r.names }

func (r *mariadbRows) next() ([][]byte, error) {
	if err := r.rows.Next(r.values); err != nil {
		return nil, err
	}
	for c, value := range r.values {
		dst, form := r.buffers[c][:0], &r.forms[c]
		switch v := value.(type) {
		case nil:
			r.cells[c] = nil
			continue
		case []byte:
			if r.written[c] == nil {
				r.cells[c] = v
				continue
			}
			dst = r.written[c](dst, v)
		case int64:
			dst = form.fill(strconv.AppendInt(dst, v, 10))
		case uint64:
			dst = form.fill(strconv.AppendUint(dst, v, 10))
		case float32:
			dst = form.appendFloat(dst, float64(v), 32)
		case float64:
			dst = form.appendFloat(dst, v, 64)
		default:
			return nil, fmt.Errorf("the driver gave a %T", v)
		}
		r.buffers[c], r.cells[c] = dst, dst
	}
	return r.cells, nil
}

func (f *numberForm) appendFloat(dst []byte, v float64, bits int) []byte {
	if f.scale >= 0 {
		return f.fill(strconv.AppendFloat(dst, v, 'f', f.scale, 64))
	}
	return f.fill(exact.AppendFloat(dst, v, bits))
}

// appendHex writes bytes that are no text.
func appendHex(dst, b []byte) []byte { return hex.AppendEncode(append(dst, `\x`...), b) }

// appendBits writes a field of up to 64 bits as the whole number that it is.
func appendBits(dst, b []byte) []byte {
	var wide [8]byte
	copy(wide[8-min(len(b), 8):], b)
	return strconv.AppendUint(dst, binary.BigEndian.Uint64(wide[:]), 10)
}

// close breaks the connection off, so that rows that are not wanted any more need not come first.
func (r *mariadbRows) close() error {
	_ = r.conn.Close() // nothing was written that could be lost
	return nil
}

func mariadbFault(e *mysql.MySQLError) *Fault {
	switch e.Number {
	case 1969, 3024: // the limits of MariaDB and MySQL
		return &Fault{TooLong, "the database ended the query: " + oneLine(e.Message)}
	case 1053, 1927, 1317: // the server stops, or ended the connection
		return &Fault{Gone, fmt.Sprintf("the database went away while it was being read: %s; try again when it is back", oneLine(e.Message))}
	}
	return refused(e.Message)
}
