package e2e

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"syscall"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/client"
	"twinsieve/core/again"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// nextDeposits loads the agents' next month and runs their sieve.
func nextDeposits(t *testing.T, c *client.Client, m *demo.Month) view.Run {
	t.Helper()
	load(t, c, demo.Deposits, m.Deposits)
	load(t, c, demo.Statement, m.Statement)
	return runSieve(t, c, "Agents' deposits")
}

func runSieve(t *testing.T, c *client.Client, name string) view.Run {
	t.Helper()
	job, err := c.Run(t.Context(), name)
	head, err := c.RunHead(t.Context(), done(t, c, job, err).Run)
	if err != nil {
		t.Fatal(err)
	}
	return head
}

// carriedIn counts the records of a run's entries that are carried in, by side, and checks that they all come from one run.
func carriedIn(t *testing.T, c *client.Client, run uint, from int64) (n [2]int) {
	t.Helper()
	for _, at := range []string{"", "matched"} {
		for q := (client.Query{Tray: at, Limit: 1000}); ; {
			page, err := c.Entries(t.Context(), run, q)
			if err != nil {
				t.Fatal(err)
			}
			for _, e := range page.Entries {
				for s, r := range []*view.Record{e.Left, e.Right} {
					if r != nil && r.Run > 0 {
						if n[s]++; r.Run != from || r.Line < 2 {
							t.Errorf("the record %v is carried from run %d and line %d, want run %d", r.Cells, r.Run, r.Line, from)
						}
					}
				}
			}
			if q.After = page.Next; q.After == "" {
				break
			}
		}
	}
	return n
}

// TestCarry runs the agents' next month, whose files know nothing of the month before, for ten seeds: what was open is carried in, and has become what was
// planted, in counts, balances and lists.
func TestCarry(t *testing.T) {
	t.Parallel()
	for seed := range uint64(10) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			c := serve(t, t.TempDir()).client()
			s := demo.New(demo.Options{Seed: seed, Services: 20})
			_, first := loadDeposits(t, c, s, true)
			if first.Sides[0].Carried+first.Sides[1].Carried > 0 {
				t.Errorf("the first run carries %d and %d records", first.Sides[0].Carried, first.Sides[1].Carried)
			}
			m := s.NextDeposits
			head := nextDeposits(t, c, m)
			checkCurrencies(t, "the next month", &head.Summary, m.Outcomes)
			for _, side := range tray.Sides {
				records := 0
				for _, o := range m.Outcomes {
					records += o.Records[side]
				}
				of := head.Sides[side]
				if of.Carried != int64(m.Carried[side]) || of.Records+of.Carried != int64(records) || head.Summary.Records[side] != int64(records) {
					t.Errorf("%s: %d records and %d carried, %d in all; planted %d, of them %d carried", side, of.Records, of.Carried, head.Summary.Records[side], records, m.Carried[side])
				}
				for _, b := range head.Summary.Balance {
					if got, want := b.Carried[side], m.CarriedAmounts[*b.Currency][side].String(); got != want && !(got == "" && want == "0") {
						t.Errorf("%s: %q in %q is carried, planted %s", side, got, *b.Currency, want)
					}
				}
			}
			for _, change := range again.All {
				if got, want := head.Since.Counts[change], int64(m.Since[change]); got != want {
					t.Errorf("%d %s, planted %d", got, change, want)
				}
			}
			if head.Summary.Exceptions != int64(m.Exceptions) {
				t.Errorf("%d exceptions, planted %d", head.Summary.Exceptions, m.Exceptions)
			}
			if got := carriedIn(t, c, head.ID, 1); got != m.Carried {
				t.Errorf("%v records are marked as carried, planted %v", got, m.Carried)
			}
		})
	}
}

// TestCarryGoesOn follows open records through runs whose snapshots know nothing of them: they keep the mark of the run that had them, are there after a
// restart, in rows and traces, stay out once they are settled, and are not taken in twice when they come back.
func TestCarryGoesOn(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	p := serve(t, data)
	c := p.client()
	ctx := t.Context()
	s := demo.New(demo.Options{Services: 20})
	loadDeposits(t, c, s, true)
	nextDeposits(t, c, s.NextDeposits)
	empty := []byte("slip,agent,currency,amount\n")
	load(t, c, demo.Deposits, append(slices.Clone(empty), "D-9998,Pellan Agency,crowns,5\n"...))
	load(t, c, demo.Statement, []byte("Value Date,Slip No,Cur,Sum\n2031-06-01,d-9999,crowns,7\n"))
	third := runSieve(t, c, "Agents' deposits")
	still := int64(s.NextDeposits.Exceptions)
	if third.Since.Counts[again.StillOpen] != still || third.Since.Counts[again.New] != 2 || third.Since.Counts[again.Absent] != 0 {
		t.Errorf("after a month of nothing: %v; %d were open", third.Since.Counts, still)
	}
	page, err := c.Entries(ctx, third.ID, client.Query{Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	from := map[int64]int{}
	var old view.Entry
	for _, e := range page.Entries {
		for _, r := range []*view.Record{e.Left, e.Right} {
			if r != nil {
				from[r.Run]++
			}
		}
		if e.CarriedFrom() == "1" && e.Tray == tray.Missing {
			old = e
		}
	}
	if from[0] != 2 || from[1] == 0 || from[2] != 3 || old.ID == "" {
		t.Fatalf("records by the run that they are from: %v", from)
	}

	// The command line says so, and so do the hand-overs; rows and traces reach what is carried, before a restart and after.
	slip := *old.Left.Cells[0]
	look := func(c *client.Client, at []string) {
		t.Helper()
		rows, _ := allRows(t, c, view.Ask{Run: third.ID, Look: view.Look{Comparison: "left-anti"}})
		if !slices.ContainsFunc(rows, func(r view.Row) bool { return r.Cells[0] != nil && *r.Cells[0] == slip }) {
			t.Errorf("no row of %s among the %d left without a partner", slip, len(rows))
		}
		traces, err := c.Trace(ctx, third.ID, []string{strings.ToLower(slip)})
		if err != nil || len(traces.Ways) != 1 || !strings.Contains(strings.Join(traces.Ways[0].Text, " "), "is carried from run 1") {
			t.Errorf("the trace of %s: %+v, %v", slip, traces.Ways, err)
		}
		r := run(t, at, "report", fmt.Sprint(third.ID))
		if !strings.Contains(r.out, "carried from earlier runs") || !strings.Contains(r.out, "open record") {
			t.Errorf("the report does not say what is carried:\n%s", r.out)
		}
		r = run(t, at, "report", fmt.Sprint(third.ID), "--tray", "missing")
		if !strings.Contains(r.out, "still open, carried from run 1") {
			t.Errorf("the list does not say what is carried:\n%s", r.out)
		}
		list := string(handedOver(t, c, third.ID, client.Query{}, "csv"))
		if !strings.Contains(list, "carried from run") {
			t.Errorf("the list that is handed over does not say what is carried:\n%s", list)
		}
		printed := string(handedOver(t, c, third.ID, client.Query{}, "html"))
		if !strings.Contains(printed, "carried into left") || !strings.Contains(printed, "still open, carried from run 1") {
			t.Error("the page does not say what is carried")
		}
	}
	look(c, p.at())
	p.stop(t, syscall.SIGTERM)
	p = serve(t, data)
	c = p.client()
	look(c, p.at())

	// What is settled stays out of the next run; what comes back is there once.
	if _, err := c.ChangeEntry(ctx, third.ID, old.ID, old.Work.Version, view.WorkChange{Status: text("settled")}); err != nil {
		t.Fatal(err)
	}
	back := page.Entries[slices.IndexFunc(page.Entries, func(e view.Entry) bool { return e.Tray == tray.Missing && e.CarriedFrom() != "" && e.ID != old.ID })]
	load(t, c, demo.Deposits, fmt.Appendf(slices.Clone(empty), "%s,%s,%s,%s\n", *back.Left.Cells[0], *back.Left.Cells[1], *back.Left.Cells[2], *back.Left.Cells[3]))
	fourth := runSieve(t, c, "Agents' deposits")
	page, err = c.Entries(ctx, fourth.ID, client.Query{Limit: 1000})
	if err != nil {
		t.Fatal(err)
	}
	times := 0
	for _, e := range page.Entries {
		if e.Left == nil {
			continue
		}
		if *e.Left.Cells[0] == slip {
			t.Errorf("%s is settled, and carried in all the same", slip)
		}
		if *e.Left.Cells[0] == *back.Left.Cells[0] {
			if times++; e.Left.Run != 0 || e.Work.Change != again.StillOpen {
				t.Errorf("%s has come back, and is %s, from run %d", *e.Left.Cells[0], e.Work.Change, e.Left.Run)
			}
		}
	}
	if times != 1 {
		t.Errorf("%s has come back, and is there %d times", *back.Left.Cells[0], times)
	}

	// Runs that are removed take what they carried in with them, and exceptions that are open are carried on all the same.
	if _, err := remove(ctx, c, view.Retention{Newest: 1}); err != nil {
		t.Fatal(err)
	}
	fifth := runSieve(t, c, "Agents' deposits")
	if fifth.Sides[0].Carried != fourth.Sides[0].Carried || fifth.Sides[1].Carried != fourth.Sides[1].Carried || fifth.Sides[0].Carried == 0 {
		t.Errorf("after runs were removed, %d and %d are carried; it was %d and %d", fifth.Sides[0].Carried, fifth.Sides[1].Carried, fourth.Sides[0].Carried, fourth.Sides[1].Carried)
	}
}

// TestDepositsInConsole lets a sieve balance by currency and carry what is open, in the workbench, and looks at each currency in the report and at what
// its next run has taken in.
func TestDepositsInConsole(t *testing.T) {
	t.Parallel()
	reached(t, func(w *walk, p *process) {
		c := p.client()
		w.mistakes = true // the browser logs that nobody is signed in yet
		s := demo.New(demo.Options{Services: 20})
		d, _ := loadDeposits(t, c, s, true)
		d.Name, d.Carry, d.Currency = "Deposits", false, nil
		if _, err := c.CreateSieve(t.Context(), d); err != nil {
			t.Fatal(err)
		}
		runSieve(t, c, d.Name)
		load(t, c, demo.Deposits, s.NextDeposits.Deposits)
		load(t, c, demo.Statement, s.NextDeposits.Statement)
		w.do(chromedp.Navigate(p.address + "/sieves/of/" + url.PathEscape(d.Name)))
		w.in("ines", secret)
		w.press("+ currency of the amounts")
		w.field("left column of the currency")
		w.pick("currency")
		w.readings("readings of the currency", "trim", "ignore-case")
		w.field("right column of the currency")
		w.pick("Cur")
		w.field("carried into the next run")
		if w.keyboard {
			w.keys(" ")
		}
		w.press("Save")
		w.says("Amounts are balanced apart for each currency in currency and Cur")
		w.says("A run takes in the records of earlier runs' exceptions")
		w.press("Run")
		w.says("carried from earlier runs")
		w.says(fmt.Sprintf("%d still open", s.NextDeposits.Since[again.StillOpen]))
		w.until(`document.querySelector('.mark.carried')?.innerText === 'from run 1'`)
		w.says("amounts of two currencies are never added")
		w.shoot("currencies.png")
		for _, currency := range demo.Currencies[:3] {
			w.press(currency)
			w.says("amount = Sum in " + currency + " · closes to the last digit")
		}
		w.click("[data-entry]", 0)
		w.says("carried from run 1")
	})
}
