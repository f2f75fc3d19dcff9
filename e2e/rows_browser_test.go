package e2e

import (
	"fmt"
	"net/url"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/client"
	"twinsieve/core/comparison"
	"twinsieve/demo"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// TestRowsInConsole switches through all comparisons on the workbench, filters with a mistake and without, looks at the sides apart,
// and swaps them: once with the mouse, once with the keyboard alone.
func TestRowsInConsole(t *testing.T) {
	t.Parallel()
	for _, keyboard := range []bool{false, true} {
		t.Run(map[bool]string{false: "mouse", true: "keyboard"}[keyboard], func(t *testing.T) {
			t.Parallel()
			p := serve(t, t.TempDir())
			c := p.client()
			head := loadDemo(t, c, demo.New(demo.Options{}))
			w := &walk{browser: newBrowser(t, p), keyboard: keyboard, seen: map[string]int{}}
			w.mistakes = true
			w.do(chromedp.Navigate(p.address + "/sieves/of/" + url.PathEscape(head.Sieve)))
			w.says("whole records by")
			w.comparisons(c, head)
			w.filter()
			w.apart(c, head)
			w.swap(c, head)
		})
	}
}

// shows waits until a table says how many rows it has altogether.
func (w *walk) shows(rows int64) {
	w.t.Helper()
	text := "of " + summary.Number(rows)
	if rows == 0 {
		text = "no rows"
	}
	w.until(fmt.Sprintf(`document.querySelector('[data-testid=shown]')?.innerText.endsWith(%q)`, text))
}

// comparisons chooses each comparison on the count board: the board, the table and the interface say the same number of rows.
func (w *walk) comparisons(c *client.Client, head *view.Run) {
	w.t.Helper()
	d := head.Definition
	job, err := c.CountWhole(w.t.Context(), d, comparison.Alignment{})
	suggested := done(w.t, c, job, err).Whole.Suggested
	job, err = c.CountWhole(w.t.Context(), d, comparison.Alignment{By: "pairs", Pairs: suggested})
	whole := done(w.t, c, job, err).Whole
	for _, count := range append(slices.Clone(head.Summary.Comparisons), whole.Counts...) {
		if count.Comparison == comparison.Union { // set logic needs columns that fit, and says which do not
			w.says("service_date reads as date YYYY-MM-DD and Ship as text")
			w.field("Columns of whole records")
			w.pick("chosen pairs of columns")
		}
		w.until(fmt.Sprintf(`document.querySelector('[data-count=%q]')?.innerText === %q`, count.Comparison, summary.Number(count.Rows)))
		if w.keyboard && !slices.Contains([]comparison.Name{"inner", "left-anti", "separate", "cross", "union", "except-all"}, count.Comparison) {
			continue // they are buttons like these
		}
		w.press(string(count.Comparison))
		switch count.Comparison {
		case comparison.Separate:
			w.until(fmt.Sprintf(`[...document.querySelectorAll('[data-testid=shown]')].map((e) => e.innerText.split(' of ')[1]).join(' ') === '%s %s'`,
				summary.Number(head.Summary.Records[0]), summary.Number(head.Summary.Records[1])))
			continue
		case comparison.Cross:
			w.says("cross would show 1,500,625 rows: 1,225 records of service-log with 1,225 records of invoices. Confirm that this is wanted")
			w.press("Show them all the same")
		}
		w.shows(count.Rows)
	}
	w.press("full-anti") // what it drops is one click away
	w.reach(fmt.Sprintf("full-anti drops %d of the right: show them", head.Summary.Comparisons[8].Dropped[1]))
	w.shows(head.Summary.Comparisons[8].Dropped[1])
	w.reach(fmt.Sprintf("%d records of service-log missing: show them", head.Summary.Trays[2].Records[0])) // a part of the picture
	w.shows(head.Summary.Trays[2].Records[0])
	w.says("The records of service-log that are missing.")
}

// filter writes a filter with a mistake, reads what is said of it, and mends it; then makes another in the form.
func (w *walk) filter() {
	w.t.Helper()
	w.press("full")
	w.says("All of service-log and all of invoices")
	w.field("Only rows for which")
	w.keys("number(amount_du) > 2700")
	w.says(`At character 8: there is no column "amount_du"; did you mean "amount_due"?`)
	w.keys(slices.Repeat([]string{kb.Backspace}, len(") > 2700"))...)
	w.keys("e) > 2700", kb.Enter)
	w.says("The filter leaves out")
	w.until(`!document.querySelector('[data-testid=rows] .fault')`)
	w.keys(kb.Escape)
	w.reach("Only rows for which: form")
	w.field("Filtered column")
	w.pick("quay")
	w.field("Filtered value")
	w.keys("Tar Quay")
	w.until(`document.querySelector('[data-testid=expressed]')?.innerText === 'quay == "Tar Quay"'`)
	w.press("Add")
	w.until(`document.querySelector('[aria-label="Only rows for which"]').value === 'number(amount_due) > 2700 && quay == "Tar Quay"'`)
	w.until(`[...document.querySelectorAll('[data-testid=rows] tbody tr.ant-table-row')].every((r) => r.innerText.includes('Tar Quay'))`)
}

// apart chooses a record on the left, and sees its partners on the right.
func (w *walk) apart(c *client.Client, head *view.Run) {
	w.t.Helper()
	rows, err := c.Rows(w.t.Context(), view.Ask{Run: head.ID, Look: view.Look{Comparison: "inner", Columns: []comparison.Chosen{{Column: "Invoice"}}}}, 0, 1, nil)
	if err != nil {
		w.t.Fatal(err)
	}
	w.press("separate")
	w.check(fmt.Sprintf("choose left record %d", rows.Rows[0].Left))
	w.says("partners of 1 chosen")
	w.until(fmt.Sprintf(`(() => { const right = document.querySelectorAll('[data-testid=apart] [data-testid=rows]')[1]; return right.querySelector('[data-testid=shown]').innerText === 'rows 1 to 1 of 1' && right.innerText.includes(%q); })()`, *rows.Rows[0].Cells[0]))
	w.shoot("separate.png")
}

// swap exchanges the sides: the counts turn, and nothing saved has changed.
func (w *walk) swap(c *client.Client, head *view.Run) {
	w.t.Helper()
	counts := head.Summary.Comparisons
	if counts[6].Rows == counts[7].Rows {
		w.t.Fatal("both antis have as many rows; a swap would not be seen")
	}
	if w.keyboard {
		w.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('[aria-label="Name of the sieve"]').focus()`))
	}
	w.press("Swap sides")
	w.until(fmt.Sprintf(`document.querySelector('[data-count="left-anti"]')?.innerText === %q && document.querySelector('[data-count="right-anti"]')?.innerText === %q`,
		summary.Number(counts[7].Rows), summary.Number(counts[6].Rows)))
	w.says(fmt.Sprintf("%s (%s%s)", summary.Number(counts[6].Rows), map[bool]string{true: "−", false: "+"}[counts[7].Rows < counts[6].Rows], strings.TrimPrefix(summary.Number(counts[7].Rows-counts[6].Rows), "-"))) // the count before stands beside
	saved, _, err := c.Sieve(w.t.Context(), head.Sieve)
	if err != nil || saved.Version != 1 || saved.Definition.Left != head.Definition.Left {
		w.t.Errorf("swapping changed the saved sieve: version %d, left %s, %v", saved.Version, saved.Definition.Left, err)
	}
}

// TestSameNamesInConsole chooses a left column that the right set has, too: it stands on the right, and stays there when the left changes.
func TestSameNamesInConsole(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	dir := t.TempDir()
	if err := demo.New(demo.Options{}).Write(dir); err != nil {
		t.Fatal(err)
	}
	for _, set := range []string{"north-quay", "salt-quay"} {
		if out := run(t, p.at(), "load", filepath.Join(dir, set+".csv")); out.status != 0 {
			t.Fatal(out.errors)
		}
	}
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	w.do(chromedp.Navigate(p.address + "/sieves/new"))
	w.until(`document.querySelector('[aria-label="Name of the sieve"]') !== null`)
	w.sides("north-quay", "salt-quay")
	right := `document.querySelector('[aria-label="right column of the key pair"]').closest('.ant-select').innerText.trim()`
	for _, left := range []string{"call_no", "vessel"} {
		w.chooses("left column of the key pair", left)
		w.until(`document.querySelector('[aria-label="left column of the key pair"]').closest('.ant-select').innerText.trim() === ` + strconv.Quote(left))
		w.until(right + ` === "call_no"`)
	}
}

// TestStackSetsInConsole stacks two quays, one of which names its columns otherwise, with the mouse and with the keyboard alone.
func TestStackSetsInConsole(t *testing.T) {
	t.Parallel()
	for _, keyboard := range []bool{false, true} {
		t.Run(map[bool]string{false: "mouse", true: "keyboard"}[keyboard], func(t *testing.T) {
			t.Parallel()
			p := serve(t, t.TempDir())
			c := p.client()
			s := demo.New(demo.Options{})
			dir := t.TempDir()
			if err := s.Write(dir); err != nil {
				t.Fatal(err)
			}
			for _, quay := range []string{"north-quay", "salt-quay", "tar-quay"} {
				if out := run(t, p.at(), "load", filepath.Join(dir, quay+".csv")); out.status != 0 {
					t.Fatal(out.errors)
				}
			}
			w := &walk{browser: newBrowser(t, p), keyboard: keyboard, seen: map[string]int{}}
			w.do(chromedp.Navigate(p.address + "/stack"))
			w.field("Record sets to stack")
			for _, quay := range []string{"north-quay", "salt-quay", "tar-quay"} {
				w.pick(quay)
			}
			w.keys(kb.Escape)
			for quay, n := range s.Planted.Quays {
				w.until(fmt.Sprintf(`document.querySelector('[data-origin=%q]')?.innerText === %q`, quay, summary.Number(int64(n))))
			}
			w.field("Column of the origin")
			w.keys(slices.Repeat([]string{kb.Backspace}, len("origin"))...)
			w.keys("quay")
			w.field("label of north-quay")
			w.keys("North")
			for _, m := range [][2]string{{"call_no", "Call"}, {"service_date", "Date"}, {"service_code", "Code"}, {"vessel", "Ship"}, {"amount_due", "Due"}} {
				w.field(m[0] + " in tar-quay")
				w.pick(m[1])
				w.until(fmt.Sprintf(`![...document.querySelectorAll('.stacking td:first-child')].some((e) => e.innerText === %q)`, m[1]))
			}
			w.shoot("stack.png")
			if keyboard {
				w.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('#main').querySelector('a, button, input').focus()`))
				w.do(chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(chromedp.ModifierShift)))
			}
			w.field("Name of the new record set")
			w.keys("all-quays")
			w.press("Make it")
			w.says("Made: all-quays.")
			set, err := c.Set(t.Context(), "all-quays")
			if err != nil || fmt.Sprint(set.Snapshot.Columns) != "[call_no service_date service_code vessel amount_due Clerk quay]" {
				t.Fatalf("%v, %v", set.Snapshot.Columns, err)
			}
			total := 0
			for _, n := range s.Planted.Quays {
				total += n
			}
			if set.Snapshot.Records != int64(total) || set.Snapshot.Findings.Origins[0].Text != "North" {
				t.Errorf("%d records of %d, from %v", set.Snapshot.Records, total, set.Snapshot.Findings.Origins)
			}
			w.press("all-quays")
			w.says("Made from north-quay snapshot 1")
		})
	}
}
