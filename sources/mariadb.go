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
	"strconv"
	"time"

	"github.com/go-sql-driver/mysql"

	"twinsieve/core/exact"
)

// mariadb reads MariaDB and MySQL. A query without parameters is answered in text, which is exact.
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
	// One statement, for the driver asks for no more.
	if r.rows, err = r.conn.(driver.QueryerContext).QueryContext(ctx, query, nil); err != nil {
		return nil, err
	}
	r.names = r.rows.Columns()
	r.values, r.cells, r.buffers = make([]driver.Value, len(r.names)), make([][]byte, len(r.names)), make([][]byte, len(r.names))
	types := r.rows.(driver.RowsColumnTypeDatabaseTypeName)
	for i := range r.names {
		switch types.ColumnTypeDatabaseTypeName(i) {
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
		dst := r.buffers[c][:0]
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
			dst = strconv.AppendInt(dst, v, 10)
		case uint64:
			dst = strconv.AppendUint(dst, v, 10)
		case float32:
			dst = exact.AppendFloat(dst, float64(v), 32)
		case float64:
			dst = exact.AppendFloat(dst, v, 64)
		default:
			return nil, fmt.Errorf("the driver gave a %T", v)
		}
		r.buffers[c], r.cells[c] = dst, dst
	}
	return r.cells, nil
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
