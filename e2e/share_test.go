package e2e

import (
	"bytes"
	"fmt"
	"net/http"
	"path"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestShare reads a report by links for others: the whole report, or what was chosen, and nothing else.
func TestShare(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 80}))
	other := loadRound(t, c, demo.New(demo.Options{Services: 80}).Later[0])
	ctx := t.Context()
	whole, err := c.Share(ctx, head.ID, client.Query{}, 0, head.Summary.Exceptions)
	if err != nil || whole.Says != "the whole report" || whole.Ends.Sub(whole.Created).Hours() < 29*24 {
		t.Fatalf("%+v, %v", whole, err)
	}
	large, err := c.Entries(ctx, head.ID, client.Query{Tray: "missing,orphaned", AtLeast: "500", Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	part, err := c.Share(ctx, head.ID, client.Query{Tray: "missing,orphaned", AtLeast: "500"}, 3, large.Total)
	if err != nil || part.Says != "only those with tray missing,orphaned; amount at least 500" {
		t.Fatalf("%+v, %v", part, err)
	}
	_, err = c.Share(ctx, head.ID, client.Query{Status: []string{"done"}}, 0, 0)
	refused(t, "a share of nothing that is", err, view.Invalid, `The parameter status is "done"; write one of open`)
	_, err = c.Share(ctx, head.ID, client.Query{}, 400, head.Summary.Exceptions)
	refused(t, "a share without an end", err, view.Invalid, "The field days is 400; it may be 1 to 366")
	_, err = c.Share(ctx, head.ID, client.Query{Tray: "missing"}, 3, head.Summary.Exceptions)
	refused(t, "a share of another number of entries than was seen", err, view.OtherCount, "Nothing was done")
	all, some := path.Base(whole.Link), path.Base(part.Link)

	guest := client.New(p.address, "")
	shown, err := guest.Shared(ctx, all)
	if err != nil || shown.Run.ID != head.ID || shown.SignOff.State != "draft" {
		t.Fatalf("%+v, %v", shown.Run.ID, err)
	}
	list, err := guest.SharedEntries(ctx, all, client.Query{Limit: 1000})
	if err != nil || list.Total != head.Summary.Exceptions {
		t.Errorf("%d, %v", list.Total, err)
	}
	if matched, err := guest.SharedEntries(ctx, all, client.Query{Tray: "matched", Limit: 1}); err != nil || len(matched.Entries) != 1 {
		t.Errorf("%+v, %v", matched, err)
	}
	if list, err = guest.SharedEntries(ctx, some, client.Query{Limit: 1000}); err != nil || list.Total != large.Total || list.Total == 0 {
		t.Errorf("%d, want %d; %v", list.Total, large.Total, err)
	}
	// What the link is narrowed to cannot be widened again.
	if list, err = guest.SharedEntries(ctx, some, client.Query{AtLeast: "0", Status: []string{"open", "settled"}, Tray: "missing", Limit: 1000}); err != nil || list.Total == 0 || list.Total >= large.Total {
		t.Errorf("%d of %d; %v", list.Total, large.Total, err)
	}
	for _, hidden := range []string{"differing", "matched", "excluded"} {
		_, err = guest.SharedEntries(ctx, some, client.Query{Tray: hidden})
		refused(t, hidden, err, view.NotAllowed, "This link shows only those with tray missing,orphaned")
	}
	if _, err := guest.SharedEntry(ctx, some, large.Entries[0].ID); err != nil {
		t.Error(err)
	}
	differing, err := c.Entries(ctx, head.ID, client.Query{Tray: "differing", Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range []string{differing.Entries[0].ID, "left-1", "99999"} {
		_, err = guest.SharedEntry(ctx, some, id)
		refused(t, "entry "+id, err, view.NotFound, "")
	}
	var out bytes.Buffer
	if err := guest.SharedExport(ctx, some, client.Query{}, client.Format{}, &out); err != nil || strings.Count(out.String(), "\n") != int(large.Total)+1 {
		t.Errorf("%d lines, %v", strings.Count(out.String(), "\n"), err)
	}
	out.Reset()
	if err := guest.SharedExport(ctx, all, client.Query{}, client.Format{Name: "html"}, &out); err != nil || !strings.Contains(out.String(), "by a link for others") {
		t.Errorf("%d bytes, %v", out.Len(), err)
	}
	// One letter changed, another kind of link, and everything else of the service.
	changed := []byte(all)
	changed[5] ^= 1
	for _, code := range []string{string(changed), all[:len(all)-1], "x"} {
		_, err = guest.Shared(ctx, code)
		refused(t, "code "+code, err, view.NotFound, "This link shows nothing")
		_, err = guest.SharedEntries(ctx, code, client.Query{})
		refused(t, "code "+code, err, view.NotFound, "This link shows nothing")
	}
	for _, path := range []string{"/runs", "/sets", fmt.Sprintf("/runs/%d", head.ID), fmt.Sprintf("/runs/%d", other.ID), "/people", "/history", fmt.Sprintf("/runs/%d/entries/1/conversation", head.ID)} {
		if status, _ := askAs(t, http.MethodGet, p.address+"/api/v1"+path, all); status != http.StatusUnauthorized {
			t.Errorf("with the link's code as a token, %s: %d", path, status)
		}
	}
	links, err := c.Shares(ctx, head.ID)
	if err != nil || len(links.Shares) != 2 || links.Shares[0].Link != "" || links.Shares[0].By != "ines" {
		t.Errorf("%+v, %v", links, err)
	}
	if err := c.RevokeShare(ctx, other.ID, part.ID); err == nil {
		t.Error("a link of another report was revoked")
	}
	if err := c.RevokeShare(ctx, head.ID, part.ID); err != nil {
		t.Error(err)
	}
	_, err = guest.SharedEntries(ctx, some, client.Query{})
	refused(t, "a revoked link", err, view.NotFound, "it was revoked")

	// The page, for somebody who is not signed in.
	b := newBrowserAs(t, p, entered{})
	b.do(chromedp.Navigate(p.address + whole.Link))
	b.says(strings.SplitAfter(head.Summary.Verdict, ". ")[0])
	b.says("Not signed.")
	b.until(`document.querySelectorAll("[data-entry]").length > 0`)
	b.click("[data-entry]", 0)
	b.until(`document.querySelector("[data-testid=aligned]") !== null`)
	if n := b.text(`String(document.querySelectorAll('.rail, .workbar, textarea, [type=checkbox]').length)`); n != "0" {
		t.Errorf("the page has %s things that do something", n)
	}
	b.shoot("shared.png")
}

// TestShareCommand makes, lists and revokes links on the command line.
func TestShareCommand(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	loadDemo(t, p.client(), demo.New(demo.Options{Services: 20}))
	r := run(t, p.at(), "share", "Berth billing", "--days", "2", "--tray", "missing")
	link := strings.TrimSpace(r.out)
	if r.status != 0 || !strings.HasPrefix(link, p.address+"/shared/") || !strings.Contains(r.errors, "shows only those with tray missing (") || !strings.Contains(r.errors, ") until ") ||
		!strings.Contains(r.errors, "above them it shows the head of the whole run") {
		t.Fatalf("%+v", r)
	}
	if r := run(t, p.at(), "share", "1", "--list", "-o", "csv"); r.status != 0 || !strings.Contains(r.out, "1,only those with tray missing,ines,") {
		t.Errorf("%+v", r)
	}
	if r := run(t, p.at(), "share", "1", "--revoke", "1"); r.status != 0 {
		t.Errorf("%+v", r)
	}
	if r := run(t, p.at(), "share", "1", "--revoke", "1"); r.status != 2 || !strings.Contains(r.errors, "There is no link 1 to this report") {
		t.Errorf("%+v", r)
	}
	if _, err := client.New(p.address, "").Shared(t.Context(), path.Base(link)); err == nil {
		t.Error("the link still works")
	}
	// Triage, sign-off, and what is open, too.
	for _, c := range []struct {
		args   []string
		status int
		want   string
	}{
		{[]string{"triage", "1", "--tray", "missing", "--set", "explained", "--because", "timing"}, 0, "changed: explained, reason: timing; to undo it: twinsieve triage 1 --undo 1"},
		{[]string{"triage", "1", "--undo", "1"}, 0, "undone: explained, reason: timing; 0 of "},
		{[]string{"triage", "1", "--entry", "1", "--comment", "@ines look", "--give", "me"}, 0, "1 exception changed: owned by ines"},
		{[]string{"triage", "1", "--entry", "1", "--give", "nobody", "--because", "none"}, 0, "1 exception changed: owned by nobody, without a reason"},
		{[]string{"triage", "1", "--set", "settled"}, 2, "all exceptions would be changed; choose some"},
		{[]string{"triage", "1", "--tray", "missing"}, 2, "nothing is to be done"},
		{[]string{"triage", "1", "--comment", "which?"}, 2, "are about one entry; name it with --entry"},
		{[]string{"triage", "1", "--entry", "1", "--file", "no such file"}, 3, "no such file cannot be read"},
		{[]string{"triage", "1", "--tray", "lost", "--set", "settled"}, 2, "lost"},
		{[]string{"report", "1", "--status", "open", "--limit", "1", "-o", "csv"}, 1, ",new,open,,"},
		{[]string{"report", "1", "--change", "gone"}, 2, `--change does not take "gone"; write one of new`},
		{[]string{"exceptions", "--mentions", "-o", "csv"}, 0, "Berth billing,1,1,"},
		{[]string{"exceptions", "--mine", "--unowned"}, 2, "choose one of --mine, --unowned, --mentions"},
		{[]string{"trend", "Berth billing", "-o", "csv"}, 0, "run,report,finished,differing"},
		{[]string{"signoff", "1", "--submit"}, 2, "exceptions of the report are still open; add a note"},
		{[]string{"signoff", "1", "--note", "x"}, 2, "--note goes with --submit or --sign"},
		{[]string{"signoff", "1", "--submit", "--note", "as agreed"}, 0, "Note: as agreed"},
		{[]string{"signoff", "1", "--sign"}, 2, "You have submitted this report yourself"},
		{[]string{"signoff", "1", "--send-back", ""}, 2, "Say why"},
		{[]string{"signoff", "1", "-o", "csv"}, 0, "1,submitted,ines,,as agreed,"},
	} {
		if r := run(t, p.at(), c.args...); r.status != c.status || !strings.Contains(r.out+r.errors, c.want) || c.status == 2 && strings.Count(r.errors, "\n") != 1 {
			t.Errorf("%q: exit %d\n%s%s\nwant %d and %q", c.args, r.status, r.out, r.errors, c.status, c.want)
		}
	}
}
