package e2e

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestTwoPagesOfOneReport has two people change the same report at random, often at the same time, behind a network that holds up, reorders and
// fails requests. After each round only those exceptions have changed that were ticked, or listed, on a page where a change was pressed, and to
// what was chosen there; and both pages show what the service says.
func TestTwoPagesOfOneReport(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 250, Seed: 5}))
	tam := p.person(t, "tam", view.Analyst)
	open := func() []*walk {
		pages := []*walk{{browser: newBrowser(t, p), seen: map[string]int{}}, {browser: newBrowserAs(t, p, tam), seen: map[string]int{}}}
		for _, w := range pages {
			w.mistakes = true
			w.before(heldNetwork)
			w.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=missing", p.address, head.ID)))
			w.until(`document.querySelectorAll('tr[data-row-key]').length > 0`)
			w.hinder()
		}
		return pages
	}
	statusOf := func() map[string]string {
		t.Helper()
		list, err := c.Entries(t.Context(), head.ID, client.Query{Limit: 1000})
		if err != nil || int64(len(list.Entries)) != list.Total {
			t.Fatal(len(list.Entries), list.Total, err)
		}
		of := map[string]string{}
		for _, e := range list.Entries {
			of[e.ID] = e.Status
		}
		return of
	}
	// change is what a page is to change at a press, as it shows it.
	type change struct {
		Ticked, Listed []string // of the list
		Button, Asked  string
		status         string
	}
	const seeChange = `JSON.stringify({
		ticked: [...document.querySelectorAll('[data-asked] tr[data-row-key]')].filter((r) => r.querySelector('input')?.checked).map((r) => r.dataset.rowKey),
		listed: [...document.querySelectorAll('[data-asked] tr[data-row-key]')].map((r) => r.dataset.rowKey),
		button: [...document.querySelectorAll('.workbar button')].find((b) => b.innerText.startsWith('Change ') && !b.disabled)?.innerText ?? '',
		asked: document.querySelector('[data-asked]')?.dataset.asked ?? '',
	})`
	words := map[string]string{"open": "open", "in-progress": "in progress", "explained": "explained", "settled": "settled"}
	steps, seeds := longer(t, "TWINSIEVE_STEPS", 4), longer(t, "TWINSIEVE_SEEDS", 1)
	for seed := range seeds {
		random := rand.New(rand.NewPCG(uint64(seed), 27))
		var pages []*walk
		refused := 0
		for step := range steps {
			if step%40 == 0 {
				pages = open()
			}
			before := statusOf()
			var wanted []change
			together, tray := random.IntN(2) == 0, 1+random.IntN(4)
			for _, w := range pages {
				if !together { // else both change the same list
					tray = 1 + random.IntN(4)
				}
				w.text(pressOne(`button.tray`, tray))
				w.until(`window.net.pending === 0 && document.querySelector('[data-asked] tr[data-row-key]') !== null &&
					new URL(document.querySelector('[data-asked]').dataset.asked, location.href).searchParams.get('tray') === new URLSearchParams(location.search).get('tray') &&
					[...document.querySelectorAll('.workbar button')].some((b) => b.innerText.match(/^Change (all [\d,]+|the)/))`)
				w.text(pressText("Choose none"))
				for range random.IntN(4) {
					w.text(pressOne(`tr[data-row-key] input[type=checkbox]`, random.IntN(1000)))
				}
				status := slices.Sorted(maps.Keys(words))[random.IntN(len(words))]
				w.chooses("status of the chosen", words[status])
				var now change
				if err := json.Unmarshal([]byte(w.text(seeChange)), &now); err != nil {
					t.Fatal(err)
				}
				now.status = status
				wanted = append(wanted, now)
			}
			for i, w := range pages { // both, before either has its answer
				w.text(pressText(wanted[i].Button))
			}
			for _, w := range pages {
				w.until(`window.net.pending === 0`)
				if w.text(`document.querySelector('.workbar .fault')?.innerText ?? ''`) != "" {
					refused++
				}
			}
			after := statusOf()
			for id, is := range after {
				if is == before[id] {
					continue
				}
				if !slices.ContainsFunc(wanted, func(c change) bool {
					of := c.Listed
					if len(c.Ticked) > 0 {
						of = c.Ticked
					}
					return c.Button != "" && c.status == is && (slices.Contains(of, id) || len(c.Ticked) == 0 && len(c.Listed) == 50)
				}) {
					t.Fatalf("seed %d, step %d: %s became %s, and what was pressed is %+v", seed, step, id, is, wanted)
				}
			}
			for _, c := range wanted { // the number on the button is that of the list
				n := strconv.Itoa(len(c.Ticked))
				if len(c.Ticked) == 0 && len(c.Listed) < 50 {
					n = strconv.Itoa(len(c.Listed))
				}
				if c.Button != "" && len(c.Listed) < 50 && !strings.Contains(c.Button, " "+n) {
					t.Fatalf("seed %d, step %d: %q on a list of %d, %d ticked", seed, step, c.Button, len(c.Listed), len(c.Ticked))
				}
			}
			for _, w := range pages {
				w.until(fmt.Sprintf(`(() => { const is = %s; return window.net.pending === 0 && [...document.querySelectorAll('[data-asked] tr[data-row-key]')].every((r) => r.querySelector('.chip')?.innerText === is[r.dataset.rowKey]); })()`, asJSON(t, mapped(after, words))))
			}
		}
		t.Logf("seed %d: %d steps, %d changes refused", seed, steps, refused)
	}
}

func mapped(of map[string]string, to map[string]string) map[string]string {
	out := map[string]string{}
	for k, v := range of {
		out[k] = to[v]
	}
	return out
}
