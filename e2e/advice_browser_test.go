package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/client"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// times is how often the demo's statement says that a case was planted.
func times(t testing.TB, s *demo.Scenario, name string) int {
	t.Helper()
	for _, c := range s.Planted.Cases {
		if c.Name == name {
			return c.Times
		}
	}
	t.Fatalf("the demo plants no %q", name)
	return 0
}

// TestAdviceInConsole goes from advice to a key, to a reading with its preview, to the diagnosis, to a remedy with the new counts,
// and pairs records by hand: with the mouse, and with the keyboard alone.
func TestAdviceInConsole(t *testing.T) {
	t.Parallel()
	for _, keyboard := range []bool{false, true} {
		t.Run(map[bool]string{false: "mouse", true: "keyboard alone"}[keyboard], func(t *testing.T) {
			t.Parallel()
			s := demo.New(demo.Options{Seed: 7})
			p := serve(t, t.TempDir())
			c := p.client()
			loadScenario(t, c, s)
			w := &walk{browser: newBrowser(t, p), keyboard: keyboard, seen: map[string]int{}}
			w.do(chromedp.Navigate(p.address + "/sieves/new"))
			w.until(`document.querySelector('[aria-label="Name of the sieve"]') !== null`)
			w.field("Name of the sieve")
			w.keys("Berth billing")
			w.sides("service-log", "invoices")
			w.press("Advise me")
			w.until(`document.querySelector('[data-testid=advice] [data-key]')?.dataset.key === 'call_no = Voyage Call, service_date = Invoiced On, service_code = Svc'`)
			w.says("it multiplies: keys repeat on both sides")
			w.shoot("advice.png")
			w.press("Take key 1")
			w.until(`document.querySelector('[data-testid=counts]') !== null`)
			w.says("Nothing else of them is compared")
			w.press("Close the advice")

			w.reach("What the readings of the key pair do")
			w.says("stand for several that were different")
			w.says("It brings +")
			w.until(`!document.querySelector('.ant-modal[class*="ant-zoom-"]')`)
			w.shoot("reading-effect.png")
			w.keys(kb.Escape)
			w.until(`!document.querySelector('.ant-modal-wrap:not([style*="display: none"])')`)

			w.press("Why do they not pair?")
			look := times(t, s, "letter that looks alike")
			w.until(fmt.Sprintf(`document.querySelector('[data-cause="plain-letters@1"]')?.innerText.startsWith('%d would pair if letters of another script')`, 2*look))
			for cause, n := range map[string]int{"day-off@2": 2 * times(t, s, "date one day off"), "exchanged@1": 2 * times(t, s, "two digits swapped"), "blank@1": times(t, s, "blank call number in the log"),
				"emptied@1": times(t, s, "call number of spaces in the log"), "blank@3": times(t, s, "blank service code on the invoice"), "unreadable@2": times(t, s, "impossible date on the invoice"),
				"nothing": times(t, s, "service never billed") + times(t, s, "invoice without a service")} {
				w.until(fmt.Sprintf(`parseInt(document.querySelector('[data-cause="%s"]')?.innerText) === %d`, cause, n))
			}
			w.press("Show the records")
			w.says("CYRILLIC SMALL LETTER EM")
			w.shoot("diagnosis.png")
			w.press("Apply the remedy")
			w.until(fmt.Sprintf(`[...document.querySelectorAll('[data-testid=beside] tr')].some((r) => r.innerText.replace(/\s+/g, ' ').trim().startsWith('matched, left') && r.innerText.trim().endsWith('+%d'))`, look))
			w.shoot("remedy.png")
			w.press("Run")
			w.until(`location.pathname.startsWith('/reports/')`)
			w.pairByHand(c)
		})
	}
}

// reach presses something that has no text but a name.
func (w *walk) reach(label string) {
	w.t.Helper()
	if w.keyboard {
		w.tabTo(label)
		w.keys(kb.Enter)
		return
	}
	w.click(fmt.Sprintf("[aria-label=%q]", label), 0)
}

// check chooses a row of a table.
func (w *walk) check(label string) {
	w.t.Helper()
	w.until(fmt.Sprintf(`document.querySelector('[aria-label=%q]') !== null`, label))
	if w.keyboard {
		w.tabTo(label)
		w.keys(" ")
	} else {
		w.click(fmt.Sprintf("[aria-label=%q]", label), 0)
	}
	w.until(fmt.Sprintf(`document.querySelector('[aria-label=%q]').checked`, label))
}

// pairByHand chooses two missing records and an orphaned one, sees their sums, pairs them, and takes it back.
func (w *walk) pairByHand(c *client.Client) {
	w.t.Helper()
	runs, err := c.Runs(w.t.Context(), "", 1)
	if err != nil {
		w.t.Fatal(err)
	}
	run := runs.Runs[0]
	entries := func(at tray.Tray) []view.Entry {
		page, err := c.Entries(w.t.Context(), run.ID, client.Query{Tray: at.String(), Limit: 2})
		if err != nil {
			w.t.Fatal(err)
		}
		return page.Entries
	}
	missing, orphaned := entries(tray.Missing), entries(tray.Orphaned)
	w.press("missing")
	w.check(fmt.Sprintf("choose left record %d", missing[0].Left.Number))
	w.check(fmt.Sprintf("choose left record %d", missing[1].Left.Number))
	w.press("orphaned")
	w.check(fmt.Sprintf("choose right record %d", orphaned[0].Right.Number))
	w.until(`document.querySelector('[data-testid=sums]') !== null`)
	w.field("reason of the pairing")
	w.keys("one invoice for two services")
	w.press("Pair them by hand")
	w.says("Paired by hand.")
	job, err := c.Run(w.t.Context(), run.Sieve)
	result := done(w.t, c, job, err)
	again, err := c.RunHead(w.t.Context(), result.Run)
	if err != nil {
		w.t.Fatal(err)
	}
	was, is := run.Summary, again.Summary
	if is.Crosswalk.Hand != 1 || is.Crosswalk.Version != 1 || is.Tray(tray.Missing).Records[0] != was.Tray(tray.Missing).Records[0]-2 || is.Tray(tray.Orphaned).Records[1] != was.Tray(tray.Orphaned).Records[1]-1 || !is.Accounted {
		w.t.Errorf("after pairing by hand: %+v", is)
	}
	e, err := c.Entry(w.t.Context(), result.Run, fmt.Sprintf("right-%d", orphaned[0].Right.Number))
	if err != nil || e.Group == nil || e.Group.Records != [2]int64{2, 1} || e.Accepted == nil || e.Accepted.Reason != "one invoice for two services" || !strings.HasPrefix(e.Reason, "paired by hand; ") {
		w.t.Errorf("the pair is %+v, %v", e, err)
	}
	w.press("it stands in the crosswalk")
	w.says("paired by hand")
	w.shoot("crosswalk.png")
	w.press("Take it back")
	w.says("taken back")
}
