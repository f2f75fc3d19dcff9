package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/demo"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// truth is what the service says of what is asked on a page, which nothing changes while it is walked through.
type truth struct {
	t       *testing.T
	c       *client.Client
	rows    map[string]view.Rows
	refused map[string]string // questions that have no rows, and why
	counts  map[string]view.Counts
}

func newTruth(t *testing.T, c *client.Client) truth {
	return truth{t, c, map[string]view.Rows{}, map[string]string{}, map[string]view.Counts{}}
}

func (s truth) rowsOf(asked string, first int64) view.Rows {
	s.t.Helper()
	key := fmt.Sprint(asked, first)
	if _, ok := s.rows[key]; !ok {
		var a view.Ask
		if err := json.Unmarshal([]byte(asked), &a); err != nil {
			s.t.Fatal(err)
		}
		rows, err := s.c.Rows(s.t.Context(), a, first, 50, nil)
		if p := asProblem(err); p != nil {
			s.refused[asked] = p.Detail
		} else if err != nil {
			s.t.Fatal(asked, err)
		}
		s.rows[key] = rows
	}
	return s.rows[key]
}

func (s truth) countsOf(definition string) view.Counts {
	s.t.Helper()
	if _, ok := s.counts[definition]; !ok {
		var d sieve.Definition
		if err := json.Unmarshal([]byte(definition), &d); err != nil {
			s.t.Fatal(err)
		}
		job, err := s.c.Count(s.t.Context(), d)
		s.counts[definition] = *done(s.t, s.c, job, err).Counts
	}
	return s.counts[definition]
}

// sameRows holds the rows on screen, if there are any, against what the service says of the question that stands with them.
func (w *walk) sameRows(s truth, where string) {
	w.t.Helper()
	var on struct {
		Asked, Says, Shown, Fault string
		First                     int64
		Rows                      []string
	}
	if err := json.Unmarshal([]byte(w.text(`JSON.stringify((() => {
		const list = document.querySelector('[data-testid=rows]');
		return {
			asked: list?.dataset.asked ?? '',
			first: Number(list?.dataset.first ?? 0),
			says: list?.querySelector('[data-testid=says]')?.innerText ?? '',
			fault: list?.querySelector('.fault')?.innerText ?? '',
			shown: list?.querySelector('[data-testid=shown]')?.innerText ?? '',
			rows: [...(list?.querySelectorAll('tr[data-row-key]') ?? [])].map((r) => r.dataset.rowKey),
		};
	})())`)), &on); err != nil {
		w.t.Fatal(err)
	}
	if on.Asked == "" {
		return
	}
	page := s.rowsOf(on.Asked, on.First)
	if why := s.refused[on.Asked]; why != "" {
		if len(on.Rows) > 0 || on.Fault != "" && !strings.Contains(on.Fault, why) && !strings.Contains(on.Fault, "does not answer") {
			w.t.Fatalf("%s: %s shows rows %v and says %q; it has none: %s", where, on.Asked, on.Rows, on.Fault, why)
		}
		return
	}
	var keys []string
	for _, r := range page.Rows {
		keys = append(keys, fmt.Sprint(r.Left, " ", r.Right))
	}
	if len(on.Rows) > 0 && !slices.Equal(on.Rows, keys) || on.Says != "" && on.Says != page.Sentence ||
		on.Shown != "" && on.Shown != "…" && on.Shown != "no rows" && !strings.HasSuffix(strings.ReplaceAll(on.Shown, ",", ""), fmt.Sprintf(" of %d", page.Total)) {
		w.t.Fatalf("%s: %s from %d shows %q, %q, rows %v; it has %q, %d rows, here %v", where, on.Asked, on.First, on.Says, on.Shown, on.Rows, page.Sentence, page.Total, keys)
	}
}

// A script that presses one of the things that a selector finds, chosen by a number, if there are any.
func pressOne(selector string, n int) string {
	return fmt.Sprintf(`(() => { const all = [...document.querySelectorAll(%q)].filter((e) => !e.disabled); all[%d %% all.length]?.click(); return ''; })()`, selector, n)
}

// A script that presses the button or link of a text, if there is one.
func pressText(text string) string {
	return fmt.Sprintf(`(() => { [...document.querySelectorAll('button, a')].find((e) => e.innerText.trim() === %q && !e.disabled)?.click(); return ''; })()`, text)
}

const (
	goBack    = `(history.state?.idx > 0 && history.back(), '')`
	goForward = `(history.forward(), '')`
	lookAgain = `(document.dispatchEvent(new Event('visibilitychange', {bubbles: true})), '')`
	turnPage  = `[data-testid=rows] .pager button`
	sortRows  = `[data-testid=rows] button.sort`
)

// atRandom takes steps, each of them with a random of its seed: 12 for one seed, or what TWINSIEVE_STEPS and TWINSIEVE_SEEDS say. open opens the
// page that a browser begins with, before its network is hindered; each browser has a limit of time, so that another goes on after a while.
func atRandom(t *testing.T, stream uint64, open func() *walk, step func(w *walk, random *rand.Rand, where string)) {
	t.Helper()
	steps, seeds := longer(t, "TWINSIEVE_STEPS", 12), longer(t, "TWINSIEVE_SEEDS", 1)
	for seed := range seeds {
		random := rand.New(rand.NewPCG(uint64(seed), stream))
		var w *walk
		for n := range steps {
			if n%120 == 0 {
				w = open()
				w.hinder()
			}
			step(w, random, fmt.Sprintf("seed %d, step %d", seed, n))
		}
		t.Logf("seed %d: %d steps", seed, steps)
	}
}

// shown is what a report's page shows at a moment: its address, what it says that its list is of, what stands over that, and the rows of it.
type shown struct {
	Address, Asked, Heading string
	Rows                    []string
	Change                  string // the button that changes all of them
	Ready                   bool   // it can be pressed
}

const look = `JSON.stringify((() => {
	const list = document.querySelector('[data-asked]');
	return {
		address: location.pathname + location.search,
		asked: list?.dataset.asked ?? '',
		heading: list?.querySelector('h2')?.innerText.replace(/\s+/g, ' ').trim() ?? '',
		rows: [...(list?.querySelectorAll('tr[data-row-key]') ?? [])].map((r) => r.dataset.rowKey),
		change: [...document.querySelectorAll('.workbar button')].map((b) => b.innerText).find((t) => t.startsWith('Change all')) ?? '',
	};
})())`

// queryOf is what an address of a report asks of its entries.
func queryOf(t *testing.T, address string) (run uint, q client.Query) {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	n, err := strconv.ParseUint(strings.TrimPrefix(u.Path, "/reports/"), 10, 32)
	if err != nil {
		t.Fatal(err)
	}
	v := u.Query()
	q = client.Query{Tray: v.Get("tray"), Search: v.Get("search"), Owner: v.Get("owner"), Sort: v.Get("sort"), Desc: v.Get("desc") == "true", Limit: 50}
	if s := v.Get("status"); s != "" {
		q.Status = strings.Split(s, ",")
	}
	return uint(n), q
}

// TestScreen walks at random through two reports while the network holds up, reorders and fails requests, and looks again and again: what is
// shown is always what the service says of the address, or nothing yet. TWINSIEVE_STEPS and TWINSIEVE_SEEDS make the walk longer.
func TestScreen(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	first := loadDemo(t, c, demo.New(demo.Options{Services: 300, Seed: 5}))
	second := loadDemo(t, c, demo.New(demo.Options{Services: 280, Seed: 6}))
	truths := map[string]view.Entries{} // by address; nothing changes them
	truth := func(address string) view.Entries {
		if _, ok := truths[address]; !ok {
			run, q := queryOf(t, address)
			page, err := c.Entries(t.Context(), run, q)
			if err != nil {
				t.Fatal(err)
			}
			truths[address] = page
		}
		return truths[address]
	}
	looks := 0
	see := func(w *walk, where string) shown {
		t.Helper()
		var s shown
		if err := json.Unmarshal([]byte(w.text(look)), &s); err != nil {
			t.Fatal(err)
		}
		looks++
		if s.Asked == "" {
			return s
		}
		// A page may lag behind its address by the blink of an eye, but as a whole.
		if _, q := queryOf(t, s.Asked); q.Tray != "" && !strings.HasPrefix(s.Heading, q.Tray) {
			t.Fatalf("%s: a list of %s stands under %q", where, s.Asked, s.Heading)
		}
		page := truth(s.Asked)
		var ids []string
		for _, e := range page.Entries {
			ids = append(ids, e.ID)
		}
		if len(s.Rows) > 0 && !slices.Equal(s.Rows, ids) {
			t.Fatalf("%s: %s shows rows %v under %q, and has %v", where, s.Asked, s.Rows, s.Heading, ids)
		}
		if count := s.Heading[strings.LastIndexByte(s.Heading, ' ')+1:]; len(s.Rows) > 0 && count != strconv.FormatInt(page.Total, 10) {
			t.Fatalf("%s: %s says %q, and has %d", where, s.Asked, s.Heading, page.Total)
		}
		if all := strings.TrimPrefix(s.Change, "Change all "); s.Change != "" && strings.TrimSpace(all) != "" && all != "Change all" && all != strconv.FormatInt(page.Total, 10) {
			t.Fatalf("%s: %s offers %q, and has %d", where, s.Asked, s.Change, page.Total)
		}
		return s
	}
	trays := []string{"matched", "differing", "missing", "orphaned", "surplus", "unkeyed"}
	atRandom(t, 23, func() *walk {
		w := onScreen(t, p, fmt.Sprintf("/reports/%d", first.ID))
		w.until(`document.querySelector('h2 [aria-live]') !== null`)
		return w
	}, func(w *walk, random *rand.Rand, where string) {
		switch random.IntN(8) {
		case 0:
			w.text(goBack)
		case 1:
			w.text(goForward)
		case 2: // another report, as a link leads to it
			to := []uint{first.ID, second.ID}[random.IntN(2)]
			w.text(fmt.Sprintf(`(() => { const a = [...document.querySelectorAll('a')].find((a) => a.getAttribute('href') === '/reports/%d'); a?.click(); return ''; })()`, to))
		case 3:
			w.text(`(() => { const rows = document.querySelectorAll('tr[data-row-key] input[type=checkbox]'); rows[Math.floor(Math.random() * rows.length)]?.click(); return ''; })()`)
		case 4:
			w.text(lookAgain)
		default:
			w.text(fmt.Sprintf(`(() => { [...document.querySelectorAll('button.tray')].find((b) => b.innerText.includes(%q))?.click(); return ''; })()`, trays[random.IntN(len(trays))]))
		}
		for range 3 {
			see(w, where)
		}
		if random.IntN(2) == 0 { // else the next step comes before the answer
			w.until(`window.net.pending === 0 && !document.querySelector('.ant-spin-spinning') && (() => {
					const asked = new URL(document.querySelector('[data-asked]')?.dataset.asked ?? '/', location.href);
					const tray = new URLSearchParams(location.search).get('tray');
					return asked.pathname === location.pathname && (!tray || asked.searchParams.get('tray') === tray);
				})()`)
			s := see(w, where)
			if page := truth(s.Asked); len(s.Rows) == 0 && len(page.Entries) > 0 && w.text(`String(!!document.querySelector('.fault'))`) == "false" {
				t.Fatalf("%s: %s shows nothing under %q, and has %d", where, s.Address, s.Heading, page.Total)
			}
		}
	})
	t.Logf("%d looks", looks)
}

// TestRowsOnScreen walks at random through the comparisons of a run and their pages while the network holds up, reorders and fails requests: the
// rows that are shown, and how many there are said to be, are always those of what is asked for.
func TestRowsOnScreen(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 300, Seed: 5}))
	s := newTruth(t, c)
	comparisons := []string{"full", "inner", "left", "right", "left-semi", "left-anti", "right-anti", "full-anti"}
	atRandom(t, 24, func() *walk {
		w := onScreen(t, p, fmt.Sprintf("/reports/%d/rows", head.ID))
		w.says("All of service-log and all of invoices")
		return w
	}, func(w *walk, random *rand.Rand, where string) {
		switch random.IntN(6) {
		case 0:
			w.text(goBack)
		case 1:
			w.text(goForward)
		case 2, 3:
			w.text(pressOne(turnPage, random.IntN(100)))
		case 4:
			w.text(pressOne(sortRows, random.IntN(100)))
		default:
			to, err := json.Marshal(view.Look{Comparison: comparisons[random.IntN(len(comparisons))]})
			if err != nil {
				t.Fatal(err)
			}
			w.text(fmt.Sprintf(`(history.pushState({idx: (history.state?.idx ?? 0) + 1}, '', %q), window.dispatchEvent(new PopStateEvent('popstate', {state: history.state})), '')`,
				fmt.Sprintf("/reports/%d/rows?look=%s", head.ID, url.QueryEscape(string(to)))))
		}
		for range 3 {
			w.sameRows(s, where)
		}
		if random.IntN(2) == 0 {
			w.quiet()
		}
	})
}

// bench is what a workbench shows: what stands in its fields, of which definition its counts are, whether they are of what stands there, and
// whether all of it is saved.
type bench struct {
	Path, Name, Verdict, Asked string
	Sets                       []string
	Left, Right                []string // the columns of each pair and field
	Where                      []string
	Counts                     map[string]string
	Here, Busy, Saved          bool
}

const lookAtBench = `JSON.stringify((() => {
	const chosen = (label) => [...document.querySelectorAll('[aria-label="' + label + '"]')].map((e) => e.closest('.ant-select')?.innerText.trim() ?? '');
	const counts = document.querySelector('[data-testid=counts]');
	const name = document.querySelector('[aria-label="Name of the sieve"]');
	return {
		path: decodeURIComponent(location.pathname),
		here: !!name,
		name: name?.value ?? '',
		verdict: document.querySelector('[data-testid=sentence]')?.innerText ?? '',
		asked: counts?.dataset.asked ?? '',
		busy: counts?.getAttribute('aria-busy') === 'true',
		saved: [...document.querySelectorAll('button')].find((b) => b.innerText === 'Save')?.disabled ?? false,
		sets: [...chosen('left record set'), ...chosen('right record set')],
		left: [...chosen('left column of the key pair'), ...chosen('left column of the compared field')],
		right: [...chosen('right column of the key pair'), ...chosen('right column of the compared field')],
		where: ['left', 'right'].map((side) => document.querySelector('[aria-label="filter of the ' + side + ' side"]')?.value ?? ''),
		counts: Object.fromEntries([...(counts?.querySelectorAll('[data-count]') ?? [])].map((e) => [e.dataset.count, e.innerText])),
	};
})())`

// sameBench holds a workbench against the service, and returns it.
func (w *walk) sameBench(s truth, where string) bench {
	w.t.Helper()
	var b bench
	if err := json.Unmarshal([]byte(w.text(lookAtBench)), &b); err != nil {
		w.t.Fatal(err)
	}
	if b.Asked == "" {
		return b
	}
	var d sieve.Definition
	if err := json.Unmarshal([]byte(b.Asked), &d); err != nil {
		w.t.Fatal(err)
	}
	truth := s.countsOf(b.Asked)
	for _, c := range truth.Summary.Comparisons {
		if got := b.Counts[string(c.Comparison)]; got != summary.Number(c.Rows) {
			w.t.Fatalf("%s: %s of %s is %s, and is said to be %q", where, c.Comparison, b.Asked, summary.Number(c.Rows), got)
		}
	}
	if b.Verdict != truth.Summary.Verdict {
		w.t.Fatalf("%s: the verdict of %s is %q, and is said to be %q", where, b.Asked, truth.Summary.Verdict, b.Verdict)
	}
	if b.Busy {
		return b // they are marked as those of before
	}
	var left, right []string
	for _, k := range d.Key {
		l, r := k.On()
		left, right = append(left, l), append(right, r)
	}
	for _, f := range d.Compare {
		l, r := f.On()
		left, right = append(left, l), append(right, r)
	}
	if !slices.Equal(b.Sets, []string{d.Left, d.Right}) || !slices.Equal(b.Left, left) || !slices.Equal(b.Right, right) {
		w.t.Fatalf("%s: counts of %s stand under %+v", where, b.Asked, b)
	}
	return b
}

// TestWorkbenchOnScreen walks at random through a workbench and the list of sieves while the network holds up, reorders and fails requests. The
// counts are of what stands in the fields, or are marked as those of before; the rows are those of the counts; what is saved is what is shown; and
// nothing that was changed goes away unasked.
func TestWorkbenchOnScreen(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 200, Seed: 5}))
	s := newTruth(t, c)
	saves, asked := 0, 0
	atRandom(t, 25, func() *walk { // with the sieve as it was
		now, etag, err := c.Sieve(t.Context(), head.Sieve)
		if err == nil && now.Version > 1 {
			_, err = c.ChangeSieve(t.Context(), head.Sieve, etag, head.Definition)
		}
		if err != nil {
			t.Fatal(err)
		}
		w := onScreen(t, p, "/sieves/of/"+url.PathEscape(head.Sieve))
		w.until(`document.querySelector('[data-testid=rows] tr[data-row-key]') !== null`)
		return w
	}, func(w *walk, random *rand.Rand, where string) {
		n := random.IntN(100)
		switch random.IntN(14) {
		case 0:
			w.text(pressOne(`[aria-label="Remove the compared field"]`, n))
		case 1:
			w.text(pressOne(`[aria-label="Remove the key pair"]`, n))
		case 2:
			w.text(pressText("Swap sides"))
		case 3, 4:
			w.text(pressOne(`[data-testid=count-board] td:first-child button.link`, n))
		case 5, 6:
			w.text(pressOne(turnPage, n))
		case 7:
			w.text(pressOne(sortRows, n))
		case 8:
			w.text(pressText("Save"))
			saves++
		case 9:
			w.text(lookAgain)
		case 10:
			w.text(pressText("Sieves"))
		case 11:
			w.text(goBack)
		case 12:
			w.text(pressText(head.Sieve))
		default:
			w.text(fmt.Sprintf(`(() => { const field = document.querySelector('[aria-label="filter of the %s side"]'); if (!field) return ''; field.focus();
					Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(field, %q); field.dispatchEvent(new Event('input', {bubbles: true})); field.blur(); return ''; })()`,
				[]string{"left", "right"}[n%2], []string{"", "1 < 2", "1 > 2 || 2 > 1"}[n%3]))
		}
		if w.text(`document.querySelector('.ant-modal-title')?.innerText ?? ''`) == "Leave without saving?" {
			asked++
			decision := pressText([]string{"Stay here", "Leave it"}[random.IntN(2)])
			w.text(decision)
			w.text(decision)
			w.until(`!document.querySelector('.ant-modal-title')`)
		}
		for range 3 {
			w.sameBench(s, where)
			w.sameRows(s, where)
		}
		if random.IntN(2) == 0 {
			w.quiet()
			if b := w.sameBench(s, where); b.Here && b.Saved && !b.Busy && b.Asked != "" {
				kept, _, err := c.Sieve(t.Context(), head.Sieve)
				if err != nil {
					t.Fatal(err)
				}
				var shown sieve.Definition
				if err := json.Unmarshal([]byte(b.Asked), &shown); err != nil || asJSON(t, shown) != asJSON(t, kept.Definition) {
					t.Fatalf("%s: what is shown as saved is %s, and saved is %s", where, b.Asked, asJSON(t, kept.Definition))
				}
			}
		}
	})
	t.Logf("%d definitions, %d presses of Save, asked %d times", len(s.counts), saves, asked)
}

// TestSetsOnScreen walks at random through record sets, of which others load new snapshots meanwhile, while the network holds up, reorders and
// fails requests: the records that are shown are those of the snapshot that the page names.
func TestSetsOnScreen(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	snapshot := map[string]int{}
	next := func(set string) { // each record says which set and snapshot it is of
		t.Helper()
		snapshot[set]++
		var text strings.Builder
		text.WriteString("berth,of\n")
		for i := range 130 + 90*snapshot[set]%7 {
			fmt.Fprintf(&text, "\"quay, %d\",%s %d\n", i, set, snapshot[set])
		}
		if _, err := loadWith(t, c, set, set+".csv", text.String(), view.Recipe{}); err != nil {
			t.Fatal(err)
		}
	}
	sets := []string{"north", "south"}
	for _, set := range sets {
		next(set)
	}
	records := 0
	headline := regexp.MustCompile(`^Snapshot (\d+) of .*: ([\d,]+) records`)
	atRandom(t, 26, func() *walk {
		w := onScreen(t, p, "/sets/north")
		w.says("Records ")
		return w
	}, func(w *walk, random *rand.Rand, where string) {
		n := random.IntN(100)
		switch random.IntN(8) {
		case 0:
			w.text(goBack)
		case 1:
			w.text(goForward)
		case 2:
			w.text(pressText("Record sets"))
		case 3:
			w.text(pressText(sets[n%2]))
		case 4:
			set := sets[n%2]
			next(set)
			w.text(lookAgain)
			if n%3 == 0 { // the page comes to know of it
				w.until(fmt.Sprintf(`(%s, location.pathname !== '/sets/%s' || document.querySelector('h1 + .say')?.innerText.startsWith('Snapshot %d '))`, lookAgain, set, snapshot[set]))
			}
		case 5:
			w.text(pressText("Show more"))
		default:
			w.text(pressOne([]string{`[role=tab]`, `[role=tab][id$=records]`}[n%2], n))
		}
		for range 3 {
			var on struct {
				Set, Says string
				Cells     []string
			}
			if err := json.Unmarshal([]byte(w.text(`JSON.stringify({
					set: document.querySelector('h1')?.innerText ?? '', // a page may lag behind its address, but as a whole
					says: document.querySelector('h1 + .say')?.innerText ?? '',
					cells: [...document.querySelectorAll('[role=tabpanel][aria-hidden=false] tr[data-row-key] td:nth-child(3)')].map((e) => e.innerText.trim()),
				})`)), &on); err != nil {
				t.Fatal(err)
			}
			head := headline.FindStringSubmatch(on.Says)
			if head == nil || !slices.Contains(sets, on.Set) {
				continue
			}
			of, err := strconv.Atoi(head[1])
			if err != nil || of > snapshot[on.Set] || head[2] != strconv.Itoa(130+90*of%7) {
				t.Fatalf("%s: %s says %q", where, on.Set, on.Says)
			}
			for _, cell := range on.Cells {
				records++
				if text, number, ok := strings.Cut(cell, " "); ok && slices.Contains(sets, text) && (text != on.Set || number != head[1]) {
					t.Fatalf("%s: %s of snapshot %s shows a record of %s", where, on.Set, head[1], cell)
				}
			}
		}
		if random.IntN(2) == 0 {
			w.quiet()
		}
	})
	if t.Logf("snapshots %v, %d cells looked at", snapshot, records); records == 0 {
		t.Error("no record was ever shown")
	}
}
