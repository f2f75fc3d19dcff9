package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// TestRetention removes runs and snapshots that nothing refers to. Signed reports stay, and so does all work on exceptions: the next run recognises them
// as if nothing had been removed.
func TestRetention(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := serve(t, data)
	c := p.client()
	tam := p.as(p.person(t, "tam", view.Analyst))
	s := demo.New(demo.Options{Services: 100})
	ctx := t.Context()
	first := loadDemo(t, c, s)
	for range 2 { // runs over the same snapshots
		job, err := c.Run(ctx, "Berth billing")
		done(t, c, job, err)
	}
	// The first report is signed; in the second somebody says something about an exception that will be absent.
	if _, err := c.Sign(ctx, first.ID, 0, view.SignStep{Step: "submit", Note: "for the record"}); err != nil {
		t.Fatal(err)
	}
	if _, err := tam.Sign(ctx, first.ID, 1, view.SignStep{Step: "sign", Note: "for the record"}); err != nil {
		t.Fatal(err)
	}
	one, two := loadRound(t, c, s.Later[0]), loadRound(t, c, s.Later[1])
	absent, err := c.Entries(ctx, one.ID, client.Query{Change: []string{"absent"}})
	if err != nil || absent.Total == 0 {
		t.Fatal(err)
	}
	said := absent.Entries[0]
	if _, err := c.Comment(ctx, one.ID, said.ID, "withdrawn, says the office"); err != nil {
		t.Fatal(err)
	}
	for want, r := range map[string]view.Retention{"Say what is kept": {}, "The field newest is -1; it may be 1 or more": {Newest: -1}} {
		_, err := remove(ctx, c, r)
		refused(t, want, err, view.Invalid, want)
	}
	if none, err := remove(ctx, c, view.Retention{Days: 3}); err != nil || len(none.Runs)+len(none.Snapshots) != 0 {
		t.Errorf("%+v, %v", none, err)
	}
	before, err := c.Pending(ctx, "all", "", "", "", 1000)
	if err != nil {
		t.Fatal(err)
	}
	would, err := c.Removable(ctx, view.Retention{Newest: 1})
	if err != nil || len(would.Runs) != 3 || len(would.Snapshots) != 2 || would.Bytes == 0 {
		t.Fatalf("%+v, %v", would, err)
	}
	if runs, err := c.Runs(ctx, "", 100); err != nil || len(runs.Runs) != 5 {
		t.Errorf("the preview has removed something: %d, %v", len(runs.Runs), err)
	}
	// What was listed goes, and nothing else: not by another rule, and not what is to be let go by the same rule after something has changed.
	for _, r := range []view.Removal{{Retention: view.Retention{Newest: 2}, List: would.List}, {Retention: view.Retention{Newest: 1}, List: "none"}} {
		_, err := c.Remove(ctx, r)
		refused(t, "removing what was not listed", err, view.Changed, "Nothing was removed")
	}
	if _, err := c.Remove(ctx, view.Removal{Retention: view.Retention{Newest: 1}}); err == nil {
		t.Error("removed without a list")
	}
	gone, err := remove(ctx, c, view.Retention{Newest: 1})
	if err != nil || fmt.Sprint(gone.Runs) != fmt.Sprint(would.Runs) || !strings.Contains(gone.Says, "3 runs and 2 snapshots are gone") {
		t.Errorf("%+v, %v", gone, err)
	}
	runs, err := c.Runs(ctx, "", 100)
	if err != nil || len(runs.Runs) != 2 || runs.Runs[0].ID != two.ID || runs.Runs[1].ID != first.ID {
		t.Errorf("%+v, %v", runs.Runs, err)
	}
	if _, err := c.RunHead(ctx, one.ID); !view.NotFound.Is(asProblem(err)) {
		t.Errorf("a removed report: %v", err)
	}
	// The signed report is whole, with its snapshots; and so are the exceptions.
	if matched, err := c.Entries(ctx, first.ID, client.Query{Tray: "matched", Limit: 5}); err != nil || len(matched.Entries) != 5 {
		t.Errorf("%+v, %v", matched, err)
	}
	after, err := c.Pending(ctx, "all", "", "", "", 1000)
	if err != nil || asJSON(t, after.Exceptions) != asJSON(t, before.Exceptions) {
		t.Errorf("%d exceptions are open, and before there were %d; %v", after.Total, before.Total, err)
	}
	absent, err = c.Entries(ctx, two.ID, client.Query{Change: []string{"absent"}, Limit: 1000})
	if err != nil || absent.Total != two.Since.Counts["absent"] {
		t.Fatalf("%d absent, %v", absent.Total, err)
	}
	found := false
	for _, e := range absent.Entries {
		if e.Work.Exception == said.Work.Exception {
			talk, err := c.Conversation(ctx, two.ID, e.ID)
			found = err == nil && len(talk.Comments) == 1 && len(e.Key) > 0
		}
	}
	if !found && two.Since.Counts["returned"] == 0 {
		t.Error("what was said about an absent exception is gone")
	}
	// Run once more, over the same: all is still open, and nothing is new.
	job, err := c.Run(ctx, "Berth billing")
	last, err := c.RunHead(ctx, done(t, c, job, err).Run)
	if err != nil || last.Number != two.Number+1 || last.Since.Counts["new"] != 0 || last.Since.Counts["still-open"] != two.Summary.Exceptions || last.Since.Counts["absent"] != two.Since.Counts["absent"] {
		t.Errorf("after it, since run %d: %+v, %v", last.Since.Number, last.Since.Counts, err)
	}
	if v, err := c.Verify(ctx, nil); err != nil || !v.Holds {
		t.Errorf("%+v, %v", v, err)
	}
	p.stop(t, 15)
	p = serve(t, data)
	r := run(t, p.at(), "retention", "--newest", "1", "--remove")
	if r.status != 0 || !strings.Contains(r.out, "1 run and 0 snapshots are gone") {
		t.Errorf("%+v", r)
	}
	if r := run(t, p.at(), "retention"); r.status != 2 || !strings.Contains(r.errors, "Say what is kept") {
		t.Errorf("%+v", r)
	}
}

// remove removes what a rule lets go at this moment.
func remove(ctx context.Context, c *client.Client, r view.Retention) (view.Removable, error) {
	listed, err := c.Removable(ctx, r)
	if err != nil {
		return listed, err
	}
	return c.Remove(ctx, view.Removal{Retention: r, List: listed.List})
}

func asJSON(t testing.TB, v any) string {
	t.Helper()
	text, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}
