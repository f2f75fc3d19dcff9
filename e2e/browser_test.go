package e2e

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/summary"
)

// browser is a headless Chromium with one page. Whatever its console says that is an error fails the test.
type browser struct {
	t        *testing.T
	ctx      context.Context
	choosers chan cdp.BackendNodeID // file dialogs that were opened
	asked    atomic.Int32           // how often the browser has asked whether to leave a page; it was always left
	unfound  bool                   // as mistakes, for 404
	mistakes bool                   // mistakes are made on purpose: the browser may log what the service refuses with 409 and 422
}

// newBrowser is a browser in which the admin of a service is signed in.
func newBrowser(t *testing.T, p *process) *browser {
	t.Helper()
	return newBrowserAs(t, p, p.admin)
}

// newBrowserAs is a browser in which a person is signed in; nobody, where they have no session.
func newBrowserAs(t *testing.T, p *process, who entered) *browser {
	t.Helper()
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true))
	var ctx context.Context
	for tries := 3; ; tries-- { // on a machine that is short of everything, Chromium may fall over as it starts
		alloc, stopAlloc := chromedp.NewExecAllocator(context.Background(), opts...)
		begun, stop := chromedp.NewContext(alloc)
		err := chromedp.Do(begun)
		if err == nil {
			ctx = begun
			t.Cleanup(func() {
				stop()
				stopAlloc()
			})
			break
		}
		stop()
		stopAlloc()
		if tries == 1 {
			t.Fatal(err)
		}
		t.Logf("once more: %v", err)
	}
	ctx, cancel := context.WithTimeout(ctx, 3*time.Minute)
	t.Cleanup(cancel)
	b := &browser{t: t, ctx: ctx, choosers: make(chan cdp.BackendNodeID, 1)}
	err := chromedp.Listen(ctx, func(event any) {
		switch e := event.(type) {
		case *runtime.EventExceptionThrown:
			t.Errorf("the page threw: %s", exceptionText(e.ExceptionDetails))
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
				t.Errorf("the page's console says: %s", consoleText(e))
			}
		case *log.EventEntryAdded:
			if e.Entry.Level == log.EntryLevelError && !(b.unfound && (strings.Contains(e.Entry.Text, "status of 404") || strings.Contains(e.Entry.Text, "status of 401"))) && !(b.mistakes && (strings.Contains(e.Entry.Text, "status of 422") || strings.Contains(e.Entry.Text, "status of 409") || strings.Contains(e.Entry.Text, "status of 412") || strings.Contains(e.Entry.Text, "status of 400") || strings.Contains(e.Entry.Text, "status of 401"))) {
				t.Errorf("the browser's log says: %s %s", e.Entry.Text, e.Entry.URL)
			}
		case *page.EventJavascriptDialogOpening:
			if e.Type != page.DialogTypeBeforeunload {
				t.Errorf("the page asks: %s", e.Message)
			}
			b.asked.Add(1)
			go func() { // the page waits for it, and whatever waits for the page
				_ = chromedp.Do(ctx, chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
					_, err := cdp.Call(ctx, target, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{Accept: true})
					return err
				}))
			}()
		case *page.EventFileChooserOpened:
			b.choosers <- e.BackendNodeID
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	b.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		if _, err := cdp.Call(ctx, target, log.Enable, cdp.Empty{}); err != nil {
			return err
		}
		if who.session != "" {
			cookie := network.SetCookieParams{Name: "twinsieve_session", Value: who.session, URL: p.address, HTTPOnly: new(true), SameSite: network.CookieSameSiteStrict}
			if _, err := cdp.Call(ctx, target, network.SetCookie, cookie); err != nil {
				return err
			}
		}
		_, err := cdp.Call(ctx, target, page.SetInterceptFileChooserDialog, page.SetInterceptFileChooserDialogParams{Enabled: true})
		return err
	}))
	return b
}

// before lets a script run in every page that is opened from now on, before the page's own.
func (b *browser) before(script string) {
	b.t.Helper()
	b.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		_, err := cdp.Call(ctx, target, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
		return err
	}))
}

// choose gives files to the file dialog that has been opened.
func (b *browser) choose(files ...string) {
	b.t.Helper()
	select {
	case node := <-b.choosers:
		b.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
			_, err := cdp.Call(ctx, target, dom.SetFileInputFiles, dom.SetFileInputFilesParams{Files: files, BackendNodeID: node})
			return err
		}))
	case <-time.After(10 * time.Second):
		b.t.Fatal("no file dialog was opened")
	}
}

func exceptionText(d *runtime.ExceptionDetails) string {
	if d.Exception != nil {
		return d.Text + " " + d.Exception.Description
	}
	return d.Text
}

func consoleText(e *runtime.EventConsoleAPICalled) string {
	var parts []string
	for _, a := range e.Args {
		parts = append(parts, string(a.Value)+a.Description)
	}
	return strings.Join(parts, " ")
}

func (b *browser) do(actions ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	if err := chromedp.Do(b.ctx, actions...); err != nil {
		b.shoot("failed.png")
		b.t.Fatal(err)
	}
}

// shoot takes a picture where the folder for them is named by TWINSIEVE_SHOTS.
func (b *browser) shoot(name string) {
	dir := os.Getenv("TWINSIEVE_SHOTS")
	if dir == "" {
		return
	}
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	if err != nil {
		b.t.Logf("no picture %s: %v", name, err)
		return
	}
	if err := os.WriteFile(filepath.Join(dir, name), png, 0o644); err != nil {
		b.t.Error(err)
	}
}

// until waits until a JavaScript expression is true.
func (b *browser) until(expression string) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, 20*time.Second)
	defer cancel()
	var err error
	for again := true; again; again = turning(err) {
		_, err = chromedp.Run(ctx, chromedp.Poll[chromedp.Void](expression, chromedp.WithPollingInterval(20*time.Millisecond)))
	}
	if err != nil {
		text, _ := chromedp.Run(b.ctx, chromedp.Evaluate[string](`document.body.innerText`))
		b.shoot("failed.png")
		b.t.Fatalf("waiting for %s: %v; the page says:\n%s", expression, err, text)
	}
}

// turning reports whether a page could not be asked because the next one was just taking its place. It is asked again then.
func turning(err error) bool {
	fault := new(cdproto.Error)
	return errors.As(err, &fault) && (strings.HasPrefix(fault.Message, "Cannot find context") || strings.HasPrefix(fault.Message, "Execution context was destroyed"))
}

func (b *browser) text(expression string) string {
	b.t.Helper()
	var text string
	var err error
	for again := true; again; again = turning(err) {
		text, err = chromedp.Run(b.ctx, chromedp.Evaluate[string](expression))
	}
	if err != nil {
		b.shoot("failed.png")
		b.t.Fatal(err)
	}
	return text
}

// says waits until the page's text holds what is wanted.
func (b *browser) says(text string) {
	b.t.Helper()
	b.until(fmt.Sprintf("document.body.innerText.includes(%q)", text))
}

// click clicks the nth element (from 0) that a selector finds, and again where the click went beside it: what arrives between the look and the click, a
// line more above, moves the page.
func (b *browser) click(selector string, nth int) {
	b.t.Helper()
	b.until(fmt.Sprintf("document.querySelectorAll(%q).length > %d", selector, nth))
	// Nothing may be moving, or about to (a busy machine draws no frame for a while), and nothing may lie over it.
	type point struct{ X, Y float64 }
	find := fmt.Sprintf(`(() => {
		const e = document.querySelectorAll(%q)[%d];
		for (let o = e; o; o = o.parentElement) {
			if (/-(appear|enter|leave)\b/.test(o.getAttribute('class') ?? '') || o.getAnimations().some((a) => a.playState === 'running')) return false;
		}
		e.scrollIntoView({block: 'center'});
		const r = e.getBoundingClientRect();
		const at = {X: r.x + r.width / 2, Y: r.y + r.height / 2};
		const before = window.lastClickPlace;
		window.lastClickPlace = JSON.stringify(at);
		const there = document.elementFromPoint(at.X, at.Y);
		if (before !== window.lastClickPlace || !(e.contains(there) || there?.contains(e))) return false;
		window.lastClickMissed = true;
		const noted = (event) => {
			const hit = e.contains(event.target) || event.target.contains(e);
			// A list opens as soon as the button is down, and may lie where the click ends.
			if (hit && (event.type === 'click' || e.closest('.ant-select'))) window.lastClickMissed = false;
		};
		window.lastClick?.abort();
		window.lastClick = new AbortController();
		for (const type of ['mousedown', 'click']) window.addEventListener(type, noted, {capture: true, signal: window.lastClick.signal});
		return at;
	})()`, selector, nth)
	for range 5 {
		at, err := chromedp.Run(b.ctx, chromedp.Poll[point](find, chromedp.WithPollingInterval(30*time.Millisecond), chromedp.WithPollingTimeout(20*time.Second)))
		if err != nil {
			b.shoot("failed.png")
			b.t.Fatalf("clicking %s: %v", selector, err)
		}
		b.do(chromedp.MouseClickXY(at.X, at.Y))
		// Where the click has led to another page, nothing is known of a miss.
		missed, err := chromedp.Run(b.ctx, chromedp.Evaluate[bool](`!!window.lastClickMissed`))
		if err != nil {
			b.t.Fatalf("clicking %s: %v", selector, err)
		}
		if !missed {
			return
		}
	}
	b.t.Fatalf("clicking %s: no click reaches it", selector)
}

// button clicks the first button or link whose text is as given.
func (b *browser) button(text string) {
	b.t.Helper()
	const mark = `(text) => { const e = [...document.querySelectorAll('button, a')].find((e) => e.innerText.trim().split('\n')[0] === text && !e.disabled); if (e) { document.querySelectorAll('[data-found]').forEach((o) => o.removeAttribute('data-found')); e.setAttribute('data-found', ''); } return !!e; }`
	b.until(fmt.Sprintf("(%s)(%q)", mark, text))
	b.click("[data-found]", 0)
}

// keys sends keys to whatever has the focus.
func (b *browser) keys(keys ...string) {
	b.t.Helper()
	for _, k := range keys {
		b.do(chromedp.KeyEvent(k))
	}
}

// focused is how a screen reader would call what has the focus.
const focused = `(() => { const e = document.activeElement; return e.getAttribute('aria-label') || e.innerText || e.placeholder || ''; })()`

// tabTo presses Tab until the focus is on something of that name. The page is worked as if there were no mouse.
func (b *browser) tabTo(name string) {
	b.t.Helper()
	var passed []string
	for range 400 {
		b.keys(kb.Tab)
		at := strings.TrimSpace(b.text(focused))
		if at == name || strings.HasPrefix(at, name) {
			return
		}
		passed = append(passed, at)
	}
	b.shoot("failed.png")
	b.t.Fatalf("no Tab leads to %q; it leads to %q", name, passed)
}

// pick chooses an option of the select that has the focus: its name is typed, and when its list stands open with that
// option marked, Enter takes it.
func (b *browser) pick(option string) {
	b.t.Helper()
	b.keys(option)
	b.until(fmt.Sprintf(`document.activeElement.getAttribute('aria-expanded') === 'true' &&
		[...document.querySelectorAll('.ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option-active')].some((e) => e.innerText.trim() === %q)`, option))
	b.keys(kb.Enter)
	b.until(`document.activeElement.value === ''`)
}

// walk is the same journey, once by mouse and once by keyboard: it knows how to reach a thing and how to press it.
type walk struct {
	*browser
	keyboard bool
	seen     map[string]int // by mouse: how many of a label were used
	left     int            // lists of readings left behind
}

// field goes to the next field with a label.
func (w *walk) field(label string) {
	w.t.Helper()
	if w.keyboard {
		w.tabTo(label)
		return
	}
	w.click(fmt.Sprintf("[aria-label=%q]", label), w.seen[label])
	w.seen[label]++
}

// press presses a button.
func (w *walk) press(text string) {
	w.t.Helper()
	if w.keyboard {
		w.until(fmt.Sprintf(`[...document.querySelectorAll('button, a, [role=button]')].some((e) => e.innerText?.trim().startsWith(%q) && !e.disabled)`, text))
		w.tabTo(text)
		w.keys(kb.Enter)
		return
	}
	w.button(text)
}

// tab opens a tab of a page. By keyboard the open one has the stop, and arrows lead to the others.
func (w *walk) tab(name string) {
	w.t.Helper()
	if !w.keyboard {
		w.until(fmt.Sprintf(`(() => { const e = [...document.querySelectorAll('[role=tab]')].find((e) => e.innerText.trim().startsWith(%q)); e?.setAttribute('data-tab', ''); return !!e; })()`, name))
		w.click("[data-tab]", 0)
		return
	}
	w.tabTo("Tab ") // which a screen reader is told before the name
	for range 10 {
		w.keys(kb.ArrowRight)
		if strings.Contains(w.text(focused), name) {
			w.keys(kb.Enter)
			return
		}
	}
	w.t.Fatalf("no arrow leads to the tab %q", name)
}

func (w *walk) readings(label string, list ...string) {
	w.t.Helper()
	if len(list) == 0 {
		return
	}
	w.field(label)
	for _, r := range list {
		w.pick(r)
	}
	// Tab leaves a list without choosing from it, open or closed: Escape comes first only every other time.
	if w.left++; w.left%2 == 0 || !w.keyboard {
		w.keys(kb.Escape)
	}
}

// TestWalk walks from dropping two files to the report's drawer: once with the mouse, once with the keyboard alone.
func TestWalk(t *testing.T) {
	t.Parallel()
	for _, keyboard := range []bool{false, true} {
		t.Run(map[bool]string{false: "mouse", true: "keyboard alone"}[keyboard], func(t *testing.T) {
			t.Parallel()
			s := demo.New(demo.Options{Seed: 7})
			dir := t.TempDir()
			if err := s.Write(dir); err != nil {
				t.Fatal(err)
			}
			p := serve(t, t.TempDir())
			w := &walk{browser: newBrowser(t, p), keyboard: keyboard, seen: map[string]int{}}
			w.do(chromedp.Navigate(p.address))
			w.says("There are no reports yet")
			w.press("Record sets")
			w.says("There are no record sets yet")
			w.dropFiles(filepath.Join(dir, demo.ServiceLogFile), filepath.Join(dir, demo.InvoicesFile))
			w.define()
			w.checkCounts(&s.Planted.Billing)
			w.shoot("workbench-walked.png")
			w.press("Run")
			w.until(`location.pathname.startsWith('/reports/')`)
			w.says(fmt.Sprintf("%s of %s service-log records agree", summary.Number(int64(s.Planted.Billing.Trays[0][tray.Matched])), summary.Number(int64(s.Planted.Billing.Records[0]))))
			w.says("every record accounted for ✓")
			w.says("closes to the last digit")
			w.checkTrays(&s.Planted.Billing)
			w.drawer()
		})
	}
}

// dropFiles brings two files to the page and loads them under the names that it proposes.
func (w *walk) dropFiles(files ...string) {
	w.t.Helper()
	if w.keyboard {
		w.press("Drop files here")
		w.choose(files...)
	} else {
		w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), files))
	}
	w.until(`document.querySelectorAll('form').length === 2`)
	for n := len(files); n > 0; n-- {
		w.press("Load")
		w.until(fmt.Sprintf(`document.querySelectorAll('form').length === %d`, n-1))
	}
	w.until(`document.querySelectorAll('.ant-table-row').length === 2`)
	w.press("say what makes two of their records the same")
}

// define puts the demo's sieve together.
func (w *walk) define() {
	w.t.Helper()
	w.field("Name of the sieve")
	w.keys("Berth billing")
	w.field("left record set")
	w.pick("service-log")
	pair := func(what, left, as, within, right string, readings ...string) {
		w.t.Helper()
		w.field("left column of the " + what)
		w.pick(left)
		if as != "" {
			w.field("compared as")
			w.pick(as)
			w.field("within")
			w.keys(within)
		}
		w.readings("readings of the "+what, readings...)
		w.field("right column of the " + what)
		w.pick(right)
	}
	w.field("right record set")
	w.pick("invoices")
	w.back() // the right set stands behind the pairs
	pair("key pair", "call_no", "", "", "Voyage Call", "trim", "ignore-case", "drop-zeros-in-digit-runs")
	w.press("+ pair of columns")
	w.back()
	pair("key pair", "service_date", "", "", "Invoiced On", "left date YYYY-MM-DD", "right date DD.MM.YYYY")
	w.press("+ pair of columns")
	w.back()
	pair("key pair", "service_code", "", "", "Svc", "trim", "ignore-case")
	w.press("+ compared field")
	w.back()
	pair("compared field", "amount_due", "decimal", "0.05", "Amount")
	w.press("+ compared field")
	w.back()
	if !w.keyboard {
		w.seen["compared as"]++
		w.seen["within"]++
		w.seen["readings of the compared field"]++
	}
	pair("compared field", "vessel", "", "", "Ship", "trim", "single-spaces", "ignore-case")
}

// sides chooses the record sets of a sieve that is being put together.
func (w *walk) sides(left, right string) {
	w.t.Helper()
	w.field("left record set")
	w.pick(left)
	w.field("right record set")
	w.pick(right)
}

// back goes from the button that made a row to the row's beginning, with Shift and Tab.
func (w *walk) back() {
	w.t.Helper()
	if !w.keyboard {
		return
	}
	for range 300 {
		if at := w.text(focused); strings.HasPrefix(at, "left column of the") {
			// One step further back, so that the next Tab comes to it.
			w.do(chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(chromedp.ModifierShift)))
			return
		}
		w.do(chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(chromedp.ModifierShift)))
	}
	w.t.Fatal("Shift and Tab lead nowhere")
}

// checkCounts waits until the count board on the screen says what was planted.
func (b *browser) checkCounts(planted *demo.Outcome) {
	b.t.Helper()
	for c, n := range planted.Comparisons {
		b.until(fmt.Sprintf(`document.querySelector('[data-count=%q]')?.innerText === %q`, c, summary.Number(int64(n))))
	}
}

// checkTrays holds the trays on the screen against what was planted, and opens each.
func (b *browser) checkTrays(planted *demo.Outcome) {
	b.t.Helper()
	for _, at := range tray.All {
		var numbers []string
		for _, side := range tray.Sides {
			if at.On(side) && (side == tray.Left || !at.Paired()) {
				numbers = append(numbers, summary.Number(int64(planted.Trays[side][at])))
			}
		}
		got := strings.Fields(b.text(fmt.Sprintf(`document.querySelector('[data-tray=%q]').innerText`, at)))
		if strings.Join(got, " ") != strings.Join(numbers, " ") {
			b.t.Errorf("tray %s shows %v, planted %v", at, got, numbers)
		}
	}
}

// drawer opens a differing entry, reads both sides, closes it, and searches.
func (w *walk) drawer() {
	w.t.Helper()
	w.press("differing")
	w.until(`document.querySelector('button.tray[aria-pressed=true]').innerText.trim().startsWith('differing')`)
	w.until(`document.querySelectorAll('[data-entry]').length > 5`)
	key := w.text(`document.querySelector('[data-entry]').innerText`)
	w.press(key)
	w.says("How it came here")
	w.until(`document.querySelectorAll('[data-testid=aligned] td.skewed').length > 0`)
	w.says("call_no = Voyage Call")
	w.shoot("drawer.png")
	w.keys(kb.Escape)
	w.until(`!document.querySelector('.ant-drawer-open') && !!document.activeElement.dataset.entry`)
	w.field("Search in the cells of both sides")
	w.keys(strings.Fields(key)[0], kb.Enter)
	w.until(fmt.Sprintf(`[...document.querySelectorAll('[data-entry]')].every((e) => e.innerText.includes(%q))`, strings.Fields(key)[0]))
	w.keys(" no such text", kb.Enter)
	w.says("Nothing here holds all of these words.")
}

// TestWrongInTheWorkbench makes mistakes in the workbench: each is said beside the row that it is in, and swapping the
// sides changes nothing that is saved.
func TestWrongInTheWorkbench(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	head := loadDemo(t, p.client(), demo.New(demo.Options{Services: 40}))
	b := newBrowser(t, p)
	b.mistakes = true
	b.do(chromedp.Navigate(p.address + "/sieves/of/" + url.PathEscape(head.Sieve)))
	b.until(`document.querySelector('[data-count=full]') !== null`)
	before := b.text(`document.querySelector('[data-count=left]').innerText + ' ' + document.querySelector('[data-count=right]').innerText`)

	b.click(`[aria-label="readings of the key pair"]`, 1)
	b.keys(kb.Backspace, kb.Backspace)
	b.pick("date MM/DD/YYYY")
	b.keys(kb.Escape)
	b.until(`document.querySelector('.pair:nth-of-type(2) .fault')?.innerText.includes('none of the')`)
	b.click(`[aria-label="readings of the key pair"]`, 1)
	b.keys(kb.Backspace)
	b.pick("left date YYYY-MM-DD")
	b.pick("right date DD.MM.YYYY")
	b.keys(kb.Escape)
	b.until(`document.querySelector('.fault') === null && document.querySelector('[data-count=full]') !== null`)

	b.click(`[aria-label="within"]`, 0)
	b.keys("x")
	b.until(`document.querySelector('.pair.compare .fault')?.innerText.includes('is not a number')`)
	b.keys(kb.Backspace)
	b.until(`document.querySelector('.fault') === null && document.querySelector('[data-count=full]') !== null`)

	b.button("Swap sides")
	mirrored := strings.Fields(before)
	b.until(fmt.Sprintf(`document.querySelector('[data-count=left]')?.innerText === %q && document.querySelector('[data-count=right]')?.innerText === %q`, mirrored[1], mirrored[0]))
	saved, _, err := p.client().Sieve(context.Background(), head.Sieve)
	if err != nil || saved.Version != 1 || saved.Definition.Left != demo.ServiceLog {
		t.Errorf("swapping changed the saved sieve: version %d, left %s (%v)", saved.Version, saved.Definition.Left, err)
	}
}
