package e2e

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/demo"
	"twinsieve/service/view"
)

func text(s string) *string { return &s }

// refused checks that something was refused with a problem of a kind that says something.
func refused(t testing.TB, what string, err error, kind view.ProblemKind, says string) {
	t.Helper()
	if p := asProblem(err); !kind.Is(p) || !strings.Contains(p.Detail, says) {
		t.Errorf("%s: %v, want %q", what, err, says)
	}
}

// TestWork changes exceptions one at a time and many at once, meets the changes of another, and undoes.
func TestWork(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	ines, tam, lio := p.client(), p.as(p.person(t, "tam", view.Analyst)), p.as(p.person(t, "lio", view.Reader))
	head := loadDemo(t, ines, demo.New(demo.Options{Services: 100}))
	ctx, run := t.Context(), head.ID
	list := func(q client.Query) view.Entries {
		t.Helper()
		q.Limit = 1000
		page, err := ines.Entries(ctx, run, q)
		if err != nil {
			t.Fatal(err)
		}
		return page
	}
	all := list(client.Query{})
	if all.Total != head.Summary.Exceptions || int64(len(all.Entries)) != all.Total {
		t.Fatalf("%d of %d exceptions", len(all.Entries), all.Total)
	}

	// One at a time: the second who changes it is told, shown the other's change, and loses nothing.
	one := all.Entries[0]
	if one.Status != "open" || one.Work.Version != 1 || one.Work.Change != "new" || one.Work.Owner != "" {
		t.Errorf("%+v", one.Work)
	}
	changed, err := tam.ChangeEntry(ctx, run, one.ID, 1, view.WorkChange{Status: text("in-progress"), Owner: text("me"), Reason: text("rounding")})
	if err != nil || changed.Status != "in-progress" || changed.Work.Owner != "tam" || changed.Work.Reason != "rounding" || changed.Work.Version != 2 || changed.Work.ChangedBy != "tam" {
		t.Fatalf("%+v, %v", changed.Work, err)
	}
	_, err = ines.ChangeEntry(ctx, run, one.ID, 1, view.WorkChange{Status: text("settled")})
	refused(t, "a change of what was changed", err, view.Changed, "changed by others since you looked. Nothing was changed")
	if faults := asProblem(err).Faults; len(faults) != 1 || faults[0].What != "in progress, owned by tam, reason: rounding by tam" {
		t.Errorf("%+v", faults)
	}
	if changed, err = ines.ChangeEntry(ctx, run, one.ID, 2, view.WorkChange{Status: text("settled")}); err != nil || changed.Work.Owner != "tam" || changed.Status != "settled" {
		t.Errorf("%+v, %v", changed.Work, err)
	}
	for what, c := range map[string]struct {
		change view.WorkChange
		says   string
	}{
		"nothing":          {view.WorkChange{}, "Nothing is to be changed"},
		"no status":        {view.WorkChange{Status: text("done")}, `The field status is "done"; write one of open, in-progress, explained, settled`},
		"no person":        {view.WorkChange{Owner: text("nobody.here")}, `There is nobody active named "nobody.here"`},
		"no listed reason": {view.WorkChange{Reason: text("because")}, `"because" is not in the list of reasons`},
	} {
		_, err := ines.ChangeEntry(ctx, run, one.ID, 3, c.change)
		refused(t, what, err, view.Invalid, c.says)
	}
	_, err = lio.ChangeEntry(ctx, run, one.ID, 3, view.WorkChange{Status: text("open")})
	refused(t, "a reader's change", err, view.NotAllowed, "needs the role analyst")
	_, err = ines.ChangeEntry(ctx, run, "left-1", 1, view.WorkChange{Status: text("open")})
	refused(t, "a record that is no exception", err, view.NotFound, "has no exception")

	// Many at once, as one action: nothing of it happens where one of them has been changed by another meanwhile.
	seen := list(client.Query{}).Seen
	if _, err := tam.ChangeEntry(ctx, run, all.Entries[1].ID, 1, view.WorkChange{Owner: text("ines")}); err != nil {
		t.Fatal(err)
	}
	bulk := view.BulkChange{WorkChange: view.WorkChange{Status: text("explained"), Reason: text("timing")}, Count: all.Total, Seen: seen}
	fewer := bulk
	fewer.Count--
	_, err = ines.ChangeEntries(ctx, run, client.Query{}, fewer)
	refused(t, "a bulk change of more records than were seen", err, view.OtherCount, "Nothing was done")
	_, err = ines.ChangeEntries(ctx, run, client.Query{}, bulk)
	refused(t, "a bulk change that meets a changed record", err, view.Changed, "1 exception has been changed by others")
	if n := list(client.Query{Status: []string{"explained"}}).Total; n != 0 {
		t.Errorf("%d were changed all the same", n)
	}
	bulk.Over = "skip"
	done, err := ines.ChangeEntries(ctx, run, client.Query{}, bulk)
	if err != nil || done.Changed != all.Total-1 || done.Says != "explained, reason: timing" {
		t.Fatalf("%+v, %v", done, err)
	}
	if n := list(client.Query{Status: []string{"explained"}, Reason: "timing"}).Total; n != all.Total-1 {
		t.Errorf("%d are explained", n)
	}
	// One of them is changed again, then the action is undone: that one stays as it is.
	if _, err := tam.ChangeEntry(ctx, run, all.Entries[3].ID, 2, view.WorkChange{Status: text("in-progress")}); err != nil {
		t.Fatal(err)
	}
	undone, err := ines.Undo(ctx, run, done.ID)
	if err != nil || undone.Kept != 1 {
		t.Fatalf("%+v, %v", undone, err)
	}
	_, err = ines.Undo(ctx, run, done.ID)
	refused(t, "undone twice", err, view.NotFound, "undone already")
	for i, e := range list(client.Query{}).Entries {
		want := map[int]string{0: "settled tam rounding", 1: "open ines ", 3: "in-progress  timing"}[i]
		if want == "" {
			want = "open  "
		}
		if got := e.Status + " " + e.Work.Owner + " " + e.Work.Reason; got != want {
			t.Errorf("entry %s is %q after all, want %q", e.ID, got, want)
		}
	}
	// Chosen by id, and what is so already is not counted.
	ids := []string{all.Entries[0].ID, all.Entries[5].ID}
	done, err = ines.ChangeEntries(ctx, run, client.Query{}, view.BulkChange{WorkChange: view.WorkChange{Status: text("settled")}, Count: 2, Seen: list(client.Query{}).Seen, Entries: ids})
	if err != nil || done.Changed != 1 {
		t.Errorf("%+v, %v", done, err)
	}
	actions, err := ines.Actions(ctx, run)
	if err != nil || len(actions.Actions) != 6 || actions.Actions[0].ID != done.ID {
		t.Errorf("%+v, %v", actions, err)
	}
	// A bulk change is one entry of the history.
	history, err := ines.History(ctx, "run", fmt.Sprint(run), "ines", "", 100)
	if err != nil {
		t.Fatal(err)
	}
	var says []string
	for _, e := range history.Events {
		says = append(says, e.Says)
	}
	if want := fmt.Sprintf("changed %d exceptions in report %d: explained, reason: timing", all.Total-1, run); !slices.Contains(says, want) {
		t.Errorf("%q does not say %q", says, want)
	}
}

// TestLists holds every filter and order of a report's exceptions against going through all of them, and pages through each.
func TestLists(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 100}))
	ctx, run := t.Context(), head.ID
	all, err := c.Entries(ctx, run, client.Query{Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	for i, e := range all.Entries {
		change := view.WorkChange{Status: text([]string{"open", "in-progress", "explained", "settled"}[i%4])}
		if i%3 == 0 {
			change.Owner = text("ines")
		}
		if i%5 == 0 {
			change.Reason = text("rounding")
		}
		if _, err := c.ChangeEntry(ctx, run, e.ID, 1, change); err != nil {
			t.Fatal(err)
		}
	}
	if all, err = c.Entries(ctx, run, client.Query{Limit: 1000}); err != nil {
		t.Fatal(err)
	}
	magnitude := func(e *view.Entry) float64 {
		var f float64
		if n, _ := fmt.Sscan(e.Work.Amount, &f); n == 0 {
			return -1
		}
		return max(f, -f)
	}
	has := func(word string) func(*view.Entry) bool {
		return func(e *view.Entry) bool {
			for _, r := range []*view.Record{e.Left, e.Right} {
				if r != nil {
					for _, cell := range r.Cells {
						if cell != nil && strings.Contains(strings.ToLower(*cell), word) {
							return true
						}
					}
				}
			}
			return false
		}
	}
	for name, c2 := range map[string]struct {
		q    client.Query
		want func(*view.Entry) bool
	}{
		"tray":        {client.Query{Tray: "missing"}, func(e *view.Entry) bool { return e.Tray.String() == "missing" }},
		"two trays":   {client.Query{Tray: "missing,unkeyed"}, func(e *view.Entry) bool { return e.Tray.String() == "missing" || e.Tray.String() == "unkeyed" }},
		"status":      {client.Query{Status: []string{"open", "settled"}}, func(e *view.Entry) bool { return e.Status == "open" || e.Status == "settled" }},
		"owner":       {client.Query{Owner: "me"}, func(e *view.Entry) bool { return e.Work.Owner == "ines" }},
		"nobody":      {client.Query{Owner: "nobody"}, func(e *view.Entry) bool { return e.Work.Owner == "" }},
		"reason":      {client.Query{Reason: "rounding"}, func(e *view.Entry) bool { return e.Work.Reason == "rounding" }},
		"no reason":   {client.Query{Reason: "none"}, func(e *view.Entry) bool { return e.Work.Reason == "" }},
		"differs":     {client.Query{Differs: "vessel"}, func(e *view.Entry) bool { return e.Fields != nil && !e.Fields[1].Agrees }},
		"amounts":     {client.Query{AtLeast: "500", AtMost: "2000.5"}, func(e *view.Entry) bool { return magnitude(e) >= 500 && magnitude(e) <= 2000.5 }},
		"small ones":  {client.Query{AtMost: "1"}, func(e *view.Entry) bool { return magnitude(e) >= 0 && magnitude(e) <= 1 }},
		"search":      {client.Query{Search: "TUG"}, has("tug")},
		"two words":   {client.Query{Search: "tug mw-"}, func(e *view.Entry) bool { return has("tug")(e) && has("mw-")(e) }},
		"none at all": {client.Query{Search: "no such thing"}, func(*view.Entry) bool { return false }},
		"all together": {client.Query{Tray: "missing,orphaned", Status: []string{"open"}, Owner: "nobody", AtLeast: "1", Search: "mw"}, func(e *view.Entry) bool {
			return (e.Tray.String() == "missing" || e.Tray.String() == "orphaned") && e.Status == "open" && e.Work.Owner == "" && magnitude(e) >= 1 && has("mw")(e)
		}},
	} {
		for _, sort := range []string{"", "key", "amount", "tray", "status", "owner", "age"} {
			for _, desc := range []bool{false, true} {
				var want, got []string
				for i := range all.Entries {
					if c2.want(&all.Entries[i]) {
						want = append(want, all.Entries[i].ID)
					}
				}
				q := c2.q
				q.Sort, q.Desc, q.Limit = sort, desc, 7
				before := ""
				for {
					page, err := c.Entries(ctx, run, q)
					if err != nil || page.Total != int64(len(want)) {
						t.Fatalf("%s by %q: %d, want %d; %v", name, sort, page.Total, len(want), err)
					}
					for i := range page.Entries {
						e := &page.Entries[i]
						got = append(got, e.ID)
						value := map[string]string{"key": strings.ToLower(strings.Join(e.Key, " ")), "amount": fmt.Sprintf("%015.2f", magnitude(e)+1), "tray": e.Tray.String(), "status": e.Status, "owner": e.Work.Owner}[sort]
						if before != "" && value != "" && (value < before) != desc && value != before {
							t.Errorf("%s by %q, the greatest first: %v: %q comes behind %q", name, sort, desc, value, before)
						}
						before = value
					}
					if page.Next == "" {
						break
					}
					q.After = page.Next
				}
				slices.Sort(got)
				slices.Sort(want)
				if !slices.Equal(got, want) {
					t.Errorf("%s by %q, %v: %d entries, want %d", name, sort, desc, len(got), len(want))
				}
			}
		}
	}
	tallies, err := c.Tallies(ctx, run)
	if err != nil {
		t.Fatal(err)
	}
	sum := int64(0)
	for _, one := range tallies.Tallies {
		sum += one.Entries
	}
	if sum != all.Total {
		t.Errorf("the tallies add up to %d, of %d", sum, all.Total)
	}
	for what, q := range map[string]client.Query{`The parameter change is "nothing"; write one of new`: {Change: []string{"nothing"}}, `The parameter status is "done"; write one of open`: {Status: []string{"done"}}, `"ship" is no compared field`: {Differs: "ship"},
		`atLeast is "much"`: {AtLeast: "much"}, `atMost is "-3"`: {AtMost: "-3"}, `The parameter sort is "luck"; write one of place`: {Sort: "luck"}, "have no status": {Tray: "matched", Owner: "me"}, "are listed alone": {Tray: "missing,matched"}} {
		_, err := c.Entries(ctx, run, q)
		refused(t, what, err, view.Invalid, what)
	}
}

// TestConversation speaks about an exception: mentions, files, markup that is text, and what is too much.
func TestConversation(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	ines, tam := p.client(), p.as(p.person(t, "tam", view.Analyst))
	head := loadDemo(t, ines, demo.New(demo.Options{Services: 50}))
	ctx, run, id := t.Context(), head.ID, "1"
	markup := `<script>alert("1")</script> @tam, and not me@tam.example`
	if _, err := ines.Comment(ctx, run, id, "  "+markup+" "); err != nil {
		t.Fatal(err)
	}
	_, err := ines.Comment(ctx, run, id, "ask @nobody.here about it")
	refused(t, "a mention of nobody", err, view.Invalid, "mentions @nobody.here, and there is nobody of this name")
	_, err = ines.Comment(ctx, run, id, strings.Repeat("x", 1<<20))
	refused(t, "a comment of a megabyte", err, view.TooLarge, "1,048,576 characters; at most 10,000")
	_, err = ines.Comment(ctx, run, id, " \n ")
	refused(t, "an empty comment", err, view.Invalid, "says nothing")
	pending, err := tam.Pending(ctx, "mentions", "", "", "", 10)
	if err != nil || pending.Total != 1 || pending.Mentions != 1 || pending.Exceptions[0].Entry.ID != id || pending.Exceptions[0].Run != run {
		t.Errorf("%+v, %v", pending, err)
	}
	slip := bytes.Repeat([]byte("slip\x00"), 1000)
	file, err := tam.Attach(ctx, run, id, `C:\berth\slip "1".txt`, bytes.NewReader(slip))
	if err != nil || file.Name != `slip "1".txt` || file.Bytes != int64(len(slip)) || file.By != "tam" {
		t.Fatalf("%+v, %v", file, err)
	}
	_, err = tam.Attach(ctx, run, id, "large", bytes.NewReader(make([]byte, 10<<20+1)))
	refused(t, "a file that is too large", err, view.TooLarge, "more than 10 MB")
	_, err = tam.Attach(ctx, run, id, "none", bytes.NewReader(nil))
	refused(t, "an empty file", err, view.Invalid, "none is empty")
	var back bytes.Buffer
	if err := ines.Attachment(ctx, run, id, file.ID, &back); err != nil || !bytes.Equal(back.Bytes(), slip) {
		t.Errorf("%d bytes came back, %v", back.Len(), err)
	}
	refused(t, "a file of another exception", ines.Attachment(ctx, run, "2", file.ID, &back), view.NotFound, "at this exception")
	talk, err := tam.Conversation(ctx, run, id)
	if err != nil || len(talk.Comments) != 1 || talk.Comments[0].Text != markup || talk.Comments[0].By != "ines" || len(talk.Attachments) != 1 {
		t.Errorf("%+v, %v", talk, err)
	}
	if pending, err = tam.Pending(ctx, "mentions", "", "", "", 10); err != nil || pending.Total != 0 || pending.Mentions != 0 {
		t.Errorf("seen, and still %+v, %v", pending, err)
	}
	if e, err := ines.Entry(ctx, run, id); err != nil || e.Work.Comments != 1 || e.Work.Attachments != 1 {
		t.Errorf("%+v, %v", e.Work, err)
	}
	reasons, err := ines.Reasons(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := ines.SetReasons(ctx, []string{"timing", "timing"}, reasons.Reasons); err == nil {
		t.Error("a reason stands in the list twice")
	}
	if list, err := ines.SetReasons(ctx, []string{"the tide", "timing"}, reasons.Reasons); err != nil || len(list.Reasons) != 2 {
		t.Errorf("%+v, %v", list, err)
	}
	_, err = ines.SetReasons(ctx, []string{"fog"}, reasons.Reasons)
	refused(t, "a list of reasons that somebody else has changed", err, view.Changed, "Nothing was changed")
}

// TestSignOff takes a report on its way: two people sign it, then nothing of it changes, while its exceptions live on in the next.
func TestSignOff(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	ines, tam := p.client(), p.as(p.person(t, "tam", view.Analyst))
	s := demo.New(demo.Options{Services: 80})
	head := loadDemo(t, ines, s)
	ctx, run := t.Context(), head.ID
	step := func(c *client.Client, version int, name, note string) (view.SignOff, error) {
		return c.Sign(ctx, run, version, view.SignStep{Step: name, Note: note})
	}
	_, err := step(ines, 0, "sign", "")
	refused(t, "signing what nobody has submitted", err, view.InUse, "goes from submitted only")
	open, err := tam.SignOff(ctx, run)
	if err != nil || open.Open != head.Summary.Exceptions {
		t.Errorf("%d exceptions are open of %d, %v", open.Open, head.Summary.Exceptions, err)
	}
	_, err = step(tam, 0, "submit", " ")
	refused(t, "submitting with open exceptions and no note", err, view.Invalid, fmt.Sprintf("%d exceptions of the report are still open; add a note", open.Open))
	if o, err := step(tam, 0, "submit", "the agent is away"); err != nil || o.State != "submitted" || o.Preparer != "tam" || o.Version != 1 || !strings.HasSuffix(o.Says, "Note: the agent is away") || o.Open != open.Open {
		t.Fatalf("%+v, %v", o, err)
	}
	_, err = step(tam, 1, "sign", "")
	refused(t, "signing one's own report", err, view.NotAllowed, "You have submitted this report yourself")
	_, err = step(ines, 0, "sign", "")
	refused(t, "a step that somebody else has taken", err, view.Changed, "look at it again")
	_, err = step(ines, 1, "send-back", " ")
	refused(t, "sending back without a reason", err, view.Invalid, "Say why")
	if o, err := step(ines, 1, "send-back", "the tugs of the 17th"); err != nil || o.Says != "Not signed. ines: the tugs of the 17th" {
		t.Errorf("%+v, %v", o, err)
	}
	if _, err := step(tam, 2, "submit", "the agent is back"); err != nil {
		t.Fatal(err)
	}
	_, err = step(ines, 3, "sign", "")
	refused(t, "signing with open exceptions and no note", err, view.Invalid, "add a note that says why")
	o, err := step(ines, 3, "sign", "seen")
	if err != nil || o.State != "signed" || o.Reviewer != "ines" || !strings.HasPrefix(o.Says, "Signed by ines on ") {
		t.Fatalf("%+v, %v", o, err)
	}
	// Frozen.
	page, err := ines.Entries(ctx, run, client.Query{Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	_, err = ines.ChangeEntry(ctx, run, "1", 1, view.WorkChange{Status: text("settled")})
	refused(t, "a change", err, view.Signed, "is signed")
	_, err = ines.ChangeEntries(ctx, run, client.Query{}, view.BulkChange{WorkChange: view.WorkChange{Status: text("settled")}, Count: page.Total, Seen: page.Seen})
	refused(t, "a change of many", err, view.Signed, "is signed")
	_, err = ines.Comment(ctx, run, "1", "one more thing")
	refused(t, "a comment", err, view.Signed, "is signed")
	_, err = ines.Attach(ctx, run, "1", "slip", strings.NewReader("slip"))
	refused(t, "a file", err, view.Signed, "is signed")
	// What is done in the next report does not show in the signed one, until it is opened again.
	next := loadRound(t, ines, s.Later[0])
	still, err := ines.Entries(ctx, next.ID, client.Query{Change: []string{"still-open"}, Limit: 1000})
	if err != nil || still.Total == 0 {
		t.Fatalf("%d, %v", still.Total, err)
	}
	if _, err := tam.ChangeEntries(ctx, next.ID, client.Query{Change: []string{"still-open"}}, view.BulkChange{WorkChange: view.WorkChange{Status: text("explained")}, Count: still.Total, Seen: still.Seen}); err != nil {
		t.Fatal(err)
	}
	statuses := func() (n map[string]int) {
		t.Helper()
		n = map[string]int{}
		page, err := ines.Entries(ctx, run, client.Query{Limit: 1000})
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range page.Entries {
			n[e.Status]++
		}
		return n
	}
	if n := statuses(); n["open"] != int(page.Total) {
		t.Errorf("the signed report shows %v", n)
	}
	_, err = step(tam, 4, "reopen", "")
	refused(t, "reopening without a reason", err, view.Invalid, "Say why")
	if o, err := step(tam, 4, "reopen", "one was forgotten"); err != nil || o.State != "draft" {
		t.Errorf("%+v, %v", o, err)
	}
	if n := statuses(); n["explained"] != int(still.Total) || n["settled"] == 0 {
		t.Errorf("the reopened report shows %v", n)
	}
	history, err := ines.History(ctx, "run", fmt.Sprint(run), "", "", 100)
	if err != nil {
		t.Fatal(err)
	}
	var says []string
	for _, e := range history.Events {
		says = append(says, e.Person+" "+e.Says)
	}
	for _, want := range []string{"tam submitted report 1", "ines sent report 1 back: the tugs of the 17th", "ines signed report 1, prepared by tam", "tam reopened report 1: one was forgotten"} {
		if !slices.Contains(says, want) {
			t.Errorf("%q does not say %q", says, want)
		}
	}
}

// TestFollowReport hears of what others do in a report.
func TestFollowReport(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	head := loadDemo(t, c, demo.New(demo.Options{Services: 20}))
	heard := make(chan view.ReportChange, 10)
	begun := make(chan bool, 1)
	var wg sync.WaitGroup
	wg.Go(func() {
		n := 0
		err := c.FollowReport(t.Context(), head.ID, func(change view.ReportChange) bool {
			if n++; n == 1 {
				begun <- true
			} else {
				heard <- change
			}
			return n < 4
		})
		if err != nil {
			t.Error(err)
		}
	})
	<-begun
	if _, err := c.ChangeEntry(t.Context(), head.ID, "1", 1, view.WorkChange{Status: text("settled")}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Comment(t.Context(), head.ID, "2", "seen"); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Sign(t.Context(), head.ID, 0, view.SignStep{Step: "submit", Note: "for the record"}); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{": settled", "commented on", "Submitted by ines"} {
		select {
		case change := <-heard:
			if change.By != "ines" || !strings.Contains(change.Says, want) || change.Seq == 0 {
				t.Errorf("%+v does not say %q", change, want)
			}
		case <-time.After(20 * time.Second):
			t.Fatalf("nothing was heard of %q", want)
		}
	}
	wg.Wait()
	// Who follows does not keep the service from stopping.
	wg.Go(func() {
		_ = c.FollowReport(t.Context(), head.ID, func(view.ReportChange) bool { begun <- true; return true })
	})
	<-begun
	start := time.Now()
	p.stop(t, syscall.SIGTERM)
	wg.Wait()
	if took := time.Since(start); took > 4*time.Second {
		t.Errorf("it took %v to stop", took)
	}
}

// TestKilledWork kills the service in the middle of changes of many exceptions: each is there whole or not at all, and the history holds.
func TestKilledWork(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := serve(t, data)
	var left strings.Builder
	left.WriteString("call,amount\n")
	for i := range 20_000 {
		fmt.Fprintf(&left, "MW-%05d,%d\n", i, i)
	}
	c := p.client()
	load(t, c, "log", []byte(left.String()))
	load(t, c, "bills", []byte("call,amount\nMW-x,1\n"))
	if _, err := c.CreateSieve(t.Context(), lonely()); err != nil {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), "lonely")
	run := done(t, c, job, err).Run
	stated := ""
	for kill := range 3 {
		page, err := c.Entries(t.Context(), run, client.Query{Limit: 1})
		if err != nil {
			t.Fatal(err)
		}
		begun := make(chan struct{})
		var wg sync.WaitGroup
		wg.Go(func() {
			for n := range 200 {
				status := []string{"in-progress", "explained", "settled", "open"}[n%4]
				if n == 1+kill {
					close(begun) // the service is killed while it makes this change
				}
				if _, err := c.ChangeEntries(t.Context(), run, client.Query{}, view.BulkChange{WorkChange: view.WorkChange{Status: &status, Reason: text([]string{"timing", "rounding"}[n%2])}, Count: page.Total, Seen: page.Seen, Over: "overwrite"}); err != nil {
					return // killed
				}
			}
		})
		<-begun
		p.stop(t, syscall.SIGKILL)
		wg.Wait()
		p = serve(t, data)
		c = p.client()
		tallies, err := c.Tallies(t.Context(), run)
		if err != nil || len(tallies.Tallies) != 2 {
			t.Errorf("after a kill, entries are %+v, %v", tallies.Tallies, err) // one for the missing and one for the orphaned
		}
		if a, b := tallies.Tallies[0], tallies.Tallies[len(tallies.Tallies)-1]; a.Status != b.Status || a.Reason != b.Reason {
			t.Errorf("half of a change is there: %+v", tallies.Tallies)
		}
		actions, err := c.Actions(t.Context(), run)
		if err != nil || len(actions.Actions) == 0 {
			t.Fatalf("%+v, %v", actions, err)
		}
		if got, want := actions.Actions[0].Says, tallies.Tallies[0].Status; !strings.HasPrefix(strings.ReplaceAll(got, "in progress", "in-progress"), want) {
			t.Errorf("done last: %q, and all are %s", got, want)
		}
		found, err := c.Verify(t.Context(), slices.DeleteFunc([]string{stated}, func(s string) bool { return s == "" }))
		if err != nil || !found.Holds {
			t.Errorf("%+v, %v", found, err)
		}
		stated = found.Newest
	}
}

// lonely is a sieve in which nothing pairs.
func lonely() sieve.Definition {
	return sieve.Definition{Name: "lonely", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}, Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
}

// TestKilledExport kills the service, and then the command, while a report is being handed over: the file is there whole or not at all.
func TestKilledExport(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := serve(t, data)
	var left strings.Builder
	left.WriteString("call,amount\n")
	const records = 40_000
	for i := range records {
		fmt.Fprintf(&left, "MW-%05d,%d\n", i, i)
	}
	c := p.client()
	load(t, c, "log", []byte(left.String()))
	load(t, c, "bills", []byte("call,amount\nMW-x,1\n"))
	if _, err := c.CreateSieve(t.Context(), lonely()); err != nil {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), "lonely")
	done(t, c, job, err)
	for _, format := range []string{"csv", "xlsx"} {
		for _, what := range []string{"service", "command"} {
			dir := t.TempDir()
			file := filepath.Join(dir, "report."+format)
			before := []byte("what was there before")
			if err := os.WriteFile(file, before, 0o644); err != nil {
				t.Fatal(err)
			}
			cmd := exec.Command(program, "export", "lonely", "--out", file)
			cmd.Env = append(os.Environ(), p.at()...)
			var said bytes.Buffer
			cmd.Stderr = &said
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			for n := 1; n < 2; { // until it has begun to write
				entries, err := os.ReadDir(dir)
				if err != nil {
					t.Fatal(err)
				}
				n = len(entries)
			}
			if what == "service" {
				p.stop(t, syscall.SIGKILL)
			} else if err := cmd.Process.Kill(); err != nil {
				t.Fatal(err)
			}
			failed := cmd.Wait() != nil
			content, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			switch whole := bytes.Count(content, []byte("\n")) == records+2; {
			case failed && !bytes.Equal(content, before):
				t.Errorf("%s, the %s killed: %d bytes are in the file", format, what, len(content))
			case !failed && format == "csv" && !whole:
				t.Errorf("the export went well, and the file has %d lines", bytes.Count(content, []byte("\n")))
			}
			if what == "service" {
				if failed && strings.Count(said.String(), "\n") != 1 {
					t.Errorf("it says %q", &said)
				}
				p = serve(t, data)
			}
		}
	}
	if found, err := p.client().Verify(t.Context(), nil); err != nil || !found.Holds {
		t.Errorf("%+v, %v", found, err)
	}
}
