package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestTwoBrowsers lets two people look at one report: what one does the other sees without loading the page again, and when both change the
// same exception the second is told, shown the other's change, and loses nothing.
func TestTwoBrowsers(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	tam := p.person(t, "tam", view.Analyst)
	head := loadDemo(t, c, demo.New(demo.Options{Services: 60}))
	page := fmt.Sprintf("%s/reports/%d?tray=missing", p.address, head.ID)
	one, two := &walk{browser: newBrowser(t, p), seen: map[string]int{}}, &walk{browser: newBrowserAs(t, p, tam), seen: map[string]int{}}
	two.mistakes = true // the browser logs the 412 by which the second is told
	// What the second asks for is counted, and its lists and exceptions are held back while hold is set. The console takes hold of fetch as it
	// is loaded, so that it is put into its place before.
	two.before(`(() => {
			const fetch = window.fetch;
			window.under = 0; window.hold = false; window.held = [];
			window.fetch = (request, options) => {
				const ask = () => { window.under++; return fetch(request, options).finally(() => window.under--); };
				const reads = (request.method ?? options?.method ?? 'GET') === 'GET' && String(request.url ?? request).includes('/entries');
				return window.hold && reads ? new Promise((go) => window.held.push(() => go(ask()))) : ask();
			};
		})()`)
	for _, w := range []*walk{one, two} {
		w.do(chromedp.Navigate(page))
		w.until(`document.querySelectorAll("[data-entry]").length > 0`)
		w.do(chromedp.Evaluate[chromedp.Void](`window.loadedOnce = true`))
	}
	entries, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "missing"})
	if err != nil {
		t.Fatal(err)
	}
	first := entries.Entries[0].ID
	open := func(w *walk) {
		w.do(chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.querySelector('[data-entry="%s"]').click()`, first)))
		w.says("Conversation")
	}
	open(one)
	one.chooses("status of this exception", "settled")
	one.until(`document.querySelector('.chip.settled') !== null`)
	two.until(`document.querySelector('.chip.settled') !== null`)
	two.says("ines: missing")
	if two.text(`String(window.loadedOnce)`) != "true" {
		t.Error("the page was loaded again")
	}

	// Both have it open. The one changes the owner; the other changes the status before its page has read that.
	open(two)
	two.until(`document.querySelector('[aria-label="Work"]').innerText.includes("settled")`)
	two.until(`window.under === 0 && (window.hold = true)`)
	one.chooses("owner of this exception", "tam")
	two.says("owned by tam") // it has heard of it, and what it asks for is held back
	two.until(`window.held.length > 0`)
	two.chooses("status of this exception", "explained")
	two.do(chromedp.Evaluate[chromedp.Void](`window.hold = false; window.held.forEach((go) => go()); 0`))
	two.says("has changed it while you did")
	two.says("You wanted explained")
	two.says("settled, owned by tam")
	two.shoot("conflict.png")
	now := func() view.Entry {
		t.Helper()
		e, err := c.Entry(t.Context(), head.ID, first)
		if err != nil {
			t.Fatal(err)
		}
		return e
	}
	if e := now(); e.Status != "settled" || e.Work.Owner != "tam" {
		t.Errorf("%s, owned by %s: the first's change is lost", e.Status, e.Work.Owner)
	}
	two.press("Make it mine all the same")
	one.until(`document.querySelector('[aria-label="Work"]').innerText.includes("changed last by tam")`)
	if e := now(); e.Status != "explained" || e.Work.Owner != "tam" {
		t.Errorf("%s, owned by %s, after both", e.Status, e.Work.Owner)
	}

	// A comment of one, with markup that stays text, is there for the other.
	two.field("comment")
	two.keys("<b>bold</b> @ines what do you say?")
	two.press("Say it")
	one.says("<b>bold</b> @ines what do you say?")
	if n := one.text(`String(document.querySelectorAll('.talk b').length)`); n != "1" {
		t.Errorf("%s bold texts in the conversation, of which one is the name", n)
	}
	one.shoot("drawer.png")
}

// chooses takes an option of the list with a label.
func (w *walk) chooses(label, option string) {
	w.t.Helper()
	w.do(chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.querySelector('[aria-label="%s"]').focus()`, label)))
	w.pick(option)
}
