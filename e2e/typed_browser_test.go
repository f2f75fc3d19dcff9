package e2e

import (
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestTypedStays types in many places without saving: it is there again after another page and a reload, or it is asked about before the page
// is left, and what was typed for one thing is never another's.
func TestTypedStays(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 60, Seed: 5}))
	d := head.Definition
	d.Name = "Second"
	if _, err := c.CreateSieve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), "Second")
	done(t, c, job, err)
	w := onScreen(t, p, fmt.Sprintf("/reports/%d", head.ID))
	value := func(label, want string) {
		t.Helper()
		w.until(fmt.Sprintf(`document.querySelector('[aria-label=%q]')?.value === %q`, label, want))
	}

	// A note is there again, after another page and after a reload; in another report it is not.
	w.button("Submit for signing")
	w.click(`[aria-label=why]`, 0)
	w.keys("the tide, mostly")
	w.button("Sieves")
	w.says("New sieve")
	w.text(`(history.back(), '')`)
	w.button("Submit for signing")
	value("why", "the tide, mostly")
	w.do(chromedp.Reload())
	w.button("Submit for signing")
	value("why", "the tide, mostly")
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, head.ID+1)))
	w.button("Submit for signing")
	value("why", "")

	// A note that was put away is not sent with a step that needs none.
	w.keys("not for others")
	w.button("Leave it")
	page, err := c.Entries(t.Context(), head.ID+1, client.Query{Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.ChangeEntries(t.Context(), head.ID+1, client.Query{}, view.BulkChange{WorkChange: view.WorkChange{Status: new("settled")}, Seen: page.Seen, Count: page.Total}); err != nil {
		t.Fatal(err)
	}
	w.until(`!document.body.innerText.includes('still open')`)
	w.button("Submit for signing")
	w.says("Submitted")
	if s, err := c.SignOff(t.Context(), head.ID+1); err != nil || strings.Contains(s.Says, "not for others") {
		t.Errorf("the report is submitted with %q, %v", s.Says, err)
	}

	// Forms are asked about, all of a page in one question.
	w.do(chromedp.Navigate(p.address + "/settings"))
	w.until(`!!document.querySelector('[aria-label=reasons]')?.value`)
	w.quiet() // what arrives moves the fields
	w.field("address of the webhook")
	w.keys("https://ledger.example/hooks")
	value("address of the webhook", "https://ledger.example/hooks")
	w.click(`[aria-label=reasons]`, 0)
	w.keys("fog, ")
	w.button("Activity")
	w.says("The list of reasons has not been saved")
	w.says("The new webhook has not been saved")
	w.button("Stay here")
	value("address of the webhook", "https://ledger.example/hooks")

	// A password whose field is gone is not sent.
	w.button("New connection")
	w.field("name of the connection")
	w.keys("harbour")
	w.click(`form[aria-label="New connection"] input[type=password]`, 0)
	w.keys(secret)
	w.choice("kind of database", "SQLite file", kb.ArrowDown)
	w.until(`!document.querySelector('form[aria-label="New connection"] input[type=password]')`)
	w.button("Save and try it")
	w.until(`window.net.sent.some((r) => r.method === 'POST' && r.path.includes('/connections'))`)
	w.quiet()
	if _, body := w.sent("POST", "/connections"); strings.Contains(body, secret) || !strings.Contains(body, "sqlite") {
		t.Errorf("the new connection was sent as %s", body)
	}
	w.button("Leave it")
	w.until(`!document.querySelector('form[aria-label="New connection"]')`)

	// A list that somebody else has changed is not overwritten unseen.
	reasons, err := c.Reasons(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.SetReasons(t.Context(), []string{"timing"}, reasons.Reasons); err != nil {
		t.Fatal(err)
	}
	w.button("Save the reasons")
	w.says("Somebody has changed the list of reasons since you read it")
	w.says("The list is now: timing.")
	if now, err := c.Reasons(t.Context()); err != nil || !slices.Equal(now.Reasons, []string{"timing"}) {
		t.Errorf("%v, %v", now, err)
	}
	w.button("Replace it with mine")
	w.until(`document.querySelector('[aria-label=reasons]').value.includes('fog')`)
	w.quiet()
	if now, err := c.Reasons(t.Context()); err != nil || !strings.Contains(strings.Join(now.Reasons, "\n"), "fog") {
		t.Errorf("%v, %v", now, err)
	}

	// What is listed to be removed is of the rule that is written: another rule has no list yet.
	w.field("keep the newest")
	w.keys("1")
	w.button("See what goes")
	w.says("0 runs and 0 snapshots go.")
	w.click(`[aria-label="keep the newest"]`, 0)
	w.keys("2")
	w.until(`!document.body.innerText.includes('snapshots go.')`)
	w.button("Activity")
	w.button("Leave it")
	w.until(`document.querySelector('h1')?.innerText === 'Activity'`)

	// A schedule that is half written for one sieve is not another's.
	w.do(chromedp.Navigate(p.address + "/sieves/of/Second/trend"))
	value("cron", "")
	w.text(fmt.Sprintf(`(history.pushState({idx: 1}, '', '/sieves/of/%s/trend'), window.dispatchEvent(new PopStateEvent('popstate', {state: {idx: 1}})), '')`, url.PathEscape(head.Sieve)))
	w.until(`document.body.innerText.includes('How the exceptions of Berth billing')`)
	w.click(`[aria-label=cron]`, 0)
	w.keys("30 6 * * 1-5")
	w.text(`(history.back(), '')`)
	w.says("The schedule of this sieve has not been saved")
	w.button("Leave it")
	w.says("How the exceptions of Second")
	value("cron", "")

	// A file that was to become a new set does not become a snapshot of a set that came meanwhile, until that is said.
	w.do(chromedp.Navigate(p.address + "/sets"))
	w.says("Drop files here")
	w.quiet()
	file := filepath.Join(t.TempDir(), "berths.csv")
	if err := os.WriteFile(file, []byte("berth\nSalt Quay\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{file}))
	w.until(`[...document.querySelectorAll('button')].some((b) => b.innerText === 'Load' && !b.disabled)`)
	if _, err := loadWith(t, c, "berths", "berths.csv", "berth\nTar Quay\n", view.Recipe{}); err != nil {
		t.Fatal(err)
	}
	w.button("Load")
	w.says(`There is a record set "berths" already, and nothing was loaded`)
	w.button("Load as next snapshot")
	w.until(`!document.querySelector('form[aria-label="Load berths.csv"]')`)
	if list, err := c.Snapshots(t.Context(), "berths"); err != nil || len(list.Snapshots) != 2 {
		t.Errorf("%d snapshots, %v", len(list.Snapshots), err)
	}
	w.do(chromedp.Navigate(p.address + "/sieves/of/Second/trend"))
	value("cron", "")
	w.click(`[aria-label=cron]`, 0)
	w.keys("0 7 * * *")
	before := w.asked.Load()
	w.do(chromedp.Reload())
	value("cron", "")
	if after := w.asked.Load(); before != 0 || after == 0 {
		t.Errorf("the browser has asked %d times where nothing was lost, and %d times where something was", before, after-before)
	}
}

// TestSlowAnswersTakeNothingBack: what is typed and chosen while an answer is on its way stays, and an answer that comes late changes nothing but
// what it was asked for.
func TestSlowAnswersTakeNothingBack(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 60, Seed: 5}))
	w := onScreen(t, p, "/sieves/of/"+url.PathEscape(head.Sieve))
	w.until(`document.querySelector('[data-testid=rows] tr[data-row-key]') !== null`)
	w.quiet()
	asked := `JSON.parse(document.querySelector('[data-testid=counts]').dataset.asked)`

	// Both filters are taken, though that each could be is known only after the other was typed.
	w.slow("POST", "/filters/tried", 1500, 6)
	w.click(`[aria-label="filter of the left side"]`, 0)
	w.keys(`quay != ""`)
	w.click(`[aria-label="filter of the right side"]`, 0)
	w.keys("1 < 2", "\r")
	w.until(asked + `.where?.left === 'quay != ""' && ` + asked + `.where?.right === '1 < 2'`)

	// A filter whose page has been left leads nobody back to it.
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d/rows", p.address, head.ID)))
	w.says("All of service-log and all of invoices")
	w.quiet()
	w.slow("POST", "/filters/tried", 1500, 6)
	w.field("Only rows for which")
	w.keys(`quay != ""`, "\r")
	w.button("Activity")
	w.until(`document.querySelector('h1')?.innerText === 'Activity'`)
	w.until(`window.net.sent.some((r) => r.path.includes('/filters/tried'))`)
	w.quiet()
	w.until(`location.pathname === '/activity'`)

	// Another comparison that is chosen meanwhile stays chosen.
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d/rows", p.address, head.ID)))
	w.says("All of service-log and all of invoices")
	w.quiet()
	w.slow("POST", "/filters/tried", 1500, 6)
	w.click(`[aria-label="Only rows for which"]`, 0)
	w.keys(`quay != ""`, "\r")
	w.text(sortOf("quay"))
	w.until(`(() => { const look = JSON.parse(new URLSearchParams(location.search).get('look') ?? '{}'); return look.where === 'quay != ""' && look.sort?.[0].column === 'quay'; })()`)

	// What is written on while it is sent is not lost, and what is ticked meanwhile stays ticked.
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=missing", p.address, head.ID)))
	w.until(`document.querySelectorAll('tr[data-row-key]').length > 2`)
	w.quiet()
	w.chooses("status of the chosen", "explained")
	w.click("tr[data-row-key] input[type=checkbox]", 0)
	w.slow("POST", "/entries/work", 1500, 1)
	w.button("Change the 1 chosen")
	w.click("tr[data-row-key] input[type=checkbox]", 1)
	w.says("1 exception is now explained")
	w.says("Change the 1 chosen")
	w.until(`document.querySelectorAll('tr[data-row-key] input:checked').length === 1`)
	w.click("tr[data-row-key] button.link", 0)
	w.click(`textarea[aria-label=comment]`, 0)
	w.keys("first")
	w.slow("POST", "/comments", 1500, 1)
	w.button("Say it")
	w.click(`textarea[aria-label=comment]`, 0)
	w.keys(", and second")
	w.until(`[...document.querySelectorAll('.talk p')].some((e) => e.innerText === 'first')`)
	w.until(`document.querySelector('textarea[aria-label=comment]').value === 'first, and second'`)

	// A change that fails after its exception was left is told where it was left.
	w.text(`(window.net.rules.unshift({method: 'PUT', path: '/work', delay: 1500, fail: true, times: 1}), '')`)
	w.chooses("status of this exception", "settled")
	w.click(".ant-drawer-close", 0)
	w.button("Reports")
	w.says("was not changed to settled")
	w.shoot("unsent.png")
	w.button("Open it")
	w.says("Conversation")
	w.until(`!document.body.innerText.includes('was not changed to settled')`)
}

// TestPressedTwice: a second press does nothing more, a change that changes nothing says so, and a list that cannot be read does not look empty.
func TestPressedTwice(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 60, Seed: 5}))
	w := onScreen(t, p, fmt.Sprintf("/reports/%d?tray=missing", head.ID))
	w.until(`document.querySelectorAll('tr[data-row-key]').length > 0`)
	w.quiet()
	w.button("Share")
	w.until(`[...document.querySelectorAll('button')].some((b) => b.innerText.startsWith('Make a link to') && !b.disabled)`)
	w.text(`(() => { const b = [...document.querySelectorAll('button')].find((b) => b.innerText.startsWith('Make a link to')); b.click(); b.click(); return ''; })()`)
	w.says("Copy it now")
	w.quiet()
	if list, err := c.Shares(t.Context(), head.ID); err != nil || len(list.Shares) != 1 {
		t.Errorf("two presses made %d links, %v", len(list.Shares), err)
	}

	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=missing", p.address, head.ID)))
	w.until(`document.querySelectorAll('tr[data-row-key]').length > 0`)
	w.quiet()
	w.chooses("status of the chosen", "open")
	w.text(`(() => { const b = [...document.querySelectorAll('button')].find((b) => b.innerText.startsWith('Change all')); b.click(); b.click(); return ''; })()`)
	w.says("Nothing was changed: all of them are so already")
	if n, _ := w.sent("POST", "/entries/work"); n != 1 {
		t.Errorf("two presses sent %d changes", n)
	}

	w.fails("GET", "tray=orphaned", 3)
	w.click("button.tray", 3)
	w.says("The service does not answer")
	w.until(`document.querySelector('[data-asked*="tray=orphaned"]') !== null`)
	if text := w.text(`document.querySelector('[data-asked] table').innerText`); strings.Contains(text, "No record of this run") {
		t.Errorf("a list that could not be read says %q", text)
	}
}

// sortOf is a script that sorts rows by a column.
func sortOf(column string) string {
	return fmt.Sprintf(`([...document.querySelectorAll('[data-testid=rows] button.sort')].find((b) => b.innerText.trim().startsWith(%q)).click(), '')`, column)
}
