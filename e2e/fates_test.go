package e2e

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/service/view"
)

// stands tells the exceptions of a run in the short, with what has become of each.
func stands(t *testing.T, c *client.Client, run uint) string {
	t.Helper()
	var entries []view.Entry
	for _, change := range [][]string{nil, {"absent", "cleared"}} { // those of the run, and those that are not in it any more
		list, err := c.Entries(t.Context(), run, client.Query{Change: change, Limit: 1000})
		if err != nil {
			t.Fatal(err)
		}
		entries = append(entries, list.Entries...)
	}
	var told []string
	for _, e := range entries {
		told = append(told, fmt.Sprintf("%d %s %s %s%s", e.Work.Exception, e.Tray, e.Work.Change, e.Status, map[bool]string{true: " " + e.Work.Owner}[e.Work.Owner != ""]))
	}
	slices.Sort(told)
	return strings.Join(told, "; ")
}

// pendingOf is how many exceptions of a sieve are still to be done.
func pendingOf(t *testing.T, c *client.Client, sieve string) int64 {
	t.Helper()
	all, err := c.Pending(t.Context(), "all", sieve, "", "", 1000)
	if err != nil {
		t.Fatal(err)
	}
	return all.Total
}

// TestOneFate: a record is in one exception, which has one fate: records without a key that were paired by hand are cleared; of two exceptions
// that become one pair only the pair is left; and nothing of them is carried on.
func TestOneFate(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	ctx := t.Context()
	months := func(name string, carry bool) func(left, right string) view.Run {
		d := byID(name, name+" L", name+" R")
		d.Carry, d.Amounts = carry, []sieve.Amount{{Columns: sieve.Columns{Left: "amt", Right: "amt"}}}
		made := false
		return func(left, right string) view.Run {
			t.Helper()
			loadIDs(t, c, name+" L", left)
			loadIDs(t, c, name+" R", right)
			if !made {
				if _, err := c.CreateSieve(ctx, d); err != nil {
					t.Fatal(err)
				}
				made = true
			}
			return runSieve(t, c, name)
		}
	}
	for _, carry := range []bool{false, true} {
		name := fmt.Sprint("unkeyed ", carry)
		run := months(name, carry)
		first := run(" 700,1 10", " 700,1 10")
		if _, err := c.PairByHand(ctx, first.ID, view.HandPair{Left: []int64{1}, Right: []int64{1}}); err != nil {
			t.Fatal(err)
		}
		second := runSieve(t, c, name)
		if told := stands(t, c, second.ID); second.Summary.Exceptions != 0 || strings.Count(told, "unkeyed cleared settled") != 2 || pendingOf(t, c, name) != 0 {
			t.Errorf("%s: paired by hand: %s, %d pending", name, told, pendingOf(t, c, name))
		}
		third := run("2 10", "2 10")
		if told := stands(t, c, third.ID); told != "" || third.Summary.Balance[0].Left != "10" {
			t.Errorf("%s: the next month: %s, totals %v", name, told, third.Summary.Balance[0].Left)
		}

		name = fmt.Sprint("joined ", carry)
		run = months(name, carry)
		first = run("X1 700,1 10", "Y1 800,1 10")
		if _, err := c.PairByHand(ctx, first.ID, view.HandPair{Left: []int64{1}, Right: []int64{1}}); err != nil {
			t.Fatal(err)
		}
		second = runSieve(t, c, name)
		told := stands(t, c, second.ID)
		if second.Summary.Exceptions != 1 || strings.Count(told, "differing changed open") != 1 || strings.Count(told, "cleared settled") != 1 || pendingOf(t, c, name) != 1 {
			t.Errorf("%s: two that have become one: %s, %d pending", name, told, pendingOf(t, c, name))
		}
		third = run("2 10", "2 10")
		left := third.Summary.Balance[0].Left
		if want := map[bool]string{false: "10", true: "710"}[carry]; left != want {
			t.Errorf("%s: the next month's left total is %s, want %s: %s", name, left, want, stands(t, c, third.ID))
		}
	}
}

// TestNoStrangers: a record without a key is not taken for one of an earlier month with which it shares too little, and keeps what people have
// done where it is the same in all that both months have.
func TestNoStrangers(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	ctx := t.Context()
	if _, err := loadWith(t, c, "R", "R.csv", "id,cur\n1,EUR\n", view.Recipe{}); err != nil {
		t.Fatal(err)
	}
	made := false
	run := func(text string) view.Run {
		t.Helper()
		if _, err := loadWith(t, c, "L", "L.csv", text, view.Recipe{}); err != nil {
			t.Fatal(err)
		}
		if !made {
			if _, err := c.CreateSieve(ctx, sieve.Definition{Name: "S", Left: "L", Right: "R", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "id", Right: "id"}}}}); err != nil {
				t.Fatal(err)
			}
			made = true
		}
		return runSieve(t, c, "S")
	}
	explain := func(head view.Run) (exception uint) {
		t.Helper()
		list, err := c.Entries(ctx, head.ID, client.Query{Change: []string{"new"}})
		if err != nil || len(list.Entries) == 0 {
			t.Fatal(err)
		}
		status, owner := "explained", "ines"
		e := list.Entries[0]
		if _, err := c.ChangeEntry(ctx, head.ID, e.ID, e.Work.Version, view.WorkChange{Status: &status, Owner: &owner}); err != nil {
			t.Fatal(err)
		}
		return e.Work.Exception
	}
	first := run("id,cur\n1,EUR\n,EUR\n,EUR\n")
	explain(first)
	run("id,cur,amt,who\n1,EUR,5,A\n")
	third := run("id,cur,amt,who\n1,EUR,5,A\n,EUR,500,P\n")
	if told := stands(t, c, third.ID); strings.Count(told, "unkeyed new open") != 1 || strings.Contains(told, "returned") {
		t.Errorf("one that shares one column with earlier ones: %s", told)
	}
	was := explain(third)
	fourth := run("id,cur,amt,who\n1,EUR,5,A\n,EUR,900000,Q\n")
	if told := stands(t, c, fourth.ID); strings.Count(told, "unkeyed new open") != 1 || !strings.Contains(told, fmt.Sprint(was, " unkeyed absent explained ines")) {
		t.Errorf("a stranger: %s", told)
	}
	fifth := run("id,cur,amt,who,remark\n1,EUR,5,A,\n,EUR,900000,Q,late\n,EUR,500,P,\n")
	if told := stands(t, c, fifth.ID); !strings.Contains(told, fmt.Sprint(was, " unkeyed returned open ines")) || strings.Contains(told, "unkeyed new") {
		t.Errorf("the same in all that both months have: %s", told)
	}
}

// TestSidesSwapped: a sieve whose sides are swapped keeps its exceptions, what people have done about them, and its crosswalk.
func TestSidesSwapped(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	ctx := t.Context()
	loadIDs(t, c, "L", "A 1,B 2,C 3, 4,X1 7")
	loadIDs(t, c, "R", "A 1,B 5,D 6, 8,Y1 7")
	if _, err := c.CreateSieve(ctx, byID("Quay", "L", "R")); err != nil {
		t.Fatal(err)
	}
	first := runSieve(t, c, "Quay")
	if _, err := c.Decide(ctx, "Quay", view.Decision{Pairs: []view.KeyPair{{Left: []string{"X1"}, Right: []string{"Y1"}}}, Accept: true, Confirm: true}); err != nil {
		t.Fatal(err)
	}
	first = runSieve(t, c, "Quay")
	status, owner := "explained", "ines"
	list, err := c.Entries(ctx, first.ID, client.Query{Limit: 100})
	if err != nil || list.Total != 5 {
		t.Fatalf("%d exceptions, %v", list.Total, err)
	}
	trays := map[uint]string{}
	for _, e := range list.Entries {
		trays[e.Work.Exception] = map[string]string{"missing": "orphaned", "orphaned": "missing"}[fmt.Sprint(e.Tray)]
		if trays[e.Work.Exception] == "" {
			trays[e.Work.Exception] = fmt.Sprint(e.Tray)
		}
		if _, err := c.ChangeEntry(ctx, first.ID, e.ID, e.Work.Version, view.WorkChange{Status: &status, Owner: &owner}); err != nil {
			t.Fatal(err)
		}
	}
	s, etag, err := c.Sieve(ctx, "Quay")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.ChangeSieve(ctx, "Quay", etag, s.Definition.Swapped()); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		head := runSieve(t, c, "Quay")
		if list, err = c.Entries(ctx, head.ID, client.Query{Limit: 100}); err != nil || list.Total != 5 {
			t.Fatalf("%s, %v", stands(t, c, head.ID), err)
		}
		for _, e := range list.Entries {
			if e.Status != status || e.Work.Owner != owner || e.Work.Change != "still-open" || trays[e.Work.Exception] != fmt.Sprint(e.Tray) {
				t.Errorf("exception %d is %s, %s, %s, of %q; want %s", e.Work.Exception, e.Tray, e.Work.Change, e.Status, e.Work.Owner, trays[e.Work.Exception])
			}
		}
	}
	walk, err := c.Crosswalk(ctx, "Quay")
	if err != nil || len(walk.Entries) != 1 || fmt.Sprint(walk.Entries[0].Left, walk.Entries[0].Right) != "[Y1] [X1]" {
		t.Errorf("the crosswalk is %+v, %v", walk.Entries, err)
	}
}
