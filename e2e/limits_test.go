package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// TestLimits: every command that lists gives as many as are asked for, beyond a page of the service, in every form that programs read, and
// says where there are more.
func TestLimits(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	const many = 2300
	var left, right strings.Builder
	left.WriteString("record,tot desc,\"n as m\"\n")
	right.WriteString("record,tot desc,\"n as m\"\n")
	for i := range many {
		fmt.Fprintf(&left, "MW-%05d,%d,\"quay, %d\"\n", i, many-i, i%7)
		fmt.Fprintf(&right, "P-%05d,%d,\n", i, i)
		if i%2 == 0 {
			fmt.Fprintf(&left, "short %d\n", i)
		}
	}
	for name, text := range map[string]string{"left": left.String(), "right": right.String()} {
		if _, err := loadWith(t, p.client(), name, name+".csv", text, view.Recipe{}); err != nil {
			t.Fatal(err)
		}
	}
	d := sieve.Definition{Name: "Many", Left: "left", Right: "right", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "record"}}}}
	if _, err := p.client().CreateSieve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	if r := run(t, p.at(), "run", "Many"); r.status != 1 {
		t.Fatalf("%+v", r)
	}
	const changes = 1200
	reasons, err := p.client().Reasons(t.Context())
	for i := 0; i < changes && err == nil; i++ {
		reasons, err = p.client().SetReasons(t.Context(), []string{fmt.Sprintf("tide %d", i)}, reasons.Reasons)
	}
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		args  []string
		all   int
		field string // of JSON
	}{
		{[]string{"records", "left"}, many, "records"},
		{[]string{"records", "left", "--rejects"}, many / 2, "rejects"},
		{[]string{"view", "Many", "--comparison", "full"}, 2 * many, "rows"},
		{[]string{"report", "Many", "--tray", "missing"}, many, "entries"},
		{[]string{"exceptions"}, 2*many + many/2, "exceptions"},
		{[]string{"history", "--kind", "reasons"}, changes, "events"},
	} {
		for _, limit := range []int{1, 1000, 1001, 2100, 100_000} {
			want := min(limit, c.all)
			for _, form := range []string{"csv", "ndjson", "json"} {
				r := run(t, p.at(), append(c.args, "--limit", fmt.Sprint(limit), "-o", form)...)
				got := -1
				switch form {
				case "csv":
					lines, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
					if err != nil {
						t.Errorf("%v -o csv: %v", c.args, err)
					}
					got = len(lines) - 1
				case "ndjson":
					got = strings.Count(r.out, "\n")
					for line := range strings.Lines(r.out) {
						if !json.Valid([]byte(line)) {
							t.Fatalf("%v -o ndjson: %q", c.args, line)
						}
					}
				case "json":
					var whole map[string]json.RawMessage
					var list []json.RawMessage
					if err := json.Unmarshal([]byte(r.out), &whole); err != nil {
						t.Errorf("%v -o json: %v", c.args, err)
					}
					if err := json.Unmarshal(whole[c.field], &list); err != nil {
						t.Errorf("%v -o json: %v", c.args, err)
					}
					got = len(list)
				}
				if got != want || r.status > 1 {
					t.Errorf("%v --limit %d -o %s: exit %d, %d listed, want %d; %s", c.args, limit, form, r.status, got, want, r.errors)
				}
				if c.args[0] != "view" && (limit < c.all) != strings.Contains(r.errors, "there is more: --after ") {
					t.Errorf("%v --limit %d -o %s, of %d: %q", c.args, limit, form, c.all, r.errors)
				}
			}
		}
	}
	if r := run(t, p.at(), "records", "left", "--limit", "0"); r.status != 2 {
		t.Errorf("a limit of nothing: %+v", r)
	}

	// A page goes on where the one before ended, in the snapshot that it was of, though another has been loaded.
	first := run(t, p.at(), "records", "left", "--limit", "1500")
	_, next, ok := strings.Cut(strings.TrimSpace(first.out), "--after ")
	if _, err := loadWith(t, p.client(), "left", "left.csv", "record,tot desc,\"n as m\"\nnew,1,2\n", view.Recipe{}); err != nil || !ok {
		t.Fatal(err, first.out)
	}
	if r := run(t, p.at(), "records", "left", "--after", next, "-o", "csv"); !strings.HasPrefix(r.out, "record number,record,tot desc,n as m\n1501,MW-01500,") {
		t.Errorf("the next page: %.80q %s", r.out, r.errors)
	}
	if r := run(t, p.at(), "records", "left", "--after", "7-20"); r.status != 2 || !strings.Contains(r.errors, `"left" has no snapshot 7; the newest is 2`) {
		t.Errorf("a page of a snapshot that there is not: %+v", r)
	}

	// Columns that read like more than a name are named all the same, and a column called record does not hide the number of a record.
	r := run(t, p.at(), "view", "Many", "--comparison", "left-anti", "--columns", "n as m,tot desc", "--sort", "tot desc", "--limit", "2", "-o", "csv")
	if want := "n as m,tot desc\n\"quay, 3\",1\n\"quay, 2\",2\n"; r.status != 0 || r.out != want {
		t.Errorf("columns of odd names: exit %d, %q %s, want %q", r.status, r.out, r.errors, want)
	}
	// Something behind such a name says what it says behind any other.
	r = run(t, p.at(), "view", "Many", "--comparison", "left-anti", "--columns", "n as m as berth,tot desc as sum", "--sort", "tot desc desc", "--limit", "2", "-o", "csv")
	if want := "berth,sum\n\"quay, 0\",2300\n\"quay, 1\",2299\n"; r.status != 0 || r.out != want {
		t.Errorf("columns of odd names, with more behind them: exit %d, %q %s, want %q", r.status, r.out, r.errors, want)
	}
	if r := run(t, p.at(), "view", "Many", "--sort", "n as mm"); r.status != 2 || !strings.Contains(r.errors, `"mm" is no type`) {
		t.Errorf("%+v", r)
	}
	if r := run(t, p.at(), "records", "left", "-o", "ndjson"); !strings.HasPrefix(r.out, `{"record number":"1","record":"new"`) {
		t.Errorf("ndjson of a column called record: %s", r.out)
	}
	var link view.Share
	r = run(t, p.at(), "share", "Many", "-o", "json")
	if err := json.NewDecoder(bytes.NewBufferString(r.out)).Decode(&link); err != nil || !strings.HasPrefix(link.Link, p.address+"/shared/") {
		t.Errorf("a link as JSON: %v, %s", err, r.out)
	}
	for form, lines := range map[string]int{"json": 2, "ndjson": 1} { // a thing that is no list
		if r := run(t, p.at(), "define", "Many", "-o", form); r.status != 0 || !json.Valid([]byte(r.out)) || min(strings.Count(r.out, "\n"), 2) != lines {
			t.Errorf("define -o %s: %+v", form, r)
		}
	}
	if r := run(t, p.at(), "define", "Many", "-o", "csv"); r.status != 2 || !strings.Contains(r.errors, "this is not a list of rows; write table, json or ndjson") {
		t.Errorf("define -o csv: %+v", r)
	}
	for _, name := range []string{".", ".."} {
		if _, err := loadWith(t, p.client(), name, "x.csv", "a\n1\n", view.Recipe{}); err == nil {
			t.Errorf("a record set is called %q", name)
		}
	}
}
