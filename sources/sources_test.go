package sources_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/sources"
	"twinsieve/sources/sourcetest"
)

// database is a database that a test may write to and reads through the package.
type database struct {
	name string
	sources.Connection
	do   func(t testing.TB, statements ...string)
	kill func()
}

// databases are one of each kind.
func databases(t *testing.T) []database {
	pg, my := sourcetest.Postgres(t), sourcetest.Maria(t)
	file := filepath.Join(t.TempDir(), "harbour.sqlite")
	return []database{
		{"PostgreSQL", pg.Connection, pg.Do, pg.Kill},
		{"MariaDB", my.Connection, my.Do, my.Kill},
		{"SQLite", sources.Connection{Kind: sources.SQLite, File: file}, func(t testing.TB, statements ...string) {
			t.Helper()
			conn, err := sqlite.OpenConn(file)
			if err != nil {
				t.Fatal(err)
			}
			defer conn.Close()
			for _, text := range statements {
				if err := sqlitex.Execute(conn, text, nil); err != nil {
					t.Fatalf("%.200s: %s", text, err)
				}
			}
		}, nil},
	}
}

// readAll returns columns and cells as lines of text, a null as ∅, and the number of records.
func readAll(c sources.Connection, q sources.Query, o sources.Options) (lines []string, err error) {
	r, err := sources.Open(context.Background(), c, q, o)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	rows, numbers, err := recordtest.Read(r)
	for i, n := range numbers {
		if n != int64(i+1) {
			return rows, fmt.Errorf("record %d has line %d", i+1, n)
		}
	}
	return append([]string{strings.Join(r.Columns(), "|")}, rows...), err
}

// calls is a table with all that is hard: decimals beyond floating point, codes, days and times, blanks of both kinds,
// quotes and letters of other scripts. SQLite has no decimals, so that there they are kept as texts.
var calls = map[string]string{
	"PostgreSQL": `CREATE TABLE "port calls" (call_no varchar(12), amount numeric(30,10), serial numeric(30), ordered date, berthed timestamp, note text)`,
	"MariaDB":    "CREATE TABLE `port calls` (call_no varchar(12), amount decimal(30,10), serial decimal(30), ordered date, berthed datetime, note text)",
	"SQLite":     `CREATE TABLE "port calls" (call_no TEXT, amount TEXT, serial TEXT, ordered DATE, berthed DATETIME, note TEXT)`,
}

const someCalls = `INSERT INTO %s VALUES
	('007', '1204.5000000000', '9007199254740993', '2026-03-04', '2026-03-04 06:07:08', 'Zélie''s "tow"'),
	('5.10', '-0.1000000000', '123456789012345678901234567890', '2026-02-28', '2026-12-31 23:59:59', ''),
	('', NULL, NULL, NULL, NULL, NULL),
	('6000-6063', '12345678901234567890.1234567891', '0', '1899-12-30', '1999-01-01 00:00:00', '靠泊 ёё')`

var wantCalls = []string{"call_no|amount|serial|ordered|berthed|note",
	`007|1204.5000000000|9007199254740993|2026-03-04|2026-03-04 06:07:08|Zélie's "tow"`,
	"5.10|-0.1000000000|123456789012345678901234567890|2026-02-28|2026-12-31 23:59:59|",
	"|∅|∅|∅|∅|∅",
	"6000-6063|12345678901234567890.1234567891|0|1899-12-30|1999-01-01 00:00:00|靠泊 ёё"}

func TestDatabases(t *testing.T) {
	for _, d := range databases(t) {
		t.Run(d.name, func(t *testing.T) {
			quoted := `"port calls"`
			if d.Kind == sources.MariaDB {
				quoted = "`port calls`"
			}
			d.do(t, calls[d.name], fmt.Sprintf(someCalls, quoted), `CREATE VIEW called AS SELECT call_no FROM `+quoted)

			t.Run("the same cells", func(t *testing.T) {
				for _, q := range []sources.Query{{Table: "port calls"}, {Text: "SELECT * FROM " + quoted + ";\n"}} {
					got, err := readAll(d.Connection, q, sources.Options{})
					if err != nil || strings.Join(got, "\n") != strings.Join(wantCalls, "\n") {
						t.Errorf("%+v: %v\n%s\nwant\n%s", q, err, strings.Join(got, "\n"), strings.Join(wantCalls, "\n"))
					}
				}
				got, err := readAll(d.Connection, sources.Query{Text: "SELECT call_no AS c FROM " + quoted + " WHERE call_no = 'none'"}, sources.Options{})
				if err != nil || len(got) != 1 || got[0] != "c" {
					t.Errorf("no rows: %v, %v", got, err)
				}
			})
			t.Run("values", func(t *testing.T) { values(t, d) })
			if d.Kind == sources.MariaDB {
				t.Run("digits", func(t *testing.T) { digits(t, d) })
			}
			t.Run("tables", func(t *testing.T) {
				got, err := sources.Tables(context.Background(), d.Connection)
				want := "[{called true [call_no]} {port calls false [call_no amount serial ordered berthed note]}]"
				if err != nil || fmt.Sprint(got) != want {
					t.Errorf("%v, %v, want %s", got, err, want)
				}
			})
			t.Run("nothing is written", func(t *testing.T) { nothingWritten(t, d, quoted) })
			t.Run("bad queries", func(t *testing.T) { badQueries(t, d, quoted) })
			t.Run("many", func(t *testing.T) { many(t, d) })
			if d.Kind != sources.SQLite {
				t.Run("encrypted", func(t *testing.T) { encrypted(t, d) })
			}
		})
	}
}

// values are those of types that not all of them have.
func values(t *testing.T, d database) {
	for text, want := range map[string]map[string]string{
		"PostgreSQL": {"SELECT true AS v, false AS w": "true|false", `SELECT '\xbada55'::bytea AS v`: `\xbada55`, "SELECT 0.1::float8 AS v, 1e300::float8 AS w": "0.1|1e+300",
			"SELECT timestamptz '2026-03-04 06:07:08.5+01' AS v": "2026-03-04 05:07:08.5+00", "SELECT time '06:07' AS v, '{1,2}'::int[] AS w": "06:07:00|{1,2}", "SELECT null::bool AS v": "∅"},
		"MariaDB": {"SELECT true AS v, false AS w": "1|0", "SELECT x'BADA55' AS v": `\xbada55`, "SELECT b'101' + 0 AS v": "5", "SELECT cast(0.1 AS double) AS v, 1e300 AS w": "0.1|1e+300",
			"SELECT cast('06:07' AS time) AS v, 18446744073709551615 AS w": "06:07:00|18446744073709551615"},
		"SQLite": {"SELECT true AS v, false AS w": "1|0", "SELECT x'BADA55' AS v, x'' AS w": `\xbada55|\x`, "SELECT 0.1 AS v, 1e300 AS w, 2.0 AS x": "0.1|1e+300|2", "SELECT -9223372036854775807 AS v": "-9223372036854775807"},
	}[d.name] {
		got, err := readAll(d.Connection, sources.Query{Text: text}, sources.Options{})
		if err != nil || len(got) != 2 || got[1] != want {
			t.Errorf("%s: %v, %v, want %s", text, got, err, want)
		}
	}
}

// digits are kept of numbers that the database writes in another way than it stores them. What is filled with zeros, and what has digits behind
// the point by its type, is written as the database itself writes it.
func digits(t *testing.T, d database) {
	d.do(t, `CREATE TABLE measures (id int, f float, g double, i int(8) zerofill, b bigint(12) unsigned zerofill, t tinyint(3) zerofill, y year, f2 float(10,2), d2 double(10,3), n decimal(9,2) zerofill, fz float(10,2) zerofill)`,
		`INSERT INTO measures VALUES (1, 1234567.8, 0.1, 42, 7, 5, 0, 1234567.88, 1.5, 12.5, 3.25), (2, 16777216, 1e300, 12345678, 18446744073709551, 255, 2031, -0.1, -12.3456, 1234567.89, 12345.5),
		(3, 16777217, -0.1, 0, 0, 0, 1901, 0, 0, 0, 0), (4, 1234570, 1e-7, 123456789, 1, 12, NULL, NULL, NULL, NULL, NULL)`)
	for _, c := range strings.Fields("i b t y f2 d2 n fz") {
		want, err := readAll(d.Connection, sources.Query{Text: "SELECT concat(" + c + ") AS v FROM measures ORDER BY id"}, sources.Options{})
		if err != nil {
			t.Fatal(err)
		}
		got, err := readAll(d.Connection, sources.Query{Text: "SELECT " + c + " AS v FROM measures ORDER BY id"}, sources.Options{})
		if err != nil || !slices.Equal(got, want) {
			t.Errorf("%s: %v, %v, want %v", c, got, err, want)
		}
	}
	got, err := readAll(d.Connection, sources.Query{Text: "SELECT f, g FROM measures ORDER BY id"}, sources.Options{})
	d.do(t, "DROP TABLE measures")
	if want := []string{"f|g", "1234567.8|0.1", "16777216|1e+300", "16777216|-0.1", "1234570|0.0000001"}; err != nil || !slices.Equal(got, want) {
		t.Errorf("%v, %v, want %v", got, err, want)
	}
}

// nothingWritten checks that what writes is refused: what is not a query at once, and a query that writes by the database. The account of
// these tests may do anything.
func nothingWritten(t *testing.T, d database, quoted string) {
	file := filepath.Join(t.TempDir(), "written")
	statements := []string{"DELETE FROM " + quoted, "UPDATE " + quoted + " SET call_no = 'x'", "INSERT INTO " + quoted + " (call_no) VALUES ('x')", "DROP TABLE " + quoted, "CREATE TABLE more (a int)"}
	if d.Kind == sources.PostgreSQL {
		statements = append(statements, "WITH gone AS (DELETE FROM "+quoted+" RETURNING *) SELECT * FROM gone")
	}
	if d.Kind == sources.MariaDB {
		statements = append(statements, "BEGIN NOT ATOMIC COMMIT; SET SESSION TRANSACTION READ WRITE; INSERT INTO "+quoted+" (call_no) VALUES ('x'); SELECT 1; END",
			"SELECT 'x' INTO OUTFILE '"+file+"'", "SELECT 'x' /*! INTO OUTFILE '"+file+"' */")
	}
	if d.Kind == sources.PostgreSQL {
		statements = append(statements, "COPY "+quoted+" TO '"+file+"'", "DO $$ BEGIN COMMIT; END $$")
	}
	for _, text := range statements {
		_, err := readAll(d.Connection, sources.Query{Text: text}, sources.Options{})
		says := "the query "
		if strings.HasPrefix(text, "WITH") {
			says = "read-only transaction"
		}
		var f *sources.Fault
		if !errors.As(err, &f) || f.Reason != sources.Refused || !strings.Contains(f.What, says) {
			t.Errorf("%s: %v, want a refusal that says %q", text, err, says)
		}
	}
	if _, err := os.Stat(file); err == nil {
		t.Errorf("the database has written %s", file)
	}
	if got, err := readAll(d.Connection, sources.Query{Table: "port calls"}, sources.Options{}); err != nil || len(got) != len(wantCalls) {
		t.Errorf("after all that there are %d lines, %v", len(got), err)
	}
	// Several statements are refused as such, or the second never comes to be.
	for _, text := range []string{"SELECT 1 AS a; DELETE FROM " + quoted, "COMMIT; DELETE FROM " + quoted} {
		if got, err := readAll(d.Connection, sources.Query{Text: text}, sources.Options{}); err == nil {
			t.Errorf("%s: %v, want an error", text, got)
		}
	}
	if got, err := readAll(d.Connection, sources.Query{Table: "port calls"}, sources.Options{}); err != nil || len(got) != len(wantCalls) {
		t.Errorf("afterwards: %v, %v", got, err)
	}
}

func badQueries(t *testing.T, d database, quoted string) {
	deep := map[string]string{"PostgreSQL": "SELECT pg_sleep(60) AS a", "MariaDB": "SELECT sleep(60) + count(*) AS a FROM information_schema.columns a, information_schema.columns b, information_schema.columns c",
		"SQLite": "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) AS a FROM n"}[d.name]
	for _, c := range []struct {
		q      sources.Query
		limit  time.Duration
		reason sources.Reason
		says   string
	}{
		{sources.Query{}, 0, sources.Refused, "neither a table nor a query"},
		{sources.Query{Table: "a", Text: "SELECT 1"}, 0, sources.Refused, "both a table and a query"},
		{sources.Query{Table: "barges"}, 0, sources.Refused, "barges"},
		{sources.Query{Text: "SELEC 1"}, 0, sources.Refused, "SELEC"},
		{sources.Query{Text: deep}, 300 * time.Millisecond, sources.TooLong, "longer than 300ms"},
	} {
		_, err := readAll(d.Connection, c.q, sources.Options{Limit: c.limit})
		var f *sources.Fault
		if !errors.As(err, &f) || f.Reason != c.reason || !strings.Contains(f.What, c.says) || strings.Contains(f.What, "\n") {
			t.Errorf("%+v: %v, want %q", c.q, err, c.says)
		}
	}
	twice, err := readAll(d.Connection, sources.Query{Text: "SELECT 1 AS a, 2 AS a"}, sources.Options{})
	var u *record.Unreadable
	if !errors.As(err, &u) || !strings.Contains(u.What, "give each column a name of its own") {
		t.Errorf("two columns of one name: %v, %v", twice, err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := sources.Open(ctx, d.Connection, sources.Query{Table: "port calls"}, sources.Options{}); !errors.Is(err, context.Canceled) {
		t.Errorf("cancelled: %v", err)
	}
	wrong := d.Connection
	if wrong.Password, wrong.Port = "wrong-s3cret", d.Port; d.Kind == sources.SQLite {
		wrong.Password, wrong.File = "", filepath.Join(t.TempDir(), "none.sqlite")
	}
	_, err = readAll(wrong, sources.Query{Table: "port calls"}, sources.Options{})
	var f *sources.Fault
	if !errors.As(err, &f) || f.Reason != sources.Unreachable || strings.Contains(f.What, "s3cret") {
		t.Errorf("no entry: %v", err)
	}
}

// encrypted asks the database itself whether the way to it is encrypted, and does not believe a host that proves nothing.
func encrypted(t *testing.T, d database) {
	query := map[string]string{"PostgreSQL": "SELECT version FROM pg_stat_ssl WHERE pid = pg_backend_pid()",
		"MariaDB": "SELECT variable_value AS version FROM information_schema.session_status WHERE variable_name = 'Ssl_version'"}[d.name]
	for mode, want := range map[string]string{"": "", sources.TLSOff: "", sources.TLSOn: "TLSv1.3"} {
		c := d.Connection
		c.TLS = mode
		got, err := readAll(c, sources.Query{Text: query}, sources.Options{})
		if err != nil || len(got) != 2 || strings.Trim(got[1], "∅") != want {
			t.Errorf("encrypted %q: %v, %v, want %q", mode, got, err, want)
		}
	}
	c := d.Connection
	c.TLS = sources.TLSVerify
	_, err := readAll(c, sources.Query{Text: query}, sources.Options{})
	var f *sources.Fault
	if !errors.As(err, &f) || f.Reason != sources.Unreachable || !strings.Contains(f.What, "certificate signed by unknown authority") {
		t.Errorf("verified: %v", err)
	}
}

// many checks that rows are streamed: a million of them need no memory to speak of, and the rest of what is not wanted
// any more is not waited for.
func many(t *testing.T, d database) {
	text := map[string]string{"PostgreSQL": "SELECT generate_series(1, 1000000) AS i, repeat('call', 25) AS note",
		"MariaDB": "SELECT seq AS i, repeat('call', 25) AS note FROM seq_1_to_1000000",
		"SQLite":  "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000) SELECT i, replace(hex(zeroblob(25)), '00', 'call') AS note FROM n"}[d.name]
	r, err := sources.Open(context.Background(), d.Connection, sources.Query{Text: text}, sources.Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	records, peak := 0, uint64(0)
	for {
		b, err := r.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		if last := b.Cells(b.Records() - 1); last[0].Text != fmt.Sprint(records+b.Records()) || len(last[1].Text) != 100 {
			t.Fatalf("record %d is %v", records+b.Records(), last)
		}
		if records += b.Records(); records%(8*record.BatchRecords) == 0 {
			var m runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&m)
			peak = max(peak, m.HeapAlloc)
		}
	}
	if records != 1_000_000 || r.Bytes() < 100_000_000 || peak > 64<<20 {
		t.Errorf("%d records of %d bytes with a heap of %d", records, r.Bytes(), peak)
	}
	r, err = sources.Open(context.Background(), d.Connection, sources.Query{Text: text}, sources.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := r.Next(); err != nil {
		t.Fatal(err)
	}
	if err := r.Close(); err != nil {
		t.Errorf("closed in the middle: %s", err)
	}
}

// TestKilled checks that a server that goes away is said to have gone.
func TestKilled(t *testing.T) {
	for _, d := range databases(t)[:2] {
		text := map[string]string{"PostgreSQL": "SELECT generate_series(1, 100000000) AS i", "MariaDB": "SELECT seq FROM seq_1_to_100000000"}[d.name]
		r, err := sources.Open(context.Background(), d.Connection, sources.Query{Text: text}, sources.Options{})
		if err != nil {
			t.Fatal(err)
		}
		defer r.Close()
		for n := 0; err == nil; n++ {
			if _, err = r.Next(); n == 3 {
				d.kill()
			}
		}
		var f *sources.Fault
		if !errors.As(err, &f) || f.Reason != sources.Gone || !strings.Contains(f.What, "went away") {
			t.Errorf("%s: %v", d.name, err)
		}
		_, err = sources.Tables(context.Background(), d.Connection)
		if !errors.As(err, &f) || f.Reason != sources.Unreachable || !strings.Contains(f.What, "see that it is running") {
			t.Errorf("%s, once it is gone: %v", d.name, err)
		}
	}
}

func TestBadConnections(t *testing.T) {
	junk := filepath.Join(t.TempDir(), "junk.sqlite")
	if err := os.WriteFile(junk, []byte(strings.Repeat("no database at all ", 100)), 0o600); err != nil {
		t.Fatal(err)
	}
	for want, c := range map[string]sources.Connection{
		`"oracle" is no kind of database`: {Kind: "oracle"},
		"is a file; name it":              {Kind: sources.SQLite},
		"has no host, port":               {Kind: sources.SQLite, File: "a", Host: "b"},
		"is no file; name its host":       {Kind: sources.MariaDB, File: "a"},
		"the host is not named":           {Kind: sources.MariaDB},
		"the port 70000 is not between":   {Kind: sources.PostgreSQL, Host: "a", Port: 70000},
		"the database is not named":       {Kind: sources.PostgreSQL, Host: "a"},
		`"maybe" is no way to encrypt`:    {Kind: sources.PostgreSQL, Host: "a", Database: "b", TLS: "maybe"},
		"is no SQLite database":           {Kind: sources.SQLite, File: junk},
		"the SQLite file is not there":    {Kind: sources.SQLite, File: t.TempDir()},
	} {
		_, err := sources.Tables(context.Background(), c)
		var f *sources.Fault
		if !errors.As(err, &f) || f.Reason != sources.Unreachable || !strings.Contains(f.What, want) {
			t.Errorf("%+v: %v, want %q", c, err, want)
		}
	}
}

// TestUnreadableRows checks that a row that is no text is a reject with its number, and that SQLite reads no other file.
func TestUnreadableRows(t *testing.T) {
	file := filepath.Join(t.TempDir(), "a.sqlite")
	conn, err := sqlite.OpenConn(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := sqlitex.ExecuteScript(conn, "CREATE TABLE t (a); INSERT INTO t VALUES ('one'), (cast(x'ff' AS TEXT)), ('three');", nil); err != nil {
		t.Fatal(err)
	}
	if err := conn.Close(); err != nil {
		t.Fatal(err)
	}
	var rejects []record.Reject
	c := sources.Connection{Kind: sources.SQLite, File: file}
	r, err := sources.Open(context.Background(), c, sources.Query{Table: "t"}, sources.Options{Reject: func(r record.Reject) { rejects = append(rejects, r) }})
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	b, err := r.Next()
	if err != nil || b.Records() != 2 || b.Line(1) != 3 || r.Rejects() != 1 {
		t.Fatalf("%v, %v", b, err)
	}
	if fmt.Sprint(rejects) != `[{2 column "a" holds bytes that are no UTF-8 text }]` {
		t.Errorf("rejects %v", rejects)
	}
	for _, text := range []string{"ATTACH '" + file + "2' AS b", "VACUUM INTO '" + file + "3'"} {
		if got, err := readAll(c, sources.Query{Text: text}, sources.Options{}); err == nil {
			t.Errorf("%s: %v", text, got)
		}
	}
	if found, _ := filepath.Glob(file + "[23]"); found != nil {
		t.Errorf("files were made: %v", found)
	}
}
