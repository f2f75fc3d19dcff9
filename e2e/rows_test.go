package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/core/comparison"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// wholePairs are columns of the demo that can be held against each other as whole records.
var wholePairs = comparison.Alignment{Pairs: []comparison.AlignedPair{{Left: "service_date", Right: "Invoiced On"}, {Left: "amount_due", Right: "Amount"}}}

// allRows reads all rows of what is asked, some at a time.
func allRows(t testing.TB, c *client.Client, a view.Ask) (rows []view.Row, last view.Rows) {
	t.Helper()
	for {
		page, err := c.Rows(t.Context(), a, int64(len(rows)), 700, nil)
		if err != nil {
			t.Fatalf("%+v: %v", a.Look, err)
		}
		rows = append(rows, page.Rows...)
		if last = page; int64(len(rows)) >= page.Total || len(page.Rows) == 0 {
			return rows, last
		}
	}
}

func rowText(r *view.Row) string {
	cells := []string{fmt.Sprint(r.Left, r.Right)}
	for _, c := range r.Cells {
		if c == nil {
			cells = append(cells, "∅")
		} else {
			cells = append(cells, *c)
		}
	}
	return strings.Join(cells, "|")
}

// TestRows reads every comparison of the demo's run and of the same definition unsaved: both say the same, as many rows as the
// counts say, any page is what all rows have at its place, and a hand-over has them all.
func TestRows(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	s := demo.New(demo.Options{Services: 150})
	head := loadDemo(t, c, s)
	draft := head.Definition
	draft.Name = ""
	r := rand.New(rand.NewPCG(5, 7))
	for _, n := range comparison.All {
		look := view.Look{Comparison: string(n), Align: wholePairs, Confirm: true, Fill: true}
		sides := []string{""}
		if n == comparison.Separate {
			sides = []string{"left", "right"}
		}
		count := int64(0)
		for _, side := range sides {
			look.Side = side
			ask := view.Ask{Run: head.ID, Look: look}
			rows, last := allRows(t, c, ask)
			count += int64(len(rows))
			if int64(len(rows)) != last.Total || last.Sentence == "" {
				t.Errorf("%s: %d rows of %d, %q", n, len(rows), last.Total, last.Sentence)
			}
			unsaved, _ := allRows(t, c, view.Ask{Definition: &draft, Look: look})
			if !slices.EqualFunc(rows, unsaved, func(a, b view.Row) bool { return rowText(&a) == rowText(&b) }) {
				t.Errorf("%s: the run's rows are not those of its definition", n)
			}
			for range 5 {
				first := r.IntN(len(rows) + 10)
				page, err := c.Rows(t.Context(), ask, int64(first), 10, nil)
				want := rows[min(first, len(rows)):min(first+10, len(rows))]
				if err != nil || !slices.EqualFunc(page.Rows, want, func(a, b view.Row) bool { return rowText(&a) == rowText(&b) }) {
					t.Errorf("%s: rows from %d on are others than before: %v", n, first, err)
				}
			}
			var file bytes.Buffer
			if err := c.ExportRows(t.Context(), ask, client.Format{Name: "csv", Exact: true}, &file); err != nil {
				t.Fatal(err)
			}
			lines, err := csv.NewReader(&file).ReadAll()
			if err != nil || len(lines) != len(rows)+1 {
				t.Errorf("%s: %d rows handed over, want %d: %v", n, len(lines)-1, len(rows), err)
			}
		}
		if want, planted := s.Planted.Billing.Comparisons[string(n)]; planted && count != int64(want) {
			t.Errorf("%s has %d rows, planted %d", n, count, want)
		}
	}
}

// TestRowsOfTrays: what lies in a tray is as many rows as the report has entries of it, and what a comparison drops as many as its
// count says; swapping turns both.
func TestRowsOfTrays(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 150}))
	for _, at := range head.Summary.Trays {
		total := int64(0)
		for _, side := range []string{"left", "right"} {
			s := tray.Side(slices.Index([]string{"left", "right"}, side))
			if !at.Tray.On(s) || at.Tray.Paired() && side == "right" {
				continue
			}
			rows, _ := allRows(t, c, view.Ask{Run: head.ID, Look: view.Look{Comparison: "full", Tray: at.Tray.String(), Side: side}})
			for _, r := range rows {
				if at.Tray.Paired() && (r.Left == 0 || r.Right == 0) {
					t.Errorf("%s: a pair has one record: %+v", at.Tray, r)
				}
			}
			total += int64(len(rows))
		}
		if total != at.Entries {
			t.Errorf("%s has %d rows, and %d entries", at.Tray, total, at.Entries)
		}
	}
	for _, count := range head.Summary.Comparisons {
		for s, side := range []string{"left", "right"} {
			if !count.Comparison.Yields(tray.Side(s)) {
				continue
			}
			rows, _ := allRows(t, c, view.Ask{Run: head.ID, Look: view.Look{Comparison: string(count.Comparison), Dropped: true, Side: side}})
			turned, _ := allRows(t, c, view.Ask{Run: head.ID, Look: view.Look{Comparison: string(count.Comparison.Swapped()), Dropped: true, Side: []string{"right", "left"}[s], Swap: true}})
			if int64(len(rows)) != count.Dropped[s] || len(turned) != len(rows) {
				t.Errorf("%s drops %d of the %s, swapped %d, and its count says %d", count.Comparison, len(rows), side, len(turned), count.Dropped[s])
			}
		}
	}
}

// TestRowsShaped chooses, renames, filters, sorts, labels and adds up.
func TestRowsShaped(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	load(t, c, "log", []byte("call,fee,quay\nA,10.00,Tar\nB,9.5,\nC,n/a,Salt\nD,100,Tar\nD,7,Salt\n"))
	load(t, c, "bills", []byte("call,fee\nA,10\nB,9.75\nD,1.5\nD,2\nE,3\n"))
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: column("call", "")}}}
	look := view.Look{Comparison: "full", Columns: []comparison.Chosen{{Column: "log.call", As: "call"}, {Column: "bills.fee"}, {Column: "log.fee", As: "due"}, {Column: "quay"}, {Column: "in bills"}},
		Sort: []view.SortBy{{Column: "bills.fee", Descending: true, As: "decimal point"}}, Labels: &view.Labels{NoPartner: "(none)", Blank: "(blank)"}}
	text := func(look view.Look) string {
		rows, _ := allRows(t, c, view.Ask{Definition: &d, Look: look})
		var out []string
		for _, r := range rows {
			out = append(out, rowText(&r))
		}
		return strings.Join(out, "\n")
	}
	want := "1 1|A|10|10.00|Tar|yes\n2 2|B|9.75|9.5||yes\n0 5|∅|3|∅|∅|yes\n4 4|D|2|100|Tar|yes\n5 4|D|2|7|Salt|yes\n4 3|D|1.5|100|Tar|yes\n5 3|D|1.5|7|Salt|yes\n3 0|C|∅|n/a|Salt|no"
	if got := text(look); got != want {
		t.Errorf("sorted downwards by the bills' fees:\n%s\nwant\n%s", got, want)
	}
	look.Sort = []view.SortBy{{Column: "quay", BlanksFirst: true}, {Column: "bills.fee", As: "decimal point"}}
	look.Columns = look.Columns[3:4]
	if got, want := text(look), "0 5|∅\n2 2|\n5 3|Salt\n5 4|Salt\n3 0|Salt\n4 3|Tar\n4 4|Tar\n1 1|Tar"; got != want {
		t.Errorf("sorted by quay, blanks first:\n%s", got)
	}
	look.Columns, look.Sort = nil, nil
	look.Where = `number(column("bills.fee")) < 5`
	rows, last := allRows(t, c, view.Ask{Definition: &d, Look: look})
	if len(rows) != 5 || last.Left == nil || last.Left.Rows != 3 || last.Left.Lonely != 1 || last.Left.Undecided != 0 {
		t.Errorf("filtered: %d rows, left out %+v", len(rows), last.Left)
	}
	look.Where = `number(column("log.fee")) > 8`
	rows, last = allRows(t, c, view.Ask{Definition: &d, Look: look})
	if len(rows) != 4 || last.Left.Undecided != 1 || !strings.Contains(last.Left.Why, "n/a") {
		t.Errorf("filtered by what cannot be decided: %d rows, left out %+v", len(rows), last.Left)
	}
	job, err := c.RowTotals(t.Context(), view.Ask{Definition: &d, Look: look})
	sums := done(t, c, job, err).Totals
	if len(sums.Columns) != 1 || sums.Columns[0] != (view.ColumnTotal{Column: "bills.fee", Sum: "23.25", Values: 4}) {
		t.Errorf("totals of the filtered rows: %+v", sums.Columns) // the log's fees do not all read as numbers
	}
	var file bytes.Buffer
	look = view.Look{Comparison: "full", Labels: look.Labels, Columns: []comparison.Chosen{{Column: "quay"}, {Column: "bills.fee"}}}
	if err := c.ExportRows(t.Context(), view.Ask{Definition: &d, Look: look}, client.Format{}, &file); err != nil {
		t.Fatal(err)
	}
	if got, want := file.String(), "quay,bills.fee\nTar,10\n(blank),9.75\nSalt,(none)\nTar,1.5\nTar,2\nSalt,1.5\nSalt,2\n(none),3\n"; got != want {
		t.Errorf("with labels:\n%swant\n%s", got, want)
	}
	// Partners of chosen records, and of those that a filter keeps.
	apart := view.Look{Comparison: "separate", Side: "right", Partners: []int64{1, 4}}
	if got := text(apart); got != "0 1|A|10\n0 3|D|1.5\n0 4|D|2" {
		t.Errorf("partners of the records 1 and 4:\n%s", got)
	}
	apart = view.Look{Comparison: "separate", Side: "left", Kept: "inner", Carried: `number(fee) < 3`}
	if got := text(apart); got != "4 0|D|100|Tar\n5 0|D|7|Salt" {
		t.Errorf("partners of what a filter keeps:\n%s", got)
	}
	// A set with itself.
	self := sieve.Definition{Left: "log", Right: "log", Where: sieve.Where{Left: `quay != "Salt"`, Right: `quay == "Salt" || call == "A"`}, Key: d.Key}
	rows, last = allRows(t, c, view.Ask{Definition: &self, Look: view.Look{Comparison: "inner"}})
	if len(rows) != 2 || last.Columns[0].Name != "left.call" || last.Columns[3].Name != "right.call" || len(last.Warnings) != 1 || !strings.HasPrefix(last.Warnings[0], "1 record of log passes both") {
		t.Errorf("a set with itself: %d rows, %v, %q", len(rows), last.Columns, last.Warnings)
	}
	job, err = c.Count(t.Context(), self)
	if counts := done(t, c, job, err).Counts; counts.Selves != 1 || len(counts.Warnings) == 0 {
		t.Errorf("%d records pair with themselves, %q", counts.Selves, counts.Warnings)
	}
}

// TestRowsProblems asks for rows that cannot be: each answer says what, where, and how to mend it, over HTTP and in one line.
func TestRowsProblems(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 150}))
	load(t, c, "typed", []byte("n,d\n1,2031-03-01\n2,2031-03-02\n"))
	load(t, c, "other", []byte("d,n\n2031-03-01,1\n2031-03-02,x\n"))
	load(t, c, "wide", []byte("n,d,e\n1,2031-03-01,\n"))
	ask := func(left, right, key, look string) string {
		return fmt.Sprintf(`{"definition": {"left": %q, "right": %q, "key": [{"left": %q}]}, "look": %s}`, left, right, key, look)
	}
	of := func(look string) string { return fmt.Sprintf(`{"run": %d, "look": %s}`, head.ID, look) }
	for name, q := range map[string]struct {
		path, body   string
		status       int
		kind, detail string
	}{
		"no such comparison":      {"/rows", of(`{"comparison": "outer"}`), 400, "invalid-request", `The field look.comparison is "outer"`},
		"another number":          {"/rows", ask("typed", "wide", "n", `{"comparison": "union"}`), 422, "invalid-rows", "the left has 2 columns and the right 3; name the pairs that are compared"},
		"another order":           {"/rows", ask("typed", "other", "n", `{"comparison": "intersect"}`), 422, "invalid-rows", "n reads as integer and d as date YYYY-MM-DD; d reads as date YYYY-MM-DD and n as text"},
		"another type by name":    {"/rows", ask("typed", "other", "n", `{"comparison": "except", "align": {"by": "name"}}`), 422, "invalid-rows", "n reads as integer and n as text. Name the pairs"},
		"no such name":            {"/rows", ask("typed", "wide", "n", `{"comparison": "except", "align": {"by": "name"}}`), 422, "invalid-rows", `the left has no column "e"`},
		"no such type":            {"/rows", ask("typed", "other", "n", `{"comparison": "except", "align": {"pairs": [{"left": "n", "as": "money"}]}}`), 422, "invalid-rows", `there is no type "money"; write one of text`},
		"no such pair":            {"/rows", ask("typed", "other", "n", `{"comparison": "except", "align": {"pairs": [{"left": "m", "right": "n"}]}}`), 422, "invalid-rows", `the left has no column "m"; it has n, d`},
		"a filter on a lost side": {"/rows", of(`{"comparison": "left-semi", "where": "number(Amount) > 1"}`), 422, "invalid-expression", "Amount is a column of invoices, which left-semi does not show: filter the right side before the comparison instead"},
		"an unknown column":       {"/rows", of(`{"comparison": "full", "where": "amountdue == \"\""}`), 422, "invalid-expression", `at character 1: there is no column "amountdue"; did you mean "amount_due"? Columns: "call_no",`},
		"no truth value":          {"/rows", of(`{"comparison": "full", "where": "quay"}`), 422, "invalid-expression", "the expression gives a text, and not whether a row is wanted"},
		"a sort by none":          {"/rows", of(`{"comparison": "full", "sort": [{"column": "amountdue"}]}`), 422, "invalid-rows", `There is no column "amountdue" here; did you mean "amount_due"? Columns: "call_no",`},
		"a sort by a lost column": {"/rows", of(`{"comparison": "right-anti", "sort": [{"column": "quay"}]}`), 422, "invalid-rows", "quay is a column of service-log, which right-anti does not show"},
		"unequal lengths":         {"/rows", ask("typed", "wide", "n", `{"comparison": "by-position"}`), 422, "invalid-rows", "typed has 2 records and wide 1 record; have the shorter side filled, or filter before"},
		"one name for two":        {"/rows", of(`{"comparison": "full", "columns": [{"column": "quay", "as": "x"}, {"column": "Ship", "as": "x"}]}`), 422, "invalid-rows", `Two columns would be named "x"; give one of them another name.`},
		"no prefix for clashes":   {"/rows", ask("typed", "other", "n", `{"comparison": "full", "prefix": ["", ""]}`), 422, "invalid-rows", `Both sides have "n", "d", so their columns cannot do without different prefixes`},
		"nothing to look at":      {"/rows", `{"look": {"comparison": "full"}}`, 400, "invalid-request", "name a run, or give a definition"},
		"two to look at":          {"/rows", fmt.Sprintf(`{"run": %d, "definition": {"left": "typed", "right": "other", "key": []}, "look": {"comparison": "full"}}`, head.ID), 400, "invalid-request", "name one of them"},
		"no such run":             {"/rows", `{"run": 99, "look": {"comparison": "full"}}`, 404, "not-found", "There is no run 99"},
		"a row before the first":  {"/rows", fmt.Sprintf(`{"run": %d, "first": -1, "look": {"comparison": "full"}}`, head.ID), 400, "invalid-request", "The field first is -1; it may be 0 or more"},
		"partners in one table":   {"/rows", of(`{"comparison": "full", "partners": [1]}`), 422, "invalid-rows", "artners of chosen records are shown by separate, and not by full"},
		"no such partner":         {"/rows", of(`{"comparison": "separate", "partners": [99999]}`), 422, "invalid-rows", "There is no record 99999 of the right side"},
		"dropped of no side":      {"/rows", of(`{"comparison": "left-anti", "dropped": true, "side": "right"}`), 422, "invalid-rows", "eft-anti shows no columns of the right side, so it drops nothing of it"},
		"no such tray":            {"/rows", of(`{"comparison": "full", "tray": "lost"}`), 400, "invalid-request", `The field look.tray is "lost"; write one of matched`},
		"orphans of the left":     {"/rows", of(`{"comparison": "full", "tray": "orphaned"}`), 422, "invalid-rows", "No record of the left side lies in the tray orphaned"},
		"a filter being written":  {"/filters/tried", of(`{"comparison": "outer"}`), 400, "invalid-request", `The field look.comparison is "outer"`},
		"totals of what is not":   {"/rows/totals", `{"run": 99, "look": {"comparison": "full"}}`, 404, "not-found", "There is no run 99"},
	} {
		resp, err := http.Post(p.address+"/api/v1"+q.path, "application/json", strings.NewReader(q.body))
		if err != nil {
			t.Fatal(err)
		}
		text, _ := io.ReadAll(resp.Body)
		resp.Body.Close()
		var problem view.Problem
		if err := json.Unmarshal(text, &problem); err != nil || resp.StatusCode != q.status || problem.Type != "/problems/"+q.kind || !strings.Contains(problem.Detail, q.detail) {
			t.Errorf("%s: %d %s", name, resp.StatusCode, text)
		}
	}
	resp, err := http.Get(p.address + "/api/v1/rows/export?ask=" + url.QueryEscape(`{"run": 1, "looks": 1}`))
	if err != nil {
		t.Fatal(err)
	}
	text, _ := io.ReadAll(resp.Body)
	resp.Body.Close()
	if resp.StatusCode != 400 || !strings.Contains(string(text), `There is no field \"looks\" here (did you mean \"look\"?)`) {
		t.Errorf("an ask of other JSON: %d %s", resp.StatusCode, text)
	}
	for name, r := range map[string]struct {
		args []string
		want string
	}{
		"a filter":         {[]string{"view", "Berth billing", "--comparison", "left-anti", "--where", "number(Amount) > 1"}, "filter the right side before the comparison instead"},
		"readings":         {[]string{"view", "Berth billing", "--comparison", "union", "--pair", "quay=Ship: trim"}, "only a type can be stated, as in: as decimal"},
		"a prefix":         {[]string{"view", "Berth billing", "--prefix", "a,b,c"}, "--prefix takes two"},
		"a sort":           {[]string{"view", "Berth billing", "--sort", "quay as money"}, `"money" is no type; write one of text`},
		"stray":            {[]string{"export", "Berth billing", "--where", "quay == \"\""}, "--where is about the rows of a comparison; state which with --comparison"},
		"two kinds":        {[]string{"export", "Berth billing", "--comparison", "full", "--tray", "missing"}, "leave out one of them"},
		"named and sided":  {[]string{"counts", "Berth billing", "--left", "invoices"}, "leave out one of them"},
		"one set":          {[]string{"stack", "service-log"}, "stack takes two record sets or more; 1 given"},
		"a stack unnamed":  {[]string{"stack", "typed", "other"}, "name the record set with --as"},
		"a label":          {[]string{"stack", "typed", "other", "--as", "x", "--label", "typed"}, "write it as SET=LABEL"},
		"a stranger":       {[]string{"stack", "typed", "other", "--as", "x", "--rename", "wide:n=m"}, `"wide" is none of the sets that are stacked`},
		"a column":         {[]string{"stack", "typed", "other", "--as", "x", "--rename", "typed:m=n"}, `typed has no column "m" to rename; it has n, d`},
		"two of one name":  {[]string{"stack", "typed", "other", "--as", "x", "--rename", "typed:n=d"}, `two columns of typed would be named "d"`},
		"nothing common":   {[]string{"stack", "typed", "other", "--as", "x", "--common", "--rename", "typed:n=a", "--rename", "typed:d=b"}, "no column is in all sources"},
		"a result unsaved": {[]string{"view", "--left", "typed", "--right", "other", "--key", "n", "--save", "x"}, "save the sieve and run it first"},
	} {
		if out := run(t, p.at(), r.args...); out.status != 2 || !strings.Contains(out.errors, r.want) || strings.Count(out.errors, "\n") != 1 {
			t.Errorf("%s: exit %d, %q", name, out.status, out.errors)
		}
	}
}

// TestMultiplying: what would multiply beyond the limit asks first, and says which keys do so most.
func TestMultiplying(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	repeated := func(column string, n int) []byte {
		return []byte(column + ",v\n" + strings.Repeat("MW-1,1\n", n) + "MW-2,2\n")
	}
	load(t, c, "many", repeated("call", 1200))
	load(t, c, "more", repeated("call", 1300))
	d := sieve.Definition{Left: "many", Right: "more", Key: []sieve.KeyPart{{Columns: column("call", "")}}}
	_, err := c.Rows(t.Context(), view.Ask{Definition: &d, Look: view.Look{Comparison: "inner"}}, 0, 10, nil)
	if problem := asProblem(err); problem == nil || !view.Multiplies.Is(problem) || !strings.Contains(problem.Detail, "inner would show 1,560,001 rows") ||
		len(problem.Faults) != 2 || problem.Faults[1].What != "MW-1: 1,200 records of many with 1,300 records of more give 1,560,000 pairs" {
		t.Errorf("%v", err)
	}
	page, err := c.Rows(t.Context(), view.Ask{Definition: &d, Look: view.Look{Comparison: "inner", Confirm: true}}, 1_560_000, 10, nil)
	if err != nil || len(page.Rows) != 1 || page.Total != 1_560_001 || *page.Rows[0].Cells[0] != "MW-2" || page.Count.Repeated != [2]int64{1_558_800, 1_558_700} {
		t.Errorf("confirmed: %+v, %v", page.Rows, err)
	}
	out := run(t, p.at(), "view", "--left", "many", "--right", "more", "--key", "call", "--comparison", "cross")
	if out.status != 2 || !strings.Contains(out.errors, "cross would show 1,562,501 rows") || !strings.Contains(out.errors, "State --yes") {
		t.Errorf("exit %d, %q", out.status, out.errors)
	}
	if out = run(t, p.at(), "view", "--left", "many", "--right", "more", "--key", "call", "--comparison", "cross", "--yes", "--from", "1562499", "-o", "csv"); out.status != 0 || out.out != "many.call,many.v,more.call,more.v\nMW-2,2,MW-1,1\nMW-2,2,MW-2,2\n" {
		t.Errorf("exit %d, %q%s", out.status, out.out, out.errors)
	}
}

// TestStackSets stacks the demo's quays, whose columns are named otherwise at one of them.
func TestStackSets(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	s := demo.New(demo.Options{})
	dir := t.TempDir()
	if err := s.Write(dir); err != nil {
		t.Fatal(err)
	}
	var sets []string
	for quay := range s.Planted.Quays {
		sets = append(sets, quay)
	}
	slices.Sort(sets)
	for _, quay := range sets {
		if out := run(t, p.at(), "load", filepath.Join(dir, quay+".csv")); out.status != 0 {
			t.Fatal(out.errors)
		}
	}
	args := append([]string{"stack"}, sets...)
	args = append(args, "--as", "all-quays", "--origin", "quay", "--label", "north-quay=North Quay", "--common")
	for from, to := range map[string]string{"Call": "call_no", "Date": "service_date", "Code": "service_code", "Ship": "vessel", "Due": "amount_due"} {
		args = append(args, "--rename", "tar-quay:"+from+"="+to)
	}
	out := run(t, p.at(), args...)
	set, err := c.Set(t.Context(), "all-quays")
	if out.status != 0 || err != nil || fmt.Sprint(set.Snapshot.Columns) != "[call_no service_date service_code vessel amount_due quay]" || len(set.Snapshot.Findings.Parents) != 3 {
		t.Fatalf("%s%s: %v, %v", out.out, out.errors, set.Snapshot.Columns, err)
	}
	for _, o := range set.Snapshot.Findings.Origins {
		quay := strings.ReplaceAll(strings.ToLower(o.Text), " ", "-")
		if o.Records != int64(s.Planted.Quays[quay]) {
			t.Errorf("%s: %d records, planted %d", o.Text, o.Records, s.Planted.Quays[quay])
		}
	}
	// The stack holds the same whole records as the service log.
	load(t, c, "log", s.ServiceLog)
	d := sieve.Definition{Left: "log", Right: "all-quays", Key: []sieve.KeyPart{{Columns: column("call_no", "")}}}
	align := comparison.Alignment{}
	for _, name := range []string{"call_no", "service_date", "service_code", "vessel", "amount_due"} {
		align.Pairs = append(align.Pairs, comparison.AlignedPair{Left: name})
	}
	job, err := c.CountWhole(t.Context(), d, align)
	whole := done(t, c, job, err).Whole
	if len(whole.Misfits) > 0 || whole.Counts[4].Rows != 0 || whole.Counts[5].Rows != 0 || whole.Counts[3].Rows != set.Snapshot.Records {
		t.Errorf("the stack against the log: %+v", whole)
	}
	// A set of the stack has a newer snapshot: the next run of a sieve over the stack stacks anew.
	d.Name = "Quays"
	if _, err := c.CreateSieve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	load(t, c, "north-quay", []byte("call_no,service_date,service_code,vessel,amount_due\nMW-1,2031-03-01,PIL,Yarrow,1\n"))
	job, err = c.Run(t.Context(), "Quays")
	done(t, c, job, err)
	set, err = c.Set(t.Context(), "all-quays")
	if err != nil || set.Snapshot.Number != 2 || set.Snapshot.Records != int64(1+s.Planted.Quays["salt-quay"]+s.Planted.Quays["tar-quay"]) {
		t.Errorf("stacked anew: snapshot %d with %d records, %v", set.Snapshot.Number, set.Snapshot.Records, err)
	}
	if err := c.DeleteSet(t.Context(), "north-quay"); asProblem(err) == nil || !strings.Contains(err.Error(), `"all-quays" is made from "north-quay"`) {
		t.Errorf("deleting what a stack is made from: %v", err)
	}
	// A stack of itself bites its tail.
	if out := run(t, p.at(), "stack", "all-quays", "salt-quay", "--as", "salt-quay"); out.status != 2 || !strings.Contains(out.errors, "salt-quay → all-quays → salt-quay") && !strings.Contains(out.errors, "salt-quay → salt-quay") {
		t.Errorf("exit %d, %q", out.status, out.errors)
	}
}

// TestChain runs the demo's chain of three sets for several seeds: what the last sieve finds is what was planted, and after a new
// month of invoices one run of it brings everything before it up to date.
func TestChain(t *testing.T) {
	t.Parallel()
	for seed := range uint64(4) {
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			p := serve(t, t.TempDir())
			c := p.client()
			s := demo.New(demo.Options{Seed: seed, Services: 300})
			head := loadDemo(t, c, s)
			load(t, c, demo.Receipts, s.Receipts)
			if out := run(t, p.at(), "view", "Berth billing", "--comparison", "right-semi", "--save", demo.Logged); out.status != 0 {
				t.Fatal(out.errors)
			}
			settled := settle(t, c)
			checkPlanted(t, "the chain", &s.Planted.Settled, &settled.Summary, s64(s.Planted.Settled.Rejects))
			if n := chainOf(t, c, demo.Logged); n.Number != 1 || n.Stale != "" {
				t.Errorf("the result is %+v", n)
			}
			next := demo.New(demo.Options{Seed: seed + 100, Services: 300})
			load(t, c, demo.ServiceLog, next.ServiceLog)
			load(t, c, demo.Invoices, next.Invoices)
			load(t, c, demo.Receipts, next.Receipts)
			if n := chainOf(t, c, "Berth billing"); n.Stale != "service-log has a newer snapshot" {
				t.Errorf("after a new month the first sieve is %+v", n)
			}
			if n := chainOf(t, c, demo.Logged); n.Stale != "Berth billing is not up to date" {
				t.Errorf("after a new month the result is %+v", n)
			}
			job, err := c.Run(t.Context(), "Settled services")
			last, err := c.RunHead(t.Context(), done(t, c, job, err).Run)
			if err != nil || last.Number != 2 || last.Sides[0].Snapshot != 2 {
				t.Fatalf("run %d over snapshot %d: %v", last.Number, last.Sides[0].Snapshot, err)
			}
			checkPlanted(t, "the chain's next month", &next.Planted.Settled, &last.Summary, s64(next.Planted.Settled.Rejects))
			first, err := c.RunHead(t.Context(), head.ID+2) // the run of the billing that the last one has made
			if err != nil || first.Sieve != "Berth billing" || first.Number != 2 {
				t.Errorf("run %d of %s: %v", first.Number, first.Sieve, err)
			}
			checkPlanted(t, "the billing's next month", &next.Planted.Billing, &first.Summary, s64(next.Planted.Billing.Rejects))
			for _, n := range chain(t, c) {
				if n.Stale != "" {
					t.Errorf("after the run, %s is stale: %s", n.Name, n.Stale)
				}
			}
		})
	}
}

func s64(n [2]int) [2]int64 { return [2]int64{int64(n[0]), int64(n[1])} }

// settle saves and runs the sieve over the result, and returns its report's head.
func settle(t *testing.T, c *client.Client) view.Run {
	t.Helper()
	d := sieve.Definition{Name: "Settled services", Left: demo.Logged, Right: demo.Receipts,
		Key:     []sieve.KeyPart{{Columns: column("Invoice", "Reference"), Readings: trimmed}},
		Compare: []sieve.Field{{Columns: column("Amount", "Paid"), As: "decimal"}}}
	if _, err := c.CreateSieve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), d.Name)
	head, err := c.RunHead(t.Context(), done(t, c, job, err).Run)
	if err != nil {
		t.Fatal(err)
	}
	return head
}

func chain(t *testing.T, c *client.Client) []view.ChainNode {
	t.Helper()
	list, err := c.Chain(t.Context(), "Settled services")
	if err != nil {
		t.Fatal(err)
	}
	return list.Nodes
}

func chainOf(t *testing.T, c *client.Client, name string) view.ChainNode {
	t.Helper()
	nodes := chain(t, c)
	at := slices.IndexFunc(nodes, func(n view.ChainNode) bool { return n.Name == name })
	if at < 0 {
		t.Fatalf("%s is not in the chain %+v", name, nodes)
	}
	return nodes[at]
}

// TestChainProblems: a chain may not be circular, what others are made from stays, and a result survives its sieve's new name.
func TestChainProblems(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	s := demo.New(demo.Options{Services: 60})
	loadDemo(t, c, s)
	load(t, c, demo.Receipts, s.Receipts)
	if out := run(t, p.at(), "view", "Berth billing", "--comparison", "full", "--columns", "Invoice,Amount,call_no", "--save", demo.Logged); out.status != 0 {
		t.Fatal(out.errors)
	}
	set, err := c.Set(t.Context(), demo.Logged)
	if err != nil || fmt.Sprint(set.Snapshot.Columns) != "[Invoice Amount call_no in service-log in invoices]" {
		t.Errorf("a saved result has the columns %v, %v", set.Snapshot.Columns, err)
	}
	settle(t, c)
	for name, args := range map[string][]string{
		"a result over its own result": {"view", "Settled services", "--comparison", "left", "--save", demo.Logged},
		"a result over what it reads":  {"view", "Settled services", "--comparison", "left", "--save", demo.Invoices},
	} {
		out := run(t, p.at(), args...)
		if out.status != 2 || !strings.Contains(out.errors, "would be made from itself") || !strings.Contains(out.errors, " → Settled services → ") {
			t.Errorf("%s: exit %d, %q", name, out.status, out.errors)
		}
	}
	billing, etag, err := c.Sieve(t.Context(), "Berth billing")
	if err != nil {
		t.Fatal(err)
	}
	circular := sieve.Definition{Name: "Berth billing", Left: demo.Logged, Right: demo.Receipts, Key: []sieve.KeyPart{{Columns: column("Invoice", "Reference")}}}
	if _, err := c.ChangeSieve(t.Context(), "Berth billing", etag, circular); asProblem(err) == nil || !view.Circular.Is(asProblem(err)) || !strings.Contains(err.Error(), "Berth billing → logged-invoices → Berth billing") {
		t.Errorf("a sieve over its own result: %v", err)
	}
	if err := c.DeleteSieve(t.Context(), "Berth billing", etag); asProblem(err) == nil || !strings.Contains(err.Error(), `"logged-invoices" is a result of the sieve`) {
		t.Errorf("deleting a sieve that a set is a result of: %v", err)
	}
	renamed := billing.Definition
	renamed.Name = "Billing at the berths"
	if _, err := c.ChangeSieve(t.Context(), "Berth billing", etag, renamed); err != nil {
		t.Fatal(err)
	}
	load(t, c, demo.Invoices, s.Invoices)
	job, err := c.Run(t.Context(), "Settled services")
	done(t, c, job, err)
	if n := chainOf(t, c, "Billing at the berths"); n.Number != 2 || n.Stale != "" {
		t.Errorf("under its new name, the sieve is %+v", n)
	}
	var problem *view.Problem
	if _, err := c.Chain(t.Context(), "none"); !errors.As(err, &problem) || !view.NotFound.Is(problem) {
		t.Errorf("the chain of no sieve: %v", err)
	}
}

var trimmed = reading.MustParse("trim", "ignore-case")
