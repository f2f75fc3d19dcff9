package e2e

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// onScreen opens a page of the console in front of a network that can be held up.
func onScreen(t *testing.T, p *process, path string) *walk {
	t.Helper()
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	w.mistakes = true
	w.before(heldNetwork)
	w.do(chromedp.Navigate(p.address + path))
	return w
}

// TestReportActsOnWhatIsShown: what is chosen in a report is that report's, a change that is confirmed is the one that was asked for, and quick
// changes all come through.
func TestReportActsOnWhatIsShown(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	loadDemo(t, c, demo.New(demo.Options{Services: 300, Seed: 5}))
	second := loadDemo(t, c, demo.New(demo.Options{Services: 280, Seed: 6}))
	w := onScreen(t, p, fmt.Sprintf("/reports/%d?tray=missing", second.ID))

	// Ticks belong to the report in which they were made.
	w.button("run 1")
	w.until(`document.querySelector('[data-asked]')?.dataset.asked.startsWith('/reports/1?') && document.querySelectorAll('tr[data-row-key]').length > 0`)
	w.quiet()
	w.click("tr[data-row-key] input[type=checkbox]", 0)
	w.says("Change the 1 chosen")
	w.text(`(history.back(), '')`)
	w.until(fmt.Sprintf(`document.querySelector('[data-asked]')?.dataset.asked.startsWith('/reports/%d?') && document.querySelectorAll('tr[data-row-key]').length > 0`, second.ID))
	w.quiet()
	w.says("Change all")
	w.until(`document.querySelectorAll('tr[data-row-key] input:checked').length === 0`)

	tray := func(n int, name string) {
		t.Helper()
		w.click("button.tray", n)
		w.until(fmt.Sprintf(`document.querySelector('[data-asked]').dataset.asked.includes('tray=%s')`, name))
	}

	// While the entries of another tray are on their way there is nothing to change.
	w.slow("GET", "tray=surplus", 1500, 1)
	tray(4, "surplus")
	w.chooses("status of the chosen", "explained")
	w.until(`window.net.pending > 0 && [...document.querySelectorAll('.workbar button')].find((b) => b.innerText.startsWith('Change all'))?.disabled`)
	w.quiet()

	// A conflict that was met in one tray is not confirmed in another.
	tray(2, "missing")
	w.quiet()
	page, err := c.Entries(t.Context(), second.ID, client.Query{Tray: "missing", Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	w.chooses("status of the chosen", "explained")
	w.text(`(window.net.rules.unshift({method: 'GET', path: '/entries?tray=missing', delay: 3000, times: 1}), '')`) // so that what others do is not seen at once
	e := page.Entries[0]
	tam := p.person(t, "tam", view.Analyst)
	if _, err := p.as(tam).ChangeEntry(t.Context(), second.ID, e.ID, e.Work.Version, view.WorkChange{Owner: new("me")}); err != nil {
		t.Fatal(err)
	}
	w.button(fmt.Sprintf("Change all %d", page.Total))
	w.says("Change these, too")
	tray(3, "orphaned")
	w.until(`!document.body.innerText.includes('Change these, too') && document.querySelectorAll('tr[data-row-key]').length > 0`)
	w.quiet()
	if n, body := w.sent("POST", "/entries/work"); n != 1 || !strings.Contains(body, fmt.Sprintf(`"count":%d`, page.Total)) {
		t.Errorf("%d changes were sent, the last %s", n, body)
	}

	// Two quick changes in the drawer both come through.
	w.click("tr[data-row-key] button.link", 0)
	w.says("Conversation")
	w.slow("PUT", "/work", 800, 1)
	w.chooses("status of this exception", "in progress")
	w.chooses("owner of this exception", "ines")
	w.until(`window.net.sent.filter((r) => r.method === 'PUT').length === 2 && window.net.pending === 0`)
	id := w.text(`new URLSearchParams(location.search).get('entry')`)
	entry, err := c.Entry(t.Context(), second.ID, id)
	if err != nil || entry.Status != "in-progress" || entry.Work.Owner != "ines" {
		t.Errorf("after two quick changes: %s, %+v, %v", entry.Status, entry.Work, err)
	}
	// One that the network lost can be sent again.
	w.fails("PUT", "/work", 1)
	w.chooses("status of this exception", "explained")
	w.button("Try it again")
	w.until(`window.net.sent.filter((r) => r.method === 'PUT').length === 4 && window.net.pending === 0`)
	if entry, err = c.Entry(t.Context(), second.ID, id); err != nil || entry.Status != "explained" {
		t.Errorf("after a change that was sent again: %s, %v", entry.Status, err)
	}

	// Who signs in again hears again of what others do, and what was typed is there.
	w.click(`textarea[aria-label="comment"]`, 0)
	w.keys("half a sentence")
	w.text(`(fetch('/api/v1/signout', {method: 'POST'}).then(() => ''), '')`)
	w.quiet()
	w.chooses("status of this exception", "open")
	w.signInAgain()
	w.button("Leave it as it is")
	if entry, err = c.Entry(t.Context(), second.ID, id); err != nil {
		t.Fatal(err)
	}
	if _, err := p.as(tam).ChangeEntry(t.Context(), second.ID, id, entry.Work.Version, view.WorkChange{Owner: new("tam")}); err != nil {
		t.Fatal(err)
	}
	w.says("changed last by tam")
	w.until(`document.querySelector('textarea[aria-label="comment"]').value === 'half a sentence'`)
}

// signInAgain signs in over the page.
func (w *walk) signInAgain() {
	w.t.Helper()
	w.says("Sign in again")
	w.click(`input[type=password]`, 0)
	w.keys(secret, kb.Enter)
	w.until(`!document.body.innerText.includes('Sign in again')`)
}

// TestWorkbenchKeepsWhatIsTyped: a sieve is shown as it is, is run once, and what has been changed of it is lost to nothing.
func TestWorkbenchKeepsWhatIsTyped(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	loadDemo(t, c, demo.New(demo.Options{Services: 60, Seed: 5}))
	w := onScreen(t, p, "/sieves/of/Berth%20billing")
	fields := func(n int) string {
		return fmt.Sprintf(`document.querySelectorAll('[aria-label="Remove the compared field"]').length === %d`, n)
	}
	w.until(fields(2))
	w.quiet()

	// What is wanted of an earlier definition is not shown beside a later one.
	w.button("Why do they not pair?")
	w.says("have nothing like them")
	w.click(`[aria-label="Remove the compared field"]`, 1)
	w.until(fields(1))
	w.until(`!document.body.innerText.includes('Close the diagnosis')`)

	// A way out asks first.
	w.button("Reports")
	w.says("Leave without saving?")
	w.button("Stay here")
	w.until(`!document.body.innerText.includes('Leave without saving?')`)
	w.until(fields(1))

	// A session that ends takes nothing away.
	w.text(`(fetch('/api/v1/signout', {method: 'POST'}).then(() => ''), '')`)
	w.quiet()
	w.button("Save")
	w.signInAgain()
	w.until(fields(1))
	w.quiet()
	w.button("Save")
	w.until(`[...document.querySelectorAll('button')].find((b) => b.innerText === 'Save')?.disabled`)
	w.button("Sieves")
	w.button("Berth billing")
	w.until(fields(1))

	// A request that fails once takes nothing away either.
	w.click(`[aria-label="Remove the compared field"]`, 0)
	w.until(fields(0))
	w.fails("GET", "/sieves/", 3)
	w.text(`(window.dispatchEvent(new Event('visibilitychange')), document.dispatchEvent(new Event('visibilitychange')), '')`)
	w.quiet()
	w.until(fields(0))

	// Pressed twice, it runs once; and it runs as it is shown.
	w.text(`(() => { const b = [...document.querySelectorAll('button')].find((b) => b.innerText === 'Run'); b.click(); b.click(); return ''; })()`)
	w.until(`location.pathname === '/reports/2'`)
	if n, _ := w.sent("POST", "/api/v1/runs"); n != 1 {
		t.Errorf("%d runs were begun", n)
	}
	head, err := c.RunHead(t.Context(), 2)
	if err != nil || len(head.Definition.Compare) != 0 {
		t.Errorf("it ran with %v, %v", head.Definition.Compare, err)
	}

	// A new sieve has its own address once it is saved, and another once it is renamed.
	w.do(chromedp.Navigate(p.address + "/sieves/new"))
	w.field("Name of the sieve")
	w.keys("50%2F50")
	w.sides("service-log", "invoices")
	w.field("left column of the key pair")
	w.pick("call_no")
	w.field("right column of the key pair")
	w.pick("Voyage Call")
	w.button("Save")
	w.until(`location.pathname === '/sieves/of/50%252F50'`)
	w.until(`document.querySelector('[aria-label="Name of the sieve"]').value === '50%2F50'`)
	w.do(chromedp.Reload())
	w.until(`document.querySelector('[aria-label="Name of the sieve"]')?.value === '50%2F50'`)

	// A lookup list keeps its codes, commas, quotes and all.
	w.button("+ lookup list")
	w.field("name of the lookup list")
	w.keys("agents")
	w.click(`[aria-label="pairs of the lookup list"]`, 0)
	w.keys(`"Smith, John", SJ` + "\r" + `"5"" pipe", PIP`)
	w.button("Keep the list")
	w.button("agents (2)")
	w.until(`document.querySelector('[aria-label="pairs of the lookup list"]').value === '"Smith, John", SJ\n"5"" pipe", PIP'`)
	w.button("Keep the list")
	w.button("Save")
	w.until(`[...document.querySelectorAll('button')].find((b) => b.innerText === 'Save')?.disabled`)
	// Under another name it stays open, also when all that has been read is read again, as it is after a session has ended.
	w.click(`[aria-label="Name of the sieve"]`, 0)
	w.keys(kb.End, " more")
	w.button("Save")
	w.until(`location.pathname === '/sieves/of/50%252F50%20more'`)
	w.click(`[aria-label="Name of the sieve"]`, 0)
	w.keys(kb.End, "!")
	w.text(`(fetch('/api/v1/signout', {method: 'POST'}).then(() => ''), '')`)
	w.quiet()
	w.text(`([...document.querySelectorAll('button')].find((b) => b.innerText === 'Save').click(), '')`) // the dialog may be over it already
	w.signInAgain()
	w.quiet()
	w.until(`document.querySelector('[aria-label="Name of the sieve"]').value === '50%2F50 more!'`)
	if fault := w.text(`[...document.querySelectorAll('.fault')].map((f) => f.innerText).join()`); strings.Contains(fault, "There is no sieve") {
		t.Errorf("the sieve was read again under its earlier name: %s", fault)
	}
	sieve, _, err := c.Sieve(t.Context(), "50%2F50 more")
	if got := fmt.Sprint(sieve.Definition.Lookups); err != nil || got != `[{agents [[Smith, John SJ] [5" pipe PIP]]}]` {
		t.Errorf("the lookup list: %s, %v", got, err)
	}
}

// TestRowsAnswerTheQuestion: totals, rows and what is chosen beside them belong to what is asked now; a filter that is joined keeps its meaning.
func TestRowsAnswerTheQuestion(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 300, Seed: 5}))
	const filter = `service_code == "WST" || service_code == "TUG"`
	w := onScreen(t, p, fmt.Sprintf("/reports/%d/rows", head.ID))
	w.says("All of service-log and all of invoices")
	w.slow("POST", "/rows/totals", 1500, 1)
	w.text(`([...document.querySelectorAll('label')].find((l) => l.innerText.trim() === 'totals').click(), '')`)
	w.until(`window.net.sent.some((r) => r.path.includes('/rows/totals'))`)
	w.field("Only rows for which")
	w.keys(filter, "\r")
	w.says("The filter leaves out")
	w.quiet()
	rows, err := c.Rows(t.Context(), view.Ask{Run: head.ID, Look: view.Look{Comparison: "full", Where: filter}}, 0, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	job, err := c.RowTotals(t.Context(), view.Ask{Run: head.ID, Look: view.Look{Comparison: "full", Where: filter}})
	if err != nil {
		t.Fatal(err)
	}
	end, err := c.Wait(t.Context(), job, nil)
	if err != nil {
		t.Fatal(err)
	}
	sum := end.Totals.Columns[slices.IndexFunc(end.Totals.Columns, func(s view.ColumnTotal) bool { return s.Column == "amount_due" })].Sum
	w.until(`document.querySelector('[data-total=amount_due]') !== null`)
	w.quiet()
	if got := strings.NewReplacer("Σ ", "", ",", "").Replace(w.text(`document.querySelector('[data-total=amount_due]').innerText`)); got != sum {
		t.Errorf("the total of %d rows is shown as %s, and is %s", rows.Total, got, sum)
	}

	w.keys("\x1b")
	w.click(`[aria-label="Only rows for which: form"]`, 0)
	w.field("Filtered column")
	w.pick("quay")
	w.field("Filtered value")
	w.keys("Tar Quay")
	w.button("Add")
	w.until(fmt.Sprintf(`document.querySelector('[aria-label="Only rows for which"]').value === '(%s) && quay == "Tar Quay"'`, filter))

	// What is chosen on one side is not chosen on the other once the sides are exchanged.
	swap := func(swapped bool) string {
		text, err := json.Marshal(view.Look{Comparison: "separate", Swap: swapped})
		if err != nil {
			t.Fatal(err)
		}
		return fmt.Sprintf("/reports/%d/rows?look=%s", head.ID, url.QueryEscape(string(text)))
	}
	w.do(chromedp.Navigate(p.address + swap(false)))
	w.until(`document.querySelector('[data-testid=apart] tr.ant-table-row') !== null`)
	w.quiet()
	w.click(`[data-testid=apart] [aria-label^="choose left record"]`, 0)
	w.says("partners of 1 chosen")
	w.text(fmt.Sprintf(`(history.pushState({idx: 1}, '', %q), window.dispatchEvent(new PopStateEvent('popstate', {state: {idx: 1}})), '')`, swap(true)))
	w.until(`!document.body.innerText.includes('partners of 1 chosen')`)
}

// TestManyPages opens more reports at once than a browser has connections to one host: each of them works, and hears of what others do.
func TestManyPages(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 40, Seed: 5}))
	w := onScreen(t, p, fmt.Sprintf("/reports/%d", head.ID))
	w.says("every record accounted for")
	pages := []*browser{w.browser}
	for range 8 {
		ctx, stop := chromedp.NewContext(w.ctx)
		t.Cleanup(stop)
		b := &browser{t: t, ctx: ctx, mistakes: true}
		b.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=missing", p.address, head.ID)))
		b.says("every record accounted for")
		b.until(`document.querySelectorAll('tr[data-row-key]').length > 0`)
		pages = append(pages, b)
	}
	page, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "missing", Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	e := page.Entries[0]
	if _, err := p.as(p.person(t, "tam", view.Analyst)).ChangeEntry(t.Context(), head.ID, e.ID, e.Work.Version, view.WorkChange{Status: new("explained")}); err != nil {
		t.Fatal(err)
	}
	for _, b := range pages[1:] {
		b.until(fmt.Sprintf(`document.querySelector('tr[data-row-key=%q]').innerText.includes('explained')`, e.ID))
	}
}

// longer is a number that the surroundings may state, for a longer run of a test.
func longer(t *testing.T, name string, otherwise int) int {
	t.Helper()
	n, err := strconv.Atoi(cmp.Or(os.Getenv(name), strconv.Itoa(otherwise)))
	if err != nil {
		t.Fatal(err)
	}
	return n
}
