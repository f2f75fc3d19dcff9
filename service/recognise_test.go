package service

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/service/view"
	"twinsieve/store"
)

// told tells every entry of a run, those that are there no more too.
func (p *port) told(ctx context.Context, run uint) (lines []string, entries []view.Entry) {
	p.t.Helper()
	page, err := p.Entries(ctx, run, Query{Limit: 1000, Change: again.All})
	if err != nil {
		p.t.Fatal(err)
	}
	for _, e := range page.Entries {
		lines = append(lines, fmt.Sprintf("%d: %s %s %q is %s, %s, %s [%s]", e.Work.Exception, e.Tray, e.Side, strings.Join(e.Key, " "), e.Work.Change, e.Status, e.Work.Owner, e.CarriedFrom()))
	}
	return lines, page.Entries
}

// month is what a set may look like: records of few keys, some without one, some twice, some with other amounts than last time, and a line that is no record.
func month(r *rand.Rand, side string) string {
	var text strings.Builder
	text.WriteString("call,amount,clerk\n")
	for range r.IntN(14) {
		key := fmt.Sprintf("MW-%d", r.IntN(9))
		switch r.IntN(8) {
		case 0:
			key = ""
		case 1:
			key = strings.ToLower(key)
		case 2:
			key = " " + key
		}
		fmt.Fprintf(&text, "%s,%d,%s\n", key, r.IntN(3), []string{"tam", "ines", ""}[r.IntN(3)])
	}
	for n := range r.IntN(3) {
		fmt.Fprintf(&text, "line %d of %s is no record, for, it, has, more\n", n, side)
	}
	return text.String()
}

// TestLooksAtAll lets two services live through the same months, with the same work between them: one looks at all exceptions of before in every run, the other as few as it can. Both tell the
// same of every exception, and number them alike: what is kept of exceptions that are as they were, or are gone, finds all that there is to be found.
func TestLooksAtAll(t *testing.T) {
	var mu sync.Mutex
	told := map[again.Change]int{}
	t.Run("months", func(t *testing.T) {
		for seed := range uint64(8) {
			t.Run(fmt.Sprint(seed), func(t *testing.T) {
				t.Parallel()
				throughMonths(t, seed, func(c again.Change) {
					mu.Lock()
					defer mu.Unlock()
					told[c]++
				})
			})
		}
	})
	for _, c := range again.All {
		if told[c] < 20 {
			t.Errorf("only %d exceptions were %s: %v", told[c], c, told)
		}
	}
}

func throughMonths(t *testing.T, seed uint64, told func(again.Change)) {
	r := rand.New(rand.NewPCG(seed, 21))
	ctx := store.As(t.Context(), store.Actor{ID: 1, Name: "ines"})
	ports := [2]*port{newPort(t), newPort(t)}
	ports[0].looksAtAll = true
	d := sieve.Definition{Name: "months", Left: "log", Right: "bills", Carry: seed%3 == 2, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
	if seed%4 == 3 {
		d.Repeats = "totals"
	}
	version := [2]int{}
	for i, p := range ports {
		s, err := p.CreateSieve(ctx, d)
		if err != nil {
			t.Fatal(err)
		}
		version[i] = s.Version
	}
	left, right := month(r, "log"), month(r, "bills")
	for round := range 12 {
		if r.IntN(4) > 0 {
			left = month(r, "log")
		}
		if r.IntN(4) > 0 {
			right = month(r, "bills")
		}
		readings := d.Key[0].Readings
		if r.IntN(4) == 0 { // the sieve reads its key in another way from now on
			readings = [][]reading.Reading{nil, {{Name: "trim"}}, {{Name: "trim"}, {Name: "ignore-case"}}}[r.IntN(3)]
		}
		accepts := r.IntN(5) == 0
		call := r.IntN(9)
		pair := view.KeyPair{Left: []string{fmt.Sprintf("MW-%d", call)}, Right: []string{fmt.Sprintf("MW-%d", (call+1+r.IntN(8))%9)}}
		var said [2][]string
		var entries [2][]view.Entry
		var runs [2]*view.Run
		for i, p := range ports {
			p.comes("log", left)
			p.comes("bills", right)
			if d.Key[0].Readings = readings; round > 0 {
				s, err := p.UpdateSieve(ctx, d.Name, version[i], d)
				if err != nil {
					t.Fatal(err)
				}
				version[i] = s.Version
			}
			if accepts {
				if _, err := p.Decide(ctx, d.Name, view.Decision{Pairs: []view.KeyPair{pair}, Accept: true, Confirm: true}); err != nil {
					t.Fatal(err)
				}
				s, err := p.Sieve(ctx, d.Name)
				if err != nil {
					t.Fatal(err)
				}
				version[i] = s.Version
			}
			runs[i] = p.ran(d.Name)
			said[i], entries[i] = p.told(ctx, runs[i].ID)
		}
		if !slices.Equal(said[0], said[1]) || runs[0].Since != nil && fmt.Sprint(runs[0].Since.Counts) != fmt.Sprint(runs[1].Since.Counts) {
			t.Fatalf("round %d: looking at all\n%s\nand else\n%s", round, strings.Join(said[0], "\n"), strings.Join(said[1], "\n"))
		}
		if round%3 == 2 {
			ports[1].checkTrend(ctx, t, d.Name)
		}
		for n, e := range entries[0] {
			told(e.Work.Change)
			if r.IntN(3) > 0 {
				continue
			}
			status := []string{store.StatusInProgress, store.StatusExplained, store.StatusSettled}[r.IntN(3)]
			for i, p := range ports {
				if _, err := p.ChangeEntry(ctx, runs[i].ID, entries[i][n].ID, entries[i][n].Work.Version, view.WorkChange{Status: &status}); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
}

// TestOtherColumns: exceptions are found again when a set has come with other columns, those that are gone too.
func TestOtherColumns(t *testing.T) {
	p := newPort(t)
	ctx := store.As(t.Context(), store.Actor{ID: 1, Name: "ines"})
	for _, month := range []struct{ log, bills, want string }{
		{"call,amount\nMW-1,1\nMW-2,2\nMW-3,3\n", "call,amount\nMW-1,1\n", `1: missing left "MW-2" is new, open,  []; 2: missing left "MW-3" is new, open,  []`},
		{"clerk,call,amount\ntam,MW-1,1\ntam,MW-2,2\nines,MW-3,3\n", "call,amount\nMW-1,1\nMW-3,3\n", `1: missing left "MW-2" is still-open, open,  []; 2: missing left "MW-3" is cleared, settled,  []`},
		{"clerk,call,amount\ntam,MW-1,1\ntam,MW-2,2\nines,MW-3,3\n", "call,amount\nMW-1,1\n", `1: missing left "MW-2" is still-open, open,  []; 2: missing left "MW-3" is returned, open,  []`},
		{"clerk,call,amount\ntam,MW-1,1\ntam,MW-2,2\nines,MW-3,3\n", "call,amount\nMW-1,1\nMW-3,3\nMW-2,2\n", `1: missing left "MW-2" is cleared, settled,  []; 2: missing left "MW-3" is cleared, settled,  []`},
		{"call,amount,clerk\nMW-1,1,tam\nMW-2,2,tam\nMW-3,3,ines\n", "call,amount\nMW-1,1\nMW-2,2\n", `2: missing left "MW-3" is returned, open,  []`},
	} {
		p.comes("log", month.log)
		p.comes("bills", month.bills)
		lines, _ := p.told(ctx, p.ran("calls").ID)
		slices.Sort(lines)
		if got := strings.Join(lines, "; "); got != month.want {
			t.Errorf("%q\ngot  %s\nwant %s", month.log, got, month.want)
		}
	}
}

// TestKeyChangedWithColumns: where the columns are others too, what two records have in common is not their content: strangers that agree in it
// are not taken for one another.
func TestKeyChangedWithColumns(t *testing.T) {
	ctx := store.As(t.Context(), store.Actor{ID: 1, Name: "ines"})
	p := newPort(t)
	p.comes("log", "ref,quay\nMW-1,Tar\nMW-2,Tar\n")
	p.comes("bills", "ref,quay\nMW-7,Salt\n")
	d := sieve.Definition{Name: "visits", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "ref"}}}}
	saved, err := p.CreateSieve(ctx, d)
	if err != nil {
		t.Fatal(err)
	}
	p.ran("visits")
	p.comes("log", "call,quay\nMW-5,Tar\nMW-6,Tar\n")
	p.comes("bills", "call,quay\nMW-6,Salt\n")
	d.Key[0].Left = "call"
	if _, err := p.UpdateSieve(ctx, "visits", saved.Version, d); err != nil {
		t.Fatal(err)
	}
	since := p.ran("visits").Since
	if since.Counts[again.New] != 1 || since.Counts[again.Cleared] != 0 || since.Counts[again.StillOpen] != 0 || since.Retired != 3 {
		t.Errorf("%+v", since)
	}
}

// TestKeyChanged: when the key of a sieve becomes another, exceptions of before are recognised by what their records hold; those whose records
// match now are cleared; and those that the new key cannot produce are closed with that as their reason, and never come up again.
func TestKeyChanged(t *testing.T) {
	ctx := store.As(t.Context(), store.Actor{ID: 1, Name: "ines"})
	for _, all := range []bool{false, true} {
		p := newPort(t)
		p.looksAtAll = all
		p.comes("log", "ref,amount\nMW-1/31,1\nMW-2/31,2\nMW-3/31,3\nMW-4/31,4\nMW-9/31,9\n")
		p.comes("bills", "ref,amount\n2031:MW-1,1\n2031:MW-2,2\n2031:MW-3,5\n2031:MW-8,8\n")
		d := sieve.Definition{Name: "visits", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "ref"}}},
			Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
		saved, err := p.CreateSieve(ctx, d)
		if err != nil {
			t.Fatal(err)
		}
		first := p.ran("visits")
		lines, entries := p.told(ctx, first.ID)
		if len(lines) != 9 {
			t.Fatalf("at first: %q", lines)
		}
		note := store.StatusInProgress
		for _, e := range entries {
			if key := strings.Join(e.Key, ""); key == "MW-3/31" || key == "MW-4/31" {
				if _, err := p.ChangeEntry(ctx, first.ID, e.ID, e.Work.Version, view.WorkChange{Status: &note}); err != nil {
					t.Fatal(err)
				}
			}
		}
		// A column is there by which they can be matched; one record of the log is not in the data any more.
		p.comes("log", "ref,amount,call\nMW-1/31,1,1\nMW-2/31,2,2\nMW-3/31,3,3\nMW-4/31,4,4\n")
		p.comes("bills", "ref,amount,call\n2031:MW-1,1,1\n2031:MW-2,2,2\n2031:MW-3,5,3\n2031:MW-8,8,8\n")
		d.Key[0].Left = "call"
		if _, err := p.UpdateSieve(ctx, "visits", saved.Version, d); err != nil {
			t.Fatal(err)
		}
		second := p.ran("visits")
		told := map[string]string{}
		_, entries = p.told(ctx, second.ID)
		for _, e := range entries {
			told[strings.Join(e.Key, "")] += fmt.Sprintf("%s %s %s %s;", e.Tray, e.Work.Change, e.Status, e.Work.Reason)
		}
		want := map[string]string{"3": "differing changed in-progress ;", "4": "missing still-open in-progress ;", "8": "orphaned still-open open ;",
			"MW-1/31": "missing cleared settled ;", "MW-2/31": "missing cleared settled ;", "2031:MW-1": "orphaned cleared settled ;", "2031:MW-2": "orphaned cleared settled ;",
			"MW-9/31": "missing absent settled the sieve's key has changed;", "2031:MW-3": "orphaned absent settled the sieve's key has changed;"}
		if fmt.Sprint(told) != fmt.Sprint(want) || second.Since.Retired != 2 {
			t.Errorf("looking at all: %v\ngot  %v, %d retired\nwant %v", all, told, second.Since.Retired, want)
		}
		if third := p.ran("visits"); third.Since.Retired != 0 || third.Since.Counts[again.StillOpen] != 3 || third.Since.Counts[again.Absent] != 0 {
			t.Errorf("a third time: %+v", third.Since)
		}
		page, err := p.Entries(ctx, second.ID, Query{Limit: 10, Change: again.All, Reason: store.KeyChanged})
		if err != nil || len(page.Entries) != 2 {
			t.Errorf("by their reason: %+v, %v", page, err)
		}
		left, err := p.Overview(ctx, OverviewQuery{Sieve: "visits"})
		if err != nil || len(left.Exceptions) != 3 {
			t.Errorf("left to be done: %+v, %v", left, err)
		}
	}
}
