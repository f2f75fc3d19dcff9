package e2e

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"twinsieve/demo"
	"twinsieve/formats/delimited"
	"twinsieve/service/view"
	"twinsieve/sources/sourcetest"
)

// statements make the table service_log of a file of delimited text.
func statements(t *testing.T, text []byte) []string {
	t.Helper()
	r, err := delimited.NewReader(bytes.NewReader(text), delimited.Options{Delimiter: ','})
	if err != nil {
		t.Fatal(err)
	}
	all := []string{"CREATE TABLE service_log (" + strings.Join(r.Columns(), " varchar(200), ") + " varchar(200))"}
	for {
		b, err := r.Next()
		if err == io.EOF {
			return all
		}
		if err != nil {
			t.Fatal(err)
		}
		for first := 0; first < b.Records(); first += 200 {
			var rows []string
			for i := first; i < min(first+200, b.Records()); i++ {
				var cells []string
				for _, c := range b.Cells(i) {
					cells = append(cells, "'"+strings.ReplaceAll(c.Text, "'", "''")+"'")
				}
				rows = append(rows, "("+strings.Join(cells, ", ")+")")
			}
			all = append(all, "INSERT INTO service_log VALUES "+strings.Join(rows, ", "))
		}
	}
}

// sqliteDo runs statements in an SQLite file.
func sqliteDo(t *testing.T, file string, statements ...string) {
	t.Helper()
	conn, err := sqlite.OpenConn(file)
	if err != nil {
		t.Fatal(err)
	}
	for _, text := range statements {
		if err := sqlitex.Execute(conn, text, nil); err != nil {
			t.Fatalf("%.200s: %s", text, err)
		}
	}
	if err := conn.Close(); err != nil {
		t.Fatal(err)
	}
}

// TestDatabases loads one set from a file and from real servers, by the command line: it is the same content. Passwords are
// nowhere to be read.
func TestDatabases(t *testing.T) {
	const variable, elsewhere = "TWINSIEVE_SECRET_AGENCY", "TWINSIEVE_TOKEN"
	pg, my := sourcetest.Postgres(t), sourcetest.Maria(t)
	s := demo.New(demo.Options{})
	made := statements(t, s.ServiceLog)
	pg.Do(t, made...)
	my.Do(t, made...)
	folder, data := t.TempDir(), t.TempDir()
	sqliteDo(t, filepath.Join(folder, "harbour.sqlite"), made...)
	t.Setenv(variable, sourcetest.Password)
	t.Setenv(elsewhere, "s3cret")
	p := serve(t, data, "--folder", folder, "--verbose")
	c := p.client()
	var printed strings.Builder
	command := func(status int, in string, args ...string) string {
		t.Helper()
		got := runIn(t, p.at(), in, args...)
		if got.status != status {
			t.Errorf("%s: status %d, want %d; %s%s", args, got.status, status, got.out, got.errors)
		}
		printed.WriteString(got.out + got.errors)
		return got.out + got.errors
	}
	contains := func(got string, wants ...string) {
		t.Helper()
		for _, want := range wants {
			if !strings.Contains(got, want) {
				t.Errorf("%q is not in %s", want, got)
			}
		}
	}
	contains(command(0, "", "connections"), "There are no connections yet")
	contains(command(0, sourcetest.Password+"\n", "connect", "harbour", "--kind", "postgresql", "--host", pg.Host, "--port", fmt.Sprint(pg.Port), "--database", pg.Database,
		"--user", pg.User, "--password-stdin"), "service_log", "vessel")
	contains(command(0, "", "connect", "agency", "--kind", "mariadb", "--host", my.Host, "--port", fmt.Sprint(my.Port), "--database", my.Database, "--user", my.User,
		"--password-variable", variable, "--limit", "90s"), "service_log")
	contains(command(0, "", "connect", "tally", "--kind", "sqlite", "--file", "harbour.sqlite"), "service_log")
	contains(command(0, "", "connections"), "harbour", "kept", "agency", variable, "1m30s", "harbour.sqlite")

	first := load(t, c, "filed", s.ServiceLog).Snapshot
	for _, name := range []string{"harbour", "agency", "tally"} {
		for from, source := range map[string][]string{"table": {"--table", "service_log"}, "query": {"--query", "SELECT * FROM service_log", "--as", "service_log"}} {
			contains(command(0, "", append([]string{"load", "--from", name}, source...)...), "service_log")
			set, err := c.Set(t.Context(), "service_log")
			if err != nil || set.Snapshot.Hash != first.Hash || set.Snapshot.Records != first.Records || set.Snapshot.Findings.Same == "" {
				t.Errorf("%s of %s: %d records with content %s, want %d with %s; %v", from, name, set.Snapshot.Records, set.Snapshot.Hash, first.Records, first.Hash, err)
			}
		}
	}
	contains(command(0, "", "load", "--from", "harbour", "--table", "service_log", "--look"), "table service_log of connection harbour", "would be read as rows", "nothing was loaded")
	pg.Do(t, "DELETE FROM service_log WHERE vessel < 'M'")
	contains(command(0, "", "load", "--from", "harbour", "--table", "service_log"), "service_log")
	pg.Do(t, "ALTER TABLE service_log RENAME vessel TO ship")
	contains(command(0, "", "reload", "service_log"), "column renamed", "ship")

	// What is wrong is said in one line, and leaves nothing.
	contains(command(2, "", "load", "--from", "harbour", "--query", "DELETE FROM service_log", "--as", "x"), "the query begins with DELETE; only queries are taken")
	contains(command(2, "", "load", "--from", "agency", "--query", "DELETE FROM service_log", "--as", "x"), "the query begins with DELETE; only queries are taken")
	contains(command(2, "", "load", "--from", "tally", "--query", "DELETE FROM service_log", "--as", "x"), "the query begins with DELETE; only queries are taken")
	contains(command(2, "", "load", "--from", "harbor", "--table", "a"), `There is no connection "harbor"`)
	contains(command(2, "", "load", "--from", "harbour"), "needs either --table or --query")
	contains(command(2, "", "load", "--from", "harbour", "--table", "service_log", "--delimiter", ";"), "choice about files")
	contains(command(2, "", "load"), "give files to load")
	contains(command(2, "", "connect", "leak", "--kind", "postgresql", "--host", "db.agency.example", "--database", "a", "--password-variable", elsewhere), "its name begins with TWINSIEVE_SECRET_")
	contains(command(2, "", "connect", "tally", "--file", "../harbour.sqlite"), "cannot be read in the service's folder")
	contains(command(2, "", "connect", "harbour", "--host", "db.agency.example"), "Give the password again")
	contains(command(2, "", "disconnect", "harbour"), `The record set "service_log" is read from the connection "harbour"`)
	contains(command(3, "", "connect", "unset", "--kind", "mariadb", "--host", my.Host, "--database", "a", "--password-variable", variable+"_2"), "is not set where the service runs")
	contains(command(3, "wrong\n", "connect", "harbour", "--password-stdin"), "is saved, and does not work yet", "cannot be reached")
	contains(command(0, sourcetest.Password+"\n", "connect", "harbour", "--password-stdin"), "service_log")
	contains(command(0, "", "connect", "harbour", "--limit", "20m"), "service_log")
	command(0, "", "disconnect", "unset")
	sets, err := c.Sets(t.Context())
	if err != nil || len(sets.Sets) != 2 {
		t.Errorf("there are sets %+v, %v", sets, err)
	}

	// Nowhere is a password to be read: not in the data, not in the log, not in an answer.
	connections, err := c.Connections(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	everything := map[string]string{"the answers": fmt.Sprintf("%+v", connections), "the log": p.log.String(), "what was printed": printed.String()}
	files, _ := filepath.Glob(filepath.Join(data, "*"))
	for _, f := range files {
		text, err := os.ReadFile(f)
		if err != nil && !strings.HasSuffix(f, "tmp") {
			t.Fatal(err)
		}
		everything[f] = string(text)
	}
	for where, text := range everything {
		if strings.Contains(text, sourcetest.Password) {
			t.Errorf("a password is in %s", where)
		}
	}
	// Without its key a data file opens no database.
	if err := os.Remove(filepath.Join(data, "secrets.key")); err != nil {
		t.Fatal(err)
	}
	p.stop(t, 15)
	p = serve(t, data, "--folder", folder)
	contains(command(3, "", "reload", "service_log"), "The password of the connection \"harbour\" cannot be read")
}

// TestDatabaseInConsole makes a connection in the console, loads a table and a query of it, and reloads: with the mouse, and with
// the keyboard alone.
func TestDatabaseInConsole(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	sqliteDo(t, filepath.Join(folder, "harbour.sqlite"), "CREATE TABLE calls (call_no TEXT, fee TEXT)", "INSERT INTO calls VALUES ('MW-1', '12.50'), ('MW-2', NULL), ('MW-3', 'n/a')")
	for _, keyboard := range []bool{false, true} {
		t.Run(map[bool]string{false: "mouse", true: "keyboard alone"}[keyboard], func(t *testing.T) {
			p := serve(t, t.TempDir(), "--folder", folder)
			w := &walk{browser: newBrowser(t, p), keyboard: keyboard, seen: map[string]int{}}
			w.do(chromedp.Navigate(p.address + "/settings"))
			w.says("There are no connections yet")
			w.press("New connection")
			w.field("name of the connection")
			w.keys("tally")
			w.choice("kind of database", "SQLite file", kb.ArrowDown)
			w.choice("file in the service's folder", "harbour.sqlite", kb.ArrowDown)
			w.shoot("connection-form.png")
			w.press("Save and try it")
			w.says("It works, and sees 1 table")
			w.says("call_no, fee")
			w.shoot("connections.png")
			w.press("Record sets")
			w.press("From a database")
			w.until(`document.querySelector('[aria-label="table or view"]') !== null`)
			w.choice("table or view", "calls", kb.ArrowDown)
			w.shoot("from-database.png")
			w.press("Look at the rows")
			w.says("calls of tally")
			w.says("1 cell is n/a")
			w.shoot("rows.png")
			w.press("Take n/a as blank")
			w.says("blank (n/a)")
			w.press("Load")
			w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 1`)
			w.press("calls")
			w.says("table calls of connection tally")
			w.says("read as rows, blank markers n/a")
			w.press("Reload")
			w.says("from snapshot 1 to 2")
			w.says("the same content as")
			w.shoot("rows-set.png")
		})
	}
}

// TestDatabaseKilled kills a server in the middle of a load: there is no snapshot, and no remains.
func TestDatabaseKilled(t *testing.T) {
	t.Parallel()
	pg, my := sourcetest.Postgres(t), sourcetest.Maria(t)
	p := serve(t, t.TempDir())
	c := p.client()
	for _, s := range []struct {
		*sourcetest.Server
		query string
	}{{pg, "SELECT generate_series(1, 1000000000) AS i, repeat('call', 20) AS note"}, {my, "SELECT seq, repeat('call', 20) AS note FROM seq_1_to_1000000000"}} {
		a := view.Access{Kind: s.Kind, Host: s.Host, Port: s.Port, Database: s.Database, User: s.User}
		if _, err := c.CreateConnection(t.Context(), s.Kind, a, s.Password); err != nil {
			t.Fatal(err)
		}
		job, err := c.Load(t.Context(), "calls", view.Recipe{Source: view.SourceRef{Place: view.Place{Connection: s.Kind, Query: s.query}}})
		if err != nil {
			t.Fatal(err)
		}
		killed := false
		_, err = c.Wait(t.Context(), job, func(j view.Job) {
			if j.Done > 0 && !killed {
				killed = true
				s.Kill()
			}
		})
		if !killed || err == nil || !view.Unreachable.Is(asProblem(err)) || !strings.Contains(err.Error(), "went away") {
			t.Errorf("%s: %v", s.Kind, err)
		}
		if set, err := c.Set(t.Context(), "calls"); !view.NotFound.Is(asProblem(err)) {
			t.Errorf("%s left %+v, %v", s.Kind, set, err)
		}
		if list, err := c.Sets(t.Context()); err != nil || len(list.Sets) != 0 {
			t.Errorf("%s left %+v, %v", s.Kind, list, err)
		}
	}
}

// TestConnectionVersions checks that two people do not overwrite each other's change of a connection.
func TestConnectionVersions(t *testing.T) {
	t.Parallel()
	c := serve(t, t.TempDir()).client()
	a := view.Access{Kind: "postgresql", Host: "127.0.0.1", Database: "port", User: "reader"}
	if _, err := c.CreateConnection(t.Context(), "harbour", a, "x"); err != nil {
		t.Fatal(err)
	}
	if _, err := c.CreateConnection(t.Context(), "harbour", a, "x"); !view.NameTaken.Is(asProblem(err)) {
		t.Errorf("a second one of the name: %v", err)
	}
	_, etag, err := c.Connection(t.Context(), "harbour")
	if err != nil {
		t.Fatal(err)
	}
	a.Limit = 60
	changed, err := c.ChangeConnection(t.Context(), "harbour", etag, a, nil)
	if err != nil || changed.Version != 2 || changed.Password != "kept" || changed.Limit != 60 {
		t.Errorf("changed to %+v, %v", changed, err)
	}
	if _, err := c.ChangeConnection(t.Context(), "harbour", etag, a, nil); !view.Changed.Is(asProblem(err)) {
		t.Errorf("changed from an old version: %v", err)
	}
	if err := c.DeleteConnection(t.Context(), "harbour", etag); !view.Changed.Is(asProblem(err)) {
		t.Errorf("deleted from an old version: %v", err)
	}
	none := ""
	changed, err = c.ChangeConnection(t.Context(), "harbour", `"2"`, a, &none)
	if err != nil || changed.Password != "none" {
		t.Errorf("without a password it is %+v, %v", changed, err)
	}
	for want, bad := range map[string]view.Access{`The field kind is "paper"; write one of postgresql`: {Kind: "paper"}, "may read no folder": {Kind: "sqlite", File: "a"}, "not between 1 and 86,400": {Kind: "mariadb", Host: "a", Database: "b", Limit: -1}} {
		if _, err := c.CreateConnection(t.Context(), "bad", bad, ""); !view.Invalid.Is(asProblem(err)) || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v, want %q", bad, err, want)
		}
	}
	if err := c.DeleteConnection(t.Context(), "harbour", `"3"`); err != nil {
		t.Errorf("deleted: %v", err)
	}
	if _, _, err := c.Connection(t.Context(), "harbour"); !view.NotFound.Is(asProblem(err)) {
		t.Errorf("once deleted: %v", err)
	}
}
