package e2e

import (
	"fmt"
	"net/url"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/core/tray"
	"twinsieve/demo"
)

// TestNearInConsole accepts near matches in the console, refuses one, and looks up a key in the key box: what is accepted pairs in
// the next run, and what is left is truly missing and orphaned.
func TestNearInConsole(t *testing.T) {
	s := demo.New(demo.Options{Seed: 7})
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, s)
	w := &walk{browser: newBrowser(t), seen: map[string]int{}}
	w.do(chromedp.Navigate(p.address + "/settings"))
	w.field("your name")
	w.keys("Ines")
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, head.ID)))
	w.press("Near matches")
	slips := times(t, s, "letter that looks alike") + times(t, s, "date one day off") + times(t, s, "two digits swapped")
	w.says(fmt.Sprintf("%d suggestions among", slips))
	w.check("Select all")
	w.field("reason")
	w.keys("seen with the pilot")
	w.shoot("near.png")
	w.press(fmt.Sprintf("Accept %d as the same", slips))
	w.says(fmt.Sprintf("%d accepted: they pair from the next run on", slips))
	w.says("0 suggestions among")
	list, err := c.Crosswalk(t.Context(), head.Sieve)
	if err != nil || len(list.Entries) != slips || list.Version != 1 || list.Entries[0].By != "Ines" {
		t.Errorf("the crosswalk is %+v, %v", list, err)
	}
	job, err := c.Run(t.Context(), head.Sieve)
	result, err := c.Wait(t.Context(), job, nil)
	if err != nil {
		t.Fatal(err)
	}
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, result.Run)))
	w.until(fmt.Sprintf(`document.querySelector('[data-tray=missing]')?.innerText.trim() === '%d'`, times(t, s, "service never billed")))
	w.until(fmt.Sprintf(`document.querySelector('[data-tray=orphaned]')?.innerText.trim() === '%d'`, times(t, s, "invoice without a service")))
	w.says("crosswalk version 1")

	// The way of a record, from the key box and from its drawer.
	entry := list.Entries[0]
	w.field("Trace a key")
	w.keys(entry.Left[0]+" · "+entry.Left[1]+" · "+entry.Left[2], kb.Enter)
	w.until(`location.pathname === '/trace'`)
	w.says("the keys are the same by the crosswalk")
	w.says("makes it")
	w.says("rule: paired, and every compared field agrees")
	w.shoot("trace.png")
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=missing", p.address, result.Run)))
	w.until(`document.querySelector('[data-entry]') !== null`)
	w.click("[data-entry]", 0)
	w.says("a left record whose key no right record has is missing")
	w.shoot("trace-drawer.png")
	w.do(chromedp.Navigate(p.address + "/sieves/of/" + url.PathEscape(head.Sieve) + "/crosswalk"))
	w.says("seen with the pilot")
	w.shoot("crosswalk-near.png")
	if got := result.Run; got == 0 || head.Summary.Tray(tray.Missing).Records[0] <= int64(times(t, s, "service never billed")) {
		t.Errorf("run %d: nothing was to be paired", got)
	}
}
