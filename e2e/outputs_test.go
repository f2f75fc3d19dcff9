package e2e

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"twinsieve/demo"
	"twinsieve/service/view"
)

const (
	smallLog   = "call,day,amount\nMW-1,2031-03-02,10.00\nMW-2,2031-03-02,20\nMW-3,2031-03-03,30\n,2031-03-03,40\nMW-5,2031-03-04,50\nMW-5,2031-03-04,55\n"
	smallBills = "Call;Amount\nmw-1;10.04\nMW-2;25.5\nMW-9;90\nMW-5;55\nMW-7\n"
)

// small writes the two small files.
func small(t *testing.T) (dir, left, right string) {
	t.Helper()
	dir = t.TempDir()
	return dir, write(t, dir, "log.csv", []byte(smallLog)), write(t, dir, "bills.csv", []byte(smallBills))
}

// loadSmall loads the two small files, and writes a sieve file over them beside them.
func loadSmall(t *testing.T, p *process) (dir, sieve string) {
	t.Helper()
	dir, left, right := small(t)
	for _, file := range []string{left, right} {
		if r := run(t, p.at(), "load", file); r.status != 0 {
			t.Fatalf("load: exit %d %s", r.status, r.errors)
		}
	}
	return dir, write(t, dir, "small.sieve.yaml", []byte("sieve: small\nleft: log\nright: bills\nkey:\n  - left: call\n    right: Call\n    readings: [ignore-case]\ncompare:\n  - left: amount\n    right: Amount\n    as: decimal\n"))
}

// TestSiftForPeople reads the whole of what sift prints: the two small files have one record for nearly every tray.
func TestSiftForPeople(t *testing.T) {
	t.Parallel()
	_, left, right := small(t)
	r := run(t, nil, "sift", left, right, "-k", "call=Call: ignore-case", "-c", "amount=Amount: as decimal, within 0.05", "--show", "2")
	want := `2 of 6 log records agree with a record of bills.
6 exceptions need a person: 1 differing, 1 missing, 1 orphaned, 1 surplus, 1 unkeyed, 1 reject.

tray                   log  bills
───────────────────────────────────
● matched                2      2
◑ differing              1      1
◖ missing                1      –
◗ orphaned               –      1
◍ surplus                1      0
○ unkeyed                1      0
◌ excluded               0      0
= records                6      4
✕ rejects, no records    0      1
unkeyed in log: call = Call 1 blank

From the left total to the right total: amount = Amount
                           amount
───────────────────────────────────
log                        205.00
unkeyed, left              -40.00
missing, left              -30.00
surplus, left              -50.00
matched, within tolerance   +0.04
differing                   +5.50
orphaned, right            +90.00
bills                      180.54
the balance closes

comparison   rows  keeps
────────────────────────────────────────────────
full            7  all of both
inner           4  only what pairs
left            6  all of the left
right           5  all of the right
left-semi       4  left with a partner
right-semi      3  right with a partner
left-anti       2  left without a partner
right-anti      1  right without a partner
full-anti       3  all without a partner
separate       10  two tables, kept apart
cross          24  every left with every right
by-position     6  side by side, without a key
relation: many to one; keys on both sides: 3; repeated: 1 left, 0 right

1 line of ` + right + ` rejected:
  line 6: 1 cell where 2 columns are named

tray       reason                          left line  right line  difference in amount = Amount  call  day         amount  Call  Amount
─────────────────────────────────────────────────────────────────────────────────────────────────────────────────────────────────────────
differing  amount = Amount differs by 5.5  3          3           5.5                            MW-2  2031-03-02  20      MW-2  25.5
missing    no bills record has this key    4                                                     MW-3  2031-03-03  30
`
	if r.status != 1 || r.out != want || r.errors != "" {
		t.Errorf("exit %d, %s\n%s\nwant\n%s", r.status, r.errors, r.out, want)
	}
}

// TestSiftForPrograms reads the other forms.
func TestSiftForPrograms(t *testing.T) {
	t.Parallel()
	_, left, right := small(t)
	args := []string{"sift", left, right, "-k", "call=Call: ignore-case", "-c", "amount=Amount: as decimal, within 0.05"}
	r := run(t, nil, append(args, "-o", "csv")...)
	want := `tray,reason,left line,right line,difference in amount = Amount,call,day,amount,Call,Amount
differing,amount = Amount differs by 5.5,3,3,5.5,MW-2,2031-03-02,20,MW-2,25.5
missing,no bills record has this key,4,,,MW-3,2031-03-03,30,,
orphaned,no log record has this key,,4,,,,,MW-9,90
surplus,log has more records of this key than bills,6,,,MW-5,2031-03-04,50,,
unkeyed,call is blank,5,,,,2031-03-03,40,,
reject,1 cell where 2 columns are named: MW-7,,6,,,,,,
`
	if r.status != 1 || r.out != want {
		t.Errorf("csv: exit %d\n%s%s", r.status, r.out, r.errors)
	}
	file := filepath.Join(t.TempDir(), "out.csv")
	if r := run(t, nil, append(args, "--out", file)...); r.status != 1 || !strings.Contains(r.out, "6 exceptions written to "+file) {
		t.Errorf("--out: exit %d\n%s", r.status, r.out)
	}
	if text, err := os.ReadFile(file); err != nil || string(text) != want {
		t.Errorf("the file says %v\n%s", err, text)
	}
	r = run(t, nil, append(args, "-o", "ndjson")...)
	lines := strings.Split(strings.TrimSpace(r.out), "\n")
	var first map[string]string
	if err := json.Unmarshal([]byte(lines[0]), &first); err != nil || len(lines) != 6 || first["reason"] != "amount = Amount differs by 5.5" || !strings.HasPrefix(lines[0], `{"tray":`) {
		t.Errorf("ndjson: %v\n%s", err, r.out)
	}
}

// TestClientForms runs the client's commands over a service and reads each form that they print.
func TestClientForms(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	_, sieve := loadSmall(t, p)
	for _, c := range []struct {
		args   []string
		status int
		has    string
	}{
		{[]string{"report"}, 2, ""},
		{[]string{"define", sieve}, 0, "saved: small, version 1"},
		{[]string{"define"}, 0, "small        1  log   bills  call = Call"},
		{[]string{"define", "-o", "csv"}, 0, "small,1,log,bills,call = Call,"},
		{[]string{"counts", sieve}, 0, "inner           4           2      1           ·      1  only what pairs"},
		{[]string{"counts", "small", "--swap", "-o", "ndjson"}, 0, `{"comparison":"left","rows":"5","dropped left":"0","dropped right":"2","again left":"1","again right":"0","keeps":"all of the left"}`},
		{[]string{"counts", "--left", "log", "--right", "bills", "-k", "call=Call"}, 0, "left-semi       3           3                  ·         left with a partner"},
		{[]string{"counts", "none"}, 2, ""},
		{[]string{"run", "small"}, 1, "small, run 1 (report 1)"},
		{[]string{"report"}, 1, "log, snapshot 1 of log.csv, content "},
		{[]string{"report", "small", "-o", "csv"}, 1, "tray,left,right\nmatched,1,1\ndiffering,2,2\n"},
		{[]string{"report", "1", "--tray", "unkeyed"}, 1, "○ unkeyed  (blank)  40      –       call is blank"},
		{[]string{"report", "--search", "mw-9 90", "-o", "csv"}, 1, "orphaned,MW-9,,90,no log record has this key,new,open,,4\n"},
		{[]string{"report", "--tray", "lost"}, 2, ""},
		{[]string{"report", "--list", "-o", "csv"}, 0, "1,small,1,7,log/1,bills/1,"},
		{[]string{"report", "17"}, 2, ""},
		{[]string{"report", "nothing"}, 2, ""},
		{[]string{"records", "log", "--limit", "1", "-o", "csv"}, 0, "record,call,day,amount\n1,MW-1,2031-03-02,10.00\n"},
		{[]string{"records", "log", "--limit", "1", "--after", "5"}, 0, "6  MW-5"},
		{[]string{"records", "bills", "--rejects"}, 0, "6  1 cell where 2 columns are named  MW-7"},
		{[]string{"sets", "-o", "csv"}, 0, "bills,1,4,1,2,bills.csv,"},
		{[]string{"export", "--tray", "surplus"}, 0, "surplus,log has more records of this key than bills,"},
		{[]string{"export", "--search", "mw-9"}, 0, "orphaned,no log record has this key,"},
	} {
		r := run(t, p.at(), c.args...)
		said := r.errors
		if strings.HasPrefix(said, "there is more: --after ") { // which programs are told beside the list
			said = ""
		}
		if r.status != c.status || !strings.Contains(r.out, c.has) || (r.status > 1) != (said != "") || strings.Contains(r.out, "\x1b") {
			t.Errorf("%q: exit %d, want %d\n%s%s\nwant %q", c.args, r.status, c.status, r.out, r.errors, c.has)
		}
	}
	checkCompletion(t, p)
}

// checkCompletion asks the program what could be typed next.
func checkCompletion(t *testing.T, p *process) {
	t.Helper()
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"records", ""}, "bills\nlog\n"},
		{[]string{"run", ""}, "small\n"},
		{[]string{"counts", "--left", ""}, "bills\nlog\n"},
		{[]string{"counts", "--left", "log", "--right", "bills", "--key", ""}, "call\nday\namount\n"},
		{[]string{"counts", "--left", "log", "--right", "bills", "--key", "call="}, "call=Call\ncall=Amount\n"},
	} {
		r := run(t, p.at(), append([]string{"__complete"}, c.args...)...)
		if !strings.HasPrefix(r.out, c.want) {
			t.Errorf("completing %q: %q, want %q", c.args, r.out, c.want)
		}
	}
}

// TestExportOverHTTP reads the head of a hand-over, and its rows.
func TestExportOverHTTP(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	s := demo.New(demo.Options{Seed: 2, Services: 60})
	head := loadDemo(t, p.client(), s)
	resp, err := http.Get(p.address + "/api/v1/runs/1/export?tray=missing")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	rows, err := csv.NewReader(resp.Body).ReadAll()
	if err != nil || len(rows) != int(head.Summary.Tray(2).Entries)+1 {
		t.Errorf("%d rows %v", len(rows), err)
	}
	if d := resp.Header.Get("Content-Disposition"); d != `attachment; filename="Berth billing run 1 missing.csv"` {
		t.Errorf("disposition %q", d)
	}
	for name, want := range map[string]string{"X-Content-Type-Options": "nosniff", "Content-Type": "text/csv; charset=utf-8"} {
		if got := resp.Header.Get(name); got != want {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
}

// TestManyReaders reads one report from many sides while a load and a run write: every answer is whole and right.
func TestManyReaders(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	p := serve(t, t.TempDir())
	s := demo.New(demo.Options{Seed: 11})
	head := loadDemo(t, p.client(), s)
	left, _ := large(t, t.TempDir(), 100_000)
	text, err := os.ReadFile(left)
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan struct{})
	go func() {
		defer close(done)
		load(t, p.client(), "large", text)
		loadDemo(t, p.client(), s)
	}()
	var wg sync.WaitGroup
	for range 12 {
		wg.Go(func() {
			c := p.client()
			for n := 0; ; n++ {
				page, err := c.Entries(ctx, head.ID, clientQuery([]string{"matched", "differing", "missing"}[n%3], 50))
				if err != nil || len(page.Entries) == 0 {
					t.Errorf("a page of %d entries: %v", len(page.Entries), err)
					return
				}
				again, err := c.RunHead(ctx, head.ID)
				if err != nil || again.Summary.Verdict != head.Summary.Verdict {
					t.Errorf("another verdict: %v", err)
					return
				}
				select {
				case <-done:
					return
				default:
				}
			}
		})
	}
	wg.Wait()
}

// TestTwoChange: of two people who change one sieve, the second is told what to do.
func TestTwoChange(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 20}))
	_, etag, err := c.Sieve(ctx, head.Sieve)
	if err != nil {
		t.Fatal(err)
	}
	d := head.Definition
	d.Compare = d.Compare[:1]
	if v, err := c.ChangeSieve(ctx, d.Name, etag, d); err != nil || v.Version != 2 {
		t.Fatalf("the first change: %v", err)
	}
	if _, err := c.ChangeSieve(ctx, d.Name, etag, head.Definition); !view.Changed.Is(asProblem(err)) {
		t.Errorf("the second change: %v", err)
	}
	if err := c.DeleteSieve(ctx, d.Name, etag); !view.Changed.Is(asProblem(err)) {
		t.Errorf("a stale delete: %v", err)
	}
	if err := c.DeleteSieve(ctx, d.Name, `"2"`); err != nil {
		t.Error(err)
	}
	for _, set := range []string{demo.ServiceLog, demo.Invoices} {
		if err := c.DeleteSet(ctx, set); err != nil {
			t.Error(err)
		}
	}
	// The run's exceptions outlive sieve and record sets; its matched records are said to be gone.
	if page, err := c.Entries(ctx, head.ID, clientQuery("missing", 5)); err != nil || len(page.Entries) == 0 || page.Entries[0].Left == nil {
		t.Errorf("exceptions of deleted sets: %v", err)
	}
	if _, err := c.Entries(ctx, head.ID, clientQuery("matched", 5)); !view.NotFound.Is(asProblem(err)) || !strings.Contains(err.Error(), "are no longer kept; its exceptions still are") {
		t.Errorf("matched records of deleted sets: %v", err)
	}
}
