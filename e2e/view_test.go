package e2e

import (
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/client"
	"twinsieve/core/comparison"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// TestViewForms reads what the client prints of rows, counts, stacks and chains, in each form.
func TestViewForms(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	dir, file := loadSmall(t, p)
	if r := run(t, p.at(), "define", file); r.status != 0 {
		t.Fatal(r.errors)
	}
	if r := run(t, p.at(), "run", "small"); r.status != 1 {
		t.Fatal(r.errors)
	}
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"view", "small", "--comparison", "full", "--columns", "call,Amount as billed,in bills", "--sort", "Amount desc", "--totals"},
			"All of log and all of bills, what pairs side by side: 7 rows. 2 records of log have no partner. 1 record of bills has no partner. 1 row shows a record of bills again, for it has several partners.\n\n" +
				"call       billed  in bills\n" + strings.Repeat("─", 29) + "\n–              90  yes\n"},
		{[]string{"view", "1", "--comparison", "left-anti", "-o", "csv"}, "call,day,amount\nMW-3,2031-03-03,30\n,2031-03-03,40\n"},
		{[]string{"view", "small", "--comparison", "right-anti", "-o", "ndjson"}, `{"Call":"MW-9","Amount":"90"}` + "\n"},
		{[]string{"view", "small", "--comparison", "inner", "--where", `number(Amount) > 50`, "--columns", "Call"}, "the filter leaves out 2 rows\n\nCall\n"},
		{[]string{"view", "small", "--comparison", "full", "--from", "2", "--limit", "2", "--columns", "call"}, "rows 3 to 4 of 7\nthere is more: --from 4\n"},
		{[]string{"view", "small", "--in-tray", "surplus", "--columns", "call,amount"}, "The records of log that are surplus.\n\ncall  amount\n"},
		{[]string{"view", file, "--swap", "--comparison", "left-semi", "--columns", "Call"}, "The 3 records of bills that have a partner in log, each once."},
		{[]string{"view", "small", "--comparison", "separate", "--side", "right", "--partners-of", "1", "--columns", "Call"}, "rows 1 to 1 of 1\n"},
		{[]string{"view", "small", "--comparison", "union", "--pair", "call=Call", "--limit", "1"}, "Every record that is in log or in bills, each once: "},
		{[]string{"view", "small", "--dropped", "--comparison", "inner", "--side", "right", "-o", "csv"}, "Call,Amount\nMW-9,90\n"},
		{[]string{"counts", "small", "--key", "amount=Amount"}, "comparison   rows  as saved  change  drops left  right  again left  right  keeps\n"},
		{[]string{"counts", "small", "--pair", "call=Call", "-o", "csv"}, "comparison,rows,dropped left,dropped right,again left,again right,keeps\nfull,7,0,0,0,1,all of both\n"},
		{[]string{"export", "small", "--comparison", "full", "--no-partner", "(none)", "--columns", "call,Call"}, "call,Call\n"},
		{[]string{"stack", "log", "bills", "--look", "--rename", "bills:Call=call"}, "from   records\n"},
		{[]string{"chain", "small"}, "small  sieve       log, bills  run 1       7 exceptions  up to date\n"},
		{[]string{"chain", "small", "-o", "csv"}, "kind,name,from,number,count,stale\nset,bills,,1,4,\nset,log,,1,6,\nsieve,small,\"log, bills\",1,7,\n"},
		{[]string{"__complete", "view", "small", "--columns", ""}, "call\nday\namount\nCall\nAmount\nin log\nin bills\n"},
		{[]string{"__complete", "view", "small", "--comparison", ""}, "full\ninner\nleft\nright\n"},
		{[]string{"__complete", "view", "small", "--where", "number(am"}, "number(amount\n"},
		{[]string{"__complete", "counts", "--left", "log", "--left-where", ""}, "call\nday\namount\n"},
	} {
		r := run(t, p.at(), c.args...)
		if r.status != 0 || !strings.Contains(r.out, c.want) || strings.Contains(r.out, "\x1b") {
			t.Errorf("%q: exit %d\n%s%s\nwant\n%s", c.args, r.status, r.out, r.errors, c.want)
		}
	}
	r := run(t, p.at(), "view", "small", "--comparison", "full", "--totals", "-o", "json")
	var page struct {
		view.Rows
		Totals view.Totals `json:"totals"`
	}
	if err := json.Unmarshal([]byte(r.out), &page); err != nil || len(page.Rows.Rows) != 7 || page.Total != 7 || len(page.Totals.Columns) != 2 {
		t.Errorf("json: %v\n%s", err, r.out)
	}
	book := filepath.Join(dir, "rows.xlsx")
	if r := run(t, p.at(), "export", "small", "--comparison", "inner", "--out", book); r.status != 0 {
		t.Fatal(r.errors)
	}
	if r := run(t, p.at(), "load", book, "--as", "again"); r.status != 0 {
		t.Fatal(r.errors)
	}
	if set, err := p.client().Set(t.Context(), "again"); err != nil || set.Snapshot.Records != 4 || fmt.Sprint(set.Snapshot.Columns) != "[call day amount Call Amount]" {
		t.Errorf("the spreadsheet has %d records of %v, %v", set.Snapshot.Records, set.Snapshot.Columns, err)
	}
}

// TestRowsAfterRestart: a run's rows are there after a restart as they were before, from the sealed index and the snapshots that it
// has read, whatever has been loaded since; a definition's are those of the newest snapshots.
func TestRowsAfterRestart(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := serve(t, data)
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 120}))
	asks := map[string]view.Ask{}
	for name, look := range map[string]view.Look{
		"full": {Comparison: "full"}, "swapped": {Comparison: "left", Swap: true}, "sorted": {Comparison: "inner", Sort: []view.SortBy{{Column: "Amount"}}},
		"filtered": {Comparison: "left-anti", Where: `quay == "Tar Quay"`}, "whole": {Comparison: "union", Align: wholePairs}, "tray": {Comparison: "full", Tray: "differing"},
	} {
		asks[name] = view.Ask{Run: head.ID, Look: look}
	}
	read := func(c *client.Client) map[string]string {
		out := map[string]string{}
		for name, a := range asks {
			rows, last := allRows(t, c, a)
			text := []string{last.Sentence}
			for _, r := range rows {
				text = append(text, rowText(&r))
			}
			out[name] = strings.Join(text, "\n")
		}
		return out
	}
	before := read(c)
	load(t, c, demo.Invoices, []byte("Invoice,Ship,Voyage Call,Invoiced On,Svc,Amount,Remark\nP1,YARROW,mw-1,01.03.2031,pil,1,\n"))
	p.stop(t, syscall.SIGKILL)
	p = serve(t, data)
	for name, text := range read(p.client()) {
		if text != before[name] || strings.Count(text, "\n") == 0 {
			t.Errorf("%s: the rows are others than before", name)
		}
	}
	rows, _ := allRows(t, p.client(), view.Ask{Definition: &head.Definition, Look: view.Look{Comparison: "right"}})
	if len(rows) != 1 || rows[0].Left != 0 {
		t.Errorf("over the newest snapshots there are %d rows", len(rows))
	}
}

// TestManyLooks: more matches and lists than stay at hand are looked at, from several sides at once; each answer is right.
func TestManyLooks(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := serve(t, data, "--memory", "64MB")
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 120}))
	errs := make(chan error, 4)
	for side := range 4 {
		go func() {
			errs <- func() error {
				for n := range 24 {
					d := head.Definition
					d.Where.Left = fmt.Sprintf(`number(part(call_no, "-", 2)) > %d`, (n*7+side)%12*100)
					look := view.Look{Comparison: "left", Sort: []view.SortBy{{Column: "amount_due", Descending: n%2 == 0}, {Column: "vessel"}}, Where: fmt.Sprintf(`zero(amount_due) > %d`, n%11*10)}
					page, err := c.Rows(t.Context(), view.Ask{Definition: &d, Look: look}, 0, 1000, nil)
					if err != nil {
						return err
					}
					if page.Left == nil || page.Total+page.Left.Rows != page.Count.Rows || int64(len(page.Rows)) != min(page.Total, 1000) {
						return fmt.Errorf("%d rows of %d are left of %d, %+v", len(page.Rows), page.Total, page.Count.Rows, page.Left)
					}
				}
				return nil
			}()
		}()
	}
	for range 4 {
		if err := <-errs; err != nil {
			t.Error(err)
		}
	}
	temp, err := os.ReadDir(filepath.Join(data, "tmp"))
	if err != nil || len(temp) != 0 {
		t.Errorf("temporary files with names: %v, %v", temp, err)
	}
}

// TestRowsAreCancelled: rows that take long to be made ready are a job, which can be cancelled; nothing of it stays, and the next
// asker gets them whole.
func TestRowsAreCancelled(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	dir := t.TempDir()
	left, right := large(t, dir, 200_000)
	for set, file := range map[string]string{"left": left, "right": right} {
		if out := run(t, p.at(), "load", file, "--as", set); out.status != 0 {
			t.Fatal(out.errors)
		}
	}
	d := largeSieve()
	a := view.Ask{Definition: &d, Look: view.Look{Comparison: "full", Sort: []view.SortBy{{Column: "left.amount"}, {Column: "right.vessel"}}}}
	var once bool
	_, err := c.Rows(t.Context(), a, 0, 10, func(j view.Job) {
		if !once && !j.Ended() {
			once = true
			if _, err := c.Cancel(t.Context(), j.ID); err != nil {
				t.Error(err)
			}
		}
	})
	if problem := asProblem(err); !once || problem == nil || !view.Cancelled.Is(problem) {
		t.Fatalf("cancelled: %v", err)
	}
	progressed := false
	page, err := c.Rows(t.Context(), a, 0, 10, func(j view.Job) { progressed = progressed || j.Done > 0 })
	if err != nil || len(page.Rows) != 10 || !progressed {
		t.Errorf("%d rows, with progress: %v, %v", len(page.Rows), progressed, err)
	}
	start := time.Now()
	if again, err := c.Rows(t.Context(), a, page.Total-10, 10, nil); err != nil || len(again.Rows) != 10 || again.Job != nil {
		t.Errorf("the last page after %s: %d rows, %v", time.Since(start), len(again.Rows), err)
	}
}

// TestRunRowsInConsole looks at a run's rows: chooses a comparison, sorts, adds up, renames a column, swaps, makes a record set, and
// finds it in the chain.
func TestRunRowsInConsole(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{}))
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	// Matched records are no exceptions; their rows are sorted and filtered like any others.
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=matched", p.address, head.ID)))
	w.press("Sort and filter them")
	w.shows(head.Summary.Tray(tray.Matched).Entries)
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, head.ID)))
	w.press("Rows")
	w.says("All of service-log and all of invoices")
	w.field("Comparison")
	w.pick("left-anti")
	w.shows(head.Summary.Comparisons[6].Rows)
	rows, err := c.Rows(t.Context(), view.Ask{Run: head.ID, Look: view.Look{Comparison: "left-anti", Sort: []view.SortBy{{Column: "amount_due", Descending: true}}, Columns: []comparison.Chosen{{Column: "amount_due"}}}}, 0, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	w.press("amount_due")
	w.until(`document.querySelector('[aria-label="sorted upwards"]') !== null`)
	w.press("amount_due ↑")
	w.until(fmt.Sprintf(`document.querySelector('[aria-label="sorted downwards"]') !== null && document.querySelector('[data-testid=rows] tbody tr.ant-table-row')?.innerText.includes(%q)`, *rows.Rows[0].Cells[0]))
	w.click(`[data-testid=rows] .ant-checkbox-input`, 0)
	job, err := c.RowTotals(t.Context(), view.Ask{Run: head.ID, Look: view.Look{Comparison: "left-anti"}})
	sum := done(t, c, job, err).Totals.Columns[0].Sum
	w.until(fmt.Sprintf(`document.querySelector('[data-total=amount_due]')?.innerText.replaceAll(',', '') === 'Σ %s'`, sum))
	w.press("Columns")
	w.field("name of vessel")
	w.keys("ship", kb.Enter)
	w.until(`[...document.querySelectorAll('[data-testid=rows] th')].some((e) => e.innerText.trim() === 'ship')`)
	w.press("Columns (7)")
	w.press("Swap sides")
	w.says("The " + summary.Number(head.Summary.Comparisons[7].Rows) + " records of invoices that have no partner in service-log.")
	w.press("Make a record set")
	w.field("Name of the new record set")
	w.keys("unlogged")
	w.press("Make it")
	w.says("Made: unlogged.")
	set, err := c.Set(t.Context(), "unlogged")
	if err != nil || set.Snapshot.Records != head.Summary.Comparisons[7].Rows || set.Snapshot.Findings.Run != head.ID || set.Snapshot.Columns[0] != "Invoice" {
		t.Errorf("the record set has %d records of %v, from run %d: %v", set.Snapshot.Records, set.Snapshot.Columns, set.Snapshot.Findings.Run, err)
	}
	w.do(chromedp.Navigate(p.address + "/sieves/of/" + url.PathEscape(head.Sieve)))
	w.until(`[...document.querySelectorAll('[data-testid=chain] .node')].some((n) => n.innerText.includes('unlogged') && n.innerText.includes('from Berth billing'))`)
	w.do(chromedp.Navigate(p.address + "/sets/unlogged"))
	w.says("Rows of Berth billing, report 1, made from invoices snapshot 1, service-log snapshot 1.")
}

// TestWorkbenchHasTheCrosswalk: the workbench counts with what has been accepted in its sieve, as a run does.
func TestWorkbenchHasTheCrosswalk(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	load(t, c, "log", []byte("call,fee\nA,1\nB,2\n"))
	load(t, c, "bills", []byte("call,fee\nA,1\nX,2\n"))
	if _, err := c.CreateSieve(t.Context(), sieve.Definition{Name: "Calls", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: column("call", "")}}}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Decide(t.Context(), "Calls", view.Decision{Pairs: []view.KeyPair{{Left: []string{"B"}, Right: []string{"X"}}}, Accept: true}); err != nil {
		t.Fatal(err)
	}
	b := newBrowser(t, p)
	b.do(chromedp.Navigate(p.address + "/sieves/of/Calls"))
	b.until(`document.querySelector('[data-count=inner]')?.innerText === '2'`)
	b.until(`document.querySelectorAll('[data-testid=rows] tbody tr.ant-table-row').length === 2`)
}
