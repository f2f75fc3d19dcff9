package e2e

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"twinsieve/demo"
)

// TestDemo runs the demo, enters by the links that it prints, and looks at every page: as the admin, who submits the report, as the analyst,
// who signs it, and as the reader, who finds nothing to change.
func TestDemo(t *testing.T) {
	t.Parallel()
	p := &process{cmd: exec.Command(program, "demo", "--listen", "127.0.0.1:0", "--data", t.TempDir()), log: &lockedBuffer{}, ended: make(chan struct{})}
	p.cmd.Stderr = p.log
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := p.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	go func() {
		_ = p.cmd.Wait()
		close(p.ended)
	}()
	t.Cleanup(func() { p.stop(t, syscall.SIGKILL) })
	lines, links, report := bufio.NewScanner(out), map[string]string{}, ""
	entering := regexp.MustCompile(`Enter once as ([^,]+),.*(http\S+)`)
	for report == "" && lines.Scan() {
		if m := entering.FindStringSubmatch(lines.Text()); m != nil {
			links[m[1]] = m[2]
		}
		if _, at, ok := strings.Cut(lines.Text(), "The report is at"); ok {
			report = strings.TrimSpace(at)
		}
	}
	if len(links) != len(demo.People) || report == "" {
		t.Fatalf("the demo prints %v and %q: %s", links, report, p.log)
	}
	p.address = report[:strings.Index(report, "/reports")]
	enter := func(name string) *walk {
		t.Helper()
		w := &walk{browser: newBrowserAs(t, p, entered{}), seen: map[string]int{}}
		w.mistakes = true // the browser logs that nobody is signed in yet
		w.do(chromedp.Navigate(links[name]))
		w.press("Enter as " + strings.ToLower(strings.ReplaceAll(name, " ", ".")))
		w.says("exceptions need a person")
		return w
	}
	look := func(w *walk, path, want, picture string, height int64) {
		t.Helper()
		w.do(chromedp.Navigate(p.address + path))
		w.says(want)
		w.until(`document.querySelectorAll('.ant-spin-spinning').length === 0`)
		w.size(height)
		w.shoot(picture)
		w.size(800)
	}
	s := demo.New(demo.Options{})
	at := strings.TrimPrefix(report, p.address)
	ines := enter("Ines Varga")
	since := s.Later[1].Since
	ines.says(fmt.Sprintf("%d still open", since["still-open"]))
	look(ines, at, fmt.Sprintf("%d new", since["new"]), "report.png", 800)
	look(ines, at+"?tray=differing&sort=amount&desc=true&entry="+largest(ines, at), "was there a second one on that call?", "report-entry.png", 800)
	look(ines, "/exceptions?sort=amount", "nobody's", "all-exceptions.png", 800)
	look(ines, "/sieves/of/Berth%20billing/trend", "settled since the run before", "trend.png", 800)
	look(ines, "/sets", "service-log", "record-sets.png", 800)
	look(ines, "/sets/service-log", "call_no", "profile.png", 800)
	look(ines, "/sieves/of/Berth%20billing", "Count board", "workbench.png", 1500)
	look(ines, "/activity", "ran Berth billing", "activity.png", 800)
	look(ines, "/settings", "Lio Brandt", "settings.png", 800)
	ines.do(chromedp.Evaluate[chromedp.Void](`localStorage.setItem('twinsieve-mode', 'dark')`))
	look(ines, "/sieves/of/Berth%20billing", "Count board", "workbench-dark.png", 1500)
	ines.do(chromedp.Evaluate[chromedp.Void](`localStorage.setItem('twinsieve-mode', 'light')`))

	ines.do(chromedp.Navigate(report))
	ines.press("Submit for signing") // exceptions are open: it asks for a note
	ines.says("still open")
	ines.field("why")
	ines.keys("The last tugs wait for the agent")
	ines.press("Submit it")
	ines.says("waits for somebody else to sign it")
	ines.until(`[...document.querySelectorAll('.signoff button')].some((b) => b.innerText === 'Sign' && b.disabled)`)
	tam := enter("Tam Okoro")
	tam.says("waits for somebody else to sign it")
	tam.press("Sign")
	tam.field("why")
	tam.keys("Agreed with the agent")
	tam.shoot("sign-off.png")
	tam.press("Sign it")
	for _, w := range []*walk{tam, ines} {
		w.says("Signed by tam.okoro on")
		w.until(`document.querySelector('.workbar') === null`)
	}
	tam.printed(p)

	lio := enter("Lio Brandt")
	lio.says("Signed by tam.okoro on")
	if n := lio.text(`String(document.querySelectorAll('.workbar, .signoff button').length)`); n != "0" {
		t.Errorf("a reader finds %s things to change", n)
	}
	for page, there := range map[string]string{at + "/near": "suggestions among", "/sieves/of/Berth%20billing/crosswalk": "It holds from the next run on"} {
		lio.do(chromedp.Navigate(p.address + page))
		lio.says(there)
		lio.until(`!document.querySelector('.ant-table-wrapper .ant-spin-spinning')`)
		if n := lio.text(`String(document.querySelectorAll('main .ant-btn:not([href]), main input').length)`); n != "0" {
			t.Errorf("a reader finds %s things to change at %s", n, page)
		}
	}
	// A link works once.
	again := &walk{browser: newBrowserAs(t, p, entered{}), seen: map[string]int{}}
	again.unfound = true
	again.do(chromedp.Navigate(links["Ines Varga"]))
	again.says("This link no longer works")
	again.do(chromedp.Navigate(report))
	again.says("An admin gives you a link")
}

// largest is the id of the largest difference of the report that is looked at.
func largest(w *walk, at string) string {
	w.do(chromedp.Navigate(w.text(`location.origin`) + at + "?tray=differing&sort=amount&desc=true&status=open"))
	w.until(`document.querySelectorAll("[data-entry]").length > 0`)
	return w.text(`[...document.querySelectorAll("tr")].find((row) => row.innerText.includes("✎"))?.querySelector("[data-entry]")?.dataset.entry ?? document.querySelector("[data-entry]").dataset.entry`)
}

// size makes the page so high, and as wide as pictures are.
func (w *walk) size(height int64) {
	w.do(chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		_, err := cdp.Call(ctx, target, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{Width: 1280, Height: height, DeviceScaleFactor: 1})
		return err
	}))
}

// printed prints the page of the signed report as a browser does, and looks whether it is of A4 pages.
func (w *walk) printed(p *process) {
	w.t.Helper()
	w.do(chromedp.Evaluate[chromedp.Void](`fetch(location.pathname.replace('/reports/', '/api/v1/runs/') + '/export?format=html').then((r) => r.text()).then((text) => { window.handedOver = text; }); 0`))
	w.until(`!!window.handedOver`)
	page := w.text(`window.handedOver`)
	if !strings.Contains(page, "Signed by tam.okoro on") {
		w.t.Fatal("the page that is handed over does not say that it is signed")
	}
	dir := w.t.TempDir()
	file, pdf := write(w.t, dir, "report.html", []byte(page)), filepath.Join(dir, "report.pdf")
	ctx, cancel := context.WithTimeout(w.t.Context(), time.Minute)
	defer cancel()
	print := exec.CommandContext(ctx, "chromium", "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--user-data-dir="+filepath.Join(dir, "profile"), "--no-pdf-header-footer", "--print-to-pdf="+pdf, "file://"+file)
	if said, err := print.CombinedOutput(); err != nil {
		w.t.Fatalf("%v: %s", err, said)
	}
	content, err := os.ReadFile(pdf)
	if err != nil {
		w.t.Fatal(err)
	}
	box := regexp.MustCompile(`/MediaBox ?\[[^\]]*\]`).Find(content)
	if !regexp.MustCompile(`\[0 0 84[12](\.\d+)? 59[45](\.\d+)?\]`).Match(box) { // A4 across is 841.9 by 595.3 points
		w.t.Errorf("the printed page is not A4 across: %s", box)
	}
	if shots := os.Getenv("TWINSIEVE_SHOTS"); shots != "" {
		write(w.t, shots, "printed.pdf", content)
	}
}
