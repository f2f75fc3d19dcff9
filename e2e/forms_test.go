package e2e

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestIntakeForms: what the commands of the intake print for programs is whole, in each form, and says what it says to people.
func TestIntakeForms(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if err := demo.New(demo.Options{}).Write(dir); err != nil {
		t.Fatal(err)
	}
	p := serve(t, t.TempDir(), "--folder", dir)
	if got := run(t, p.at(), "load", dir+"/"+demo.ServiceLogFile, dir+"/"+demo.InvoicesFile); got.status != 0 {
		t.Fatal(got.errors)
	}
	sqliteDo(t, dir+"/tally.sqlite", "CREATE TABLE calls (call_no TEXT, fee TEXT)")
	for _, c := range []struct {
		args    []string
		rows    int      // of CSV, the headings among them
		heading string   // of CSV
		holds   []string // in the table
	}{
		{[]string{"load", dir + "/" + demo.ServiceLogFile, "--look"}, 51, "line,call_no,service_date", []string{"would be read as delimited, UTF-8", "line 666 would be rejected", "nothing was loaded"}},
		{[]string{"load", "--in-folder", "--look", demo.InvoicesFile}, 51, "line,Invoice,Ship", []string{"date DD.MM.YYYY", "looked at all 1,225 records"}},
		{[]string{"profile", "service-log"}, 8, "column,reads as", []string{"date YYYY-MM-DD", "2 with spaces around", "1608565", "1 record the same as an earlier record"}},
		{[]string{"sets"}, 3, "record set,snapshot", []string{"service-log", "invoices", "1,225"}},
		{[]string{"records", "service-log", "--rejects"}, 3, "line,reason,text", []string{"666", "734", "-- page total carried over --"}},
		{[]string{"compute", "service-log", "ref=call_no + service_code", "x=call_no * 2", "--look"}, 3, "column,expression,first cells", []string{"MW-04937PIL", "✗ at character 9: * does not take (text, number)"}},
		{[]string{"compute", "--functions"}, 22, "function,meaning", []string{`part(text, "/", n)`, "RE2"}},
		{[]string{"connect", "tally", "--kind", "sqlite", "--file", "tally.sqlite"}, 2, "table,,columns", []string{"calls", "call_no, fee"}},
		{[]string{"connections"}, 2, "connection,kind,where", []string{"tally", "sqlite", "1h0m0s"}},
		{[]string{"reload", "invoices", dir + "/" + demo.InvoicesFile}, 4, "what,before,after", []string{"the content is the same as before", "snapshot"}},
	} {
		table := run(t, p.at(), c.args...)
		if table.status != 0 {
			t.Errorf("%s: status %d, %s", c.args, table.status, table.errors)
		}
		for _, want := range c.holds {
			if !strings.Contains(table.out, want) {
				t.Errorf("%s: %q is not in %s", c.args, want, table.out)
			}
		}
		text := run(t, p.at(), append(c.args, "--output", "csv")...)
		rows, err := csv.NewReader(strings.NewReader(text.out)).ReadAll()
		if err != nil || len(rows) != c.rows || !strings.HasPrefix(strings.Join(rows[0], ","), c.heading) {
			t.Errorf("%s as CSV: %d rows, want %d, %v: %.300s", c.args, len(rows), c.rows, err, text.out)
		}
		text = run(t, p.at(), append(c.args, "--output", "json")...)
		var whole any
		if err := json.Unmarshal([]byte(text.out), &whole); err != nil {
			t.Errorf("%s as JSON: %v: %.300s", c.args, err, text.out)
		}
		text = run(t, p.at(), append(c.args, "--output", "ndjson")...)
		for line := range strings.Lines(text.out) {
			if err := json.Unmarshal([]byte(line), &whole); err != nil {
				t.Errorf("%s as NDJSON: %v: %.300s", c.args, err, line)
			}
		}
		if wrong := run(t, p.at(), append(c.args, "--output", "pdf")...); wrong.status != 2 || !strings.Contains(wrong.errors, `"pdf"`) {
			t.Errorf("%s as PDF: status %d, %s", c.args, wrong.status, wrong.errors)
		}
	}
	sets, err := p.client().Sets(t.Context())
	if err != nil || len(sets.Sets) != 2 {
		t.Errorf("sets %+v, %v", sets, err)
	}
	if _, err := p.client().Profile(t.Context(), "none"); !view.NotFound.Is(asProblem(err)) {
		t.Errorf("the profile of none: %v", err)
	}
}
