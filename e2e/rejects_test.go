package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/client"
	"twinsieve/core/again"
	"twinsieve/core/tray"
	"twinsieve/service/view"
)

// TestRejectsAreWorkedOn follows lines that are no records through two runs: they are listed, worked on, spoken about and handed over like any
// exception, and what stands on them appears as text.
func TestRejectsAreWorkedOn(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	ctx := t.Context()
	const odd = `<b onmouseover="alert(1)">page 3</b>`
	load(t, c, "log", []byte("call,amount\nMW-1,5\n"+odd+"\nMW-2,7\ncarried over\ncarried over\n"))
	load(t, c, "bills", []byte("call,amount\nMW-1,5\nMW-2,7\ncarried over\n"))
	if r := run(t, p.at(), "define", "Calls", "--left", "log", "--right", "bills", "-k", "call", "-c", "amount: as decimal"); r.status != 0 {
		t.Fatal(r.errors)
	}
	first := runSieve(t, c, "Calls")
	if first.Summary.Exceptions != 4 || first.Summary.Rejects != [2]int64{3, 1} || !strings.Contains(first.Summary.Verdict, "4 exceptions need a person: 4 rejects.") {
		t.Fatalf("%d exceptions, rejects %v: %s", first.Summary.Exceptions, first.Summary.Rejects, first.Summary.Verdict)
	}
	page, err := c.Entries(ctx, first.ID, client.Query{Tray: "reject", Search: "PAGE 3"})
	if err != nil || len(page.Entries) != 1 {
		t.Fatalf("%+v, %v", page.Entries, err)
	}
	e := page.Entries[0]
	if e.Tray != tray.Reject || e.Side != "left" || e.Reject == nil || e.Reject.Line != 3 || e.Reject.Text != odd || e.Left != nil || e.Work.Amount != "" {
		t.Errorf("the reject is listed as %+v", e)
	}
	if _, err := c.ChangeEntry(ctx, first.ID, e.ID, e.Work.Version, view.WorkChange{Status: text("explained"), Owner: text("me"), Reason: text("not ours")}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Comment(ctx, first.ID, e.ID, "a page's head"); err != nil {
		t.Fatal(err)
	}
	for format, has := range map[string]string{"html": "&lt;b onmouseover=", "csv": `reject,"a quote stands inside a cell that is not quoted: <b onmouseover=""alert(1)"">page 3</b>",3,,`} {
		if out := string(handedOver(t, c, first.ID, client.Query{}, format)); !strings.Contains(out, has) {
			t.Errorf("the %s has no %q:\n%s", format, has, out)
		}
	}
	if out := run(t, p.at(), "report", "Calls", "--tray", "reject"); out.status != 1 || !strings.Contains(out.out, "left line 3: "+odd) || !strings.Contains(out.out, "explained") {
		t.Errorf("exit %d\n%s%s", out.status, out.out, out.errors)
	}

	// One of the log's two alike is gone, and so is that of the bills; a new one has come.
	load(t, c, "log", []byte("call,amount\nMW-1,5\nMW-2,7\ncarried over\n"+odd+"\n"))
	load(t, c, "bills", []byte("call,amount\nMW-1,5\nMW-2,7\nthe end\n"))
	second := runSieve(t, c, "Calls")
	for change, want := range map[again.Change]int64{again.New: 1, again.StillOpen: 2, again.Absent: 2, again.Changed: 0, again.Cleared: 0} {
		if got := second.Since.Counts[change]; got != want {
			t.Errorf("%d %s, want %d", got, change, want)
		}
	}
	page, err = c.Entries(ctx, second.ID, client.Query{Tray: "reject", Search: "page"})
	if err != nil || len(page.Entries) != 1 {
		t.Fatalf("%+v, %v", page.Entries, err)
	}
	if e := page.Entries[0]; e.Status != "explained" || e.Work.Owner != "ines" || e.Work.Comments != 1 || e.Reject.Line != 5 || e.Work.Change != again.StillOpen {
		t.Errorf("in the next run it is %+v, %+v", e, e.Work)
	}
	trend, err := c.Trend(ctx, "Calls")
	if err != nil || trend.Runs[1].Trays["reject"] != 3 || trend.Runs[1].Trays["absent"] != 2 {
		t.Errorf("the trend: %+v, %v", trend, err)
	}

	b := newBrowser(t, p)
	b.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=reject&search=page", p.address, second.ID)))
	b.says(`left line 5: ` + odd)
	b.until(`document.querySelector('[data-tray=reject]').innerText.replace(/\s/g, '') === '21'`)
	b.click("[data-entry]", 0)
	b.until(fmt.Sprintf(`document.querySelector('pre.reject')?.innerText === %q`, odd))
	b.says("a page's head")
	b.shoot("reject.png")
}
