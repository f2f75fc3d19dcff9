package e2e

import (
	"fmt"
	"net/url"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/client"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestNearInConsole accepts near matches in the console, refuses one, and looks up a key in the key box: what is accepted pairs in
// the next run, and what is left is truly missing and orphaned.
func TestNearInConsole(t *testing.T) {
	t.Parallel()
	s := demo.New(demo.Options{Seed: 7})
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, s)
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
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
	if err != nil || len(list.Entries) != slips || list.Version != 1 || list.Entries[0].By != "ines" {
		t.Errorf("the crosswalk is %+v, %v", list, err)
	}
	job, err := c.Run(t.Context(), head.Sieve)
	result := done(t, c, job, err)
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, result.Run)))
	w.until(fmt.Sprintf(`document.querySelector('[data-tray=missing]')?.innerText.trim() === '%d'`, times(t, s, "service never billed")))
	w.until(fmt.Sprintf(`document.querySelector('[data-tray=orphaned]')?.innerText.trim() === '%d'`, times(t, s, "invoice without a service")))
	w.says("crosswalk version 1")

	// The sums of records that are chosen to be paired by hand.
	missing, err := c.Entries(t.Context(), result.Run, client.Query{Tray: "missing", Limit: 2})
	if err != nil {
		t.Fatal(err)
	}
	orphaned, err := c.Entries(t.Context(), result.Run, client.Query{Tray: "orphaned", Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	sums, err := c.TryPair(t.Context(), result.Run, view.HandPair{Left: []int64{missing.Entries[0].Left.Number, missing.Entries[1].Left.Number}, Right: []int64{orphaned.Entries[0].Right.Number}})
	if err != nil {
		t.Fatal(err)
	}
	w.press("orphaned")
	w.check(fmt.Sprintf("choose right record %d", orphaned.Entries[0].Right.Number))
	w.press("missing")
	for _, e := range missing.Entries {
		w.check(fmt.Sprintf("choose left record %d", e.Left.Number))
	}
	w.until(fmt.Sprintf(`(document.querySelector('[data-testid=sums]')?.innerText ?? '').replaceAll(',', '').startsWith("amount_due = Amount: %s")`, sums.Sums[0].Left))
	w.says("They would be differing, in amount_due, vessel.")
	w.do(chromedp.Evaluate[chromedp.Void](`document.querySelector('[data-testid=sums]').scrollIntoView({block: 'center'})`))
	w.shoot("by-hand.png")

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
	file := write(t, t.TempDir(), "last year.csv", []byte("left call_no,left service_date,left service_code,right Voyage Call,right Invoiced On,right Svc\nZZ-1,2031-01-01,PIL,ZZ-2,01.01.2031,pil\n"))
	w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{file}))
	w.says("ZZ-1 · 2031-01-01 · PIL")
	w.says("last year.csv")
	w.shoot("crosswalk-near.png")
	if got := result.Run; got == 0 || head.Summary.Tray(tray.Missing).Records[0] <= int64(times(t, s, "service never billed")) {
		t.Errorf("run %d: nothing was to be paired", got)
	}
}

// TestWhyNotInConsole asks a report why records found no partner: slips are accepted as the same from there, and a remedy is taken to
// the workbench, where the new counts stand beside the old.
func TestWhyNotInConsole(t *testing.T) {
	t.Parallel()
	s := demo.New(demo.Options{Seed: 9, Services: 200})
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, s)
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, head.ID)))
	w.press("Why no partner?")
	off := times(t, s, "date one day off")
	w.until(`document.querySelector('[data-cause="day-off@2"]') !== null`)
	w.do(chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll('[data-cause="day-off@2"] button')].find((b) => b.innerText === 'Accept as the same').setAttribute('data-accept', '')`))
	w.click("[data-accept]", 0)
	w.says(fmt.Sprintf("%d pairs accepted; they pair from the next run on. The crosswalk is at version 1.", off))
	list, err := c.Crosswalk(t.Context(), head.Sieve)
	if err != nil || len(list.Entries) != off || list.Entries[0].Source != "diagnosis" {
		t.Errorf("the crosswalk is %+v, %v", list, err)
	}
	w.press("Apply the remedy")
	w.until(`location.pathname.startsWith('/sieves/of/')`)
	look := times(t, s, "letter that looks alike")
	w.until(fmt.Sprintf(`[...document.querySelectorAll('[data-testid=beside] tr')].some((r) => r.innerText.trim().startsWith('matched, left') && r.innerText.trim().endsWith('+%d'))`, look))
	w.says("plain-letters in front")
	if saved, _, err := c.Sieve(t.Context(), head.Sieve); err != nil || saved.Version != 1 {
		t.Errorf("a remedy that was only looked at has been saved: version %d, %v", saved.Version, err)
	}
	w.press("Save")
	w.until(`[...document.querySelectorAll('button')].find((b) => b.innerText.trim() === 'Save').disabled`)
	if saved, _, err := c.Sieve(t.Context(), head.Sieve); err != nil || saved.Version != 2 || saved.Definition.Key[0].Readings[0].Name != "plain-letters" {
		t.Errorf("the remedy is not saved: %+v, %v", saved, err)
	}
}
