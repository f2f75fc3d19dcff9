package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"

	"twinsieve/client"
	"twinsieve/service/view"
)

// TestWorkIsAboutWhatWasSeen: a change in an older report of what has moved since is refused; what a run has cleared is not opened by an undo;
// what a person opens is listed; changes are undone step by step; mentions are found whatever has become of them; and webhooks are told of new
// owners alone.
func TestWorkIsAboutWhatWasSeen(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir(), "--webhooks-inside")
	told := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) }))
	defer told.Close()
	c, tam := p.client(), p.as(p.person(t, "tam", view.Analyst))
	ctx := t.Context()
	if _, err := c.AddWebhook(ctx, view.NewWebhook{Address: told.URL, Events: []string{"exceptions.owned"}}); err != nil {
		t.Fatal(err)
	}
	loadIDs(t, c, "L", "A 10,B 20,C 30,1 1")
	loadIDs(t, c, "R", "A 11,B 21,C 31,1 1")
	if _, err := c.CreateSieve(ctx, byID("Quay", "L", "R")); err != nil {
		t.Fatal(err)
	}
	first := runSieve(t, c, "Quay")
	entry := func(run uint, key string) view.Entry {
		t.Helper()
		list, err := c.Entries(ctx, run, client.Query{Change: []string{"new", "still-open", "changed", "returned", "cleared", "absent"}, Limit: 100})
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range list.Entries {
			if len(e.Key) == 1 && e.Key[0] == key {
				return e
			}
		}
		t.Fatalf("run %d has no %s", run, key)
		return view.Entry{}
	}
	change := func(by *client.Client, run uint, key string, version int, status, owner string) error {
		t.Helper()
		e := entry(run, key)
		if version == 0 {
			version = e.Work.Version
		}
		c := view.WorkChange{}
		if status != "" {
			c.Status = &status
		}
		if owner != "" {
			c.Owner = &owner
		}
		_, err := by.ChangeEntry(ctx, run, e.ID, version, c)
		return err
	}
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	// Undone step by step.
	must(change(c, first.ID, "C", 0, "explained", ""))
	must(change(c, first.ID, "C", 0, "", "tam"))
	for n, want := range []string{"explained ", "open "} {
		actions, err := c.Actions(ctx, first.ID)
		must(err)
		done, err := c.Undo(ctx, first.ID, actions.Actions[n].ID)
		must(err)
		if e := entry(first.ID, "C"); done.Kept != 0 || e.Status+" "+e.Work.Owner != want {
			t.Errorf("undo %d: %d kept, it is %s of %q, want %q", n, done.Kept, e.Status, e.Work.Owner, want)
		}
	}
	// Told of new owners alone.
	must(change(c, first.ID, "A", 0, "", "tam"))
	must(change(c, first.ID, "A", 0, "in-progress", "tam"))
	owner := "tam"
	entries := []string{entry(first.ID, "A").ID, entry(first.ID, "B").ID}
	events, err := c.History(ctx, "", "", "", "", 1)
	must(err)
	if _, err := c.ChangeEntries(ctx, first.ID, client.Query{}, view.BulkChange{WorkChange: view.WorkChange{Owner: &owner}, Entries: entries, Count: 2, Seen: events.Events[0].Seq}); err != nil {
		t.Fatal(err)
	}
	hooks, err := c.Deliveries(ctx, 1)
	must(err)
	var counts []int
	for _, d := range hooks.Deliveries {
		var body struct{ Count int }
		must(json.Unmarshal(d.Body, &body))
		counts = append([]int{body.Count}, counts...)
	}
	if fmt.Sprint(counts) != "[1 1 1]" { // C, A and B, each once; the undo gave nobody anything
		t.Errorf("the webhook was told of %v owned exceptions", counts)
	}
	// Mentioned, and explained since.
	must(func() error {
		_, err := c.Comment(ctx, first.ID, entry(first.ID, "B").ID, "@tam please look")
		return err
	}())
	must(change(c, first.ID, "B", 0, "settled", ""))
	if list, err := tam.Pending(ctx, "mentions", "", "", "", 10); err != nil || list.Total != 1 {
		t.Errorf("tam is mentioned %d times, %v", list.Total, err)
	}

	loadIDs(t, c, "R", "A 1000000,B 20,C 31,1 1")
	second := runSieve(t, c, "Quay")
	must(change(c, second.ID, "C", 0, "in-progress", ""))
	refused(t, "what moved, as it was seen then", change(c, first.ID, "A", 1, "explained", ""), view.Changed, "Nothing was changed")
	refused(t, "what moved, by its newest version", change(c, first.ID, "A", 0, "explained", ""), view.Changed, "has other values since this report")
	must(change(c, second.ID, "A", 0, "explained", ""))
	must(change(c, first.ID, "C", 0, "explained", "")) // which has not moved

	// B was settled by a person before the run cleared it: to undo that does not open it.
	actions, err := c.Actions(ctx, first.ID)
	must(err)
	for _, a := range actions.Actions {
		if a.Undone == nil {
			_, err := c.Undo(ctx, first.ID, a.ID)
			must(err)
		}
	}
	if e := entry(second.ID, "B"); e.Status != "settled" || e.Work.Change != "cleared" {
		t.Errorf("what the run has cleared is %s, %s", e.Status, e.Work.Change)
	}
	// A person may open it, and then it is listed.
	must(change(c, second.ID, "B", 0, "open", ""))
	list, err := c.Pending(ctx, "all", "", "", "", 100)
	must(err)
	listed := false
	for _, e := range list.Exceptions {
		listed = listed || len(e.Entry.Key) == 1 && e.Entry.Key[0] == "B"
	}
	if !listed {
		t.Errorf("what was opened again is not among the %d pending", list.Total)
	}
}
