package service

import (
	"strings"
	"testing"
	"time"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
	"twinsieve/store"
)

// TestNext follows schedules over the days on which clocks are set, in zones that do so.
func TestNext(t *testing.T) {
	for _, c := range []struct {
		cron, zone, after string
		want              []string // the next firings, in UTC
	}{
		{"30 6 * * 1-5", "UTC", "2031-03-07T05:00:00Z", []string{"2031-03-07T06:30:00Z", "2031-03-10T06:30:00Z"}},
		{"0 0 29 2 *", "UTC", "2031-03-01T00:00:00Z", []string{"2032-02-29T00:00:00Z", "2036-02-29T00:00:00Z"}},
		// Stockholm's clocks go from 2 to 3 on 30 March 2031: 2:30 is not there, and does not fire.
		{"30 2 * * *", "Europe/Stockholm", "2031-03-28T12:00:00Z", []string{"2031-03-29T01:30:00Z", "2031-03-31T00:30:00Z"}},
		{"0 3 * * *", "Europe/Stockholm", "2031-03-29T12:00:00Z", []string{"2031-03-30T01:00:00Z", "2031-03-31T01:00:00Z"}},
		// They go from 3 back to 2 on 26 October: 2:30 comes twice, and fires the first time.
		{"30 2 * * *", "Europe/Stockholm", "2031-10-25T12:00:00Z", []string{"2031-10-26T00:30:00Z", "2031-10-27T01:30:00Z"}},
		{"0 * * * *", "Europe/Stockholm", "2031-10-25T23:30:00Z", []string{"2031-10-26T00:00:00Z", "2031-10-26T02:00:00Z"}},
		{"30 1 * * *", "America/New_York", "2031-11-01T12:00:00Z", []string{"2031-11-02T05:30:00Z", "2031-11-03T06:30:00Z"}},
	} {
		schedule, where, err := parseCron(c.cron, c.zone)
		if err != nil {
			t.Fatal(err)
		}
		at, err := time.Parse(time.RFC3339, c.after)
		if err != nil {
			t.Fatal(err)
		}
		for _, want := range c.want {
			at = next(schedule, where, at)
			if got := at.UTC().Format(time.RFC3339); got != want {
				t.Errorf("%s in %s after %s: %s, want %s", c.cron, c.zone, c.after, got, want)
			}
		}
	}
	for _, c := range [][2]string{{"", "UTC"}, {"* * * *", "UTC"}, {"0 0 0 0 0 0", "UTC"}, {"@daily", "UTC"}, {"61 * * * *", "UTC"}, {"TZ=UTC 0 0 * *", "UTC"}, {"0 6 * * *", ""}, {"0 6 * * *", "Marrowick"}} {
		if _, _, err := parseCron(c[0], c[1]); err == nil {
			t.Errorf("%q in %q is a schedule", c[0], c[1])
		}
	}
}

// at looks at the schedules at a time, and waits for what that begins.
func (p *port) at(now time.Time) *view.Schedule {
	p.t.Helper()
	if err := p.tick(p.t.Context(), now); err != nil {
		p.t.Fatal(err)
	}
	for busy := true; busy; {
		busy = false
		p.clock.busy.Range(func(any, any) bool { busy = true; return false })
	}
	s, err := p.Schedule(p.t.Context(), "calls")
	if err != nil {
		p.t.Fatal(err)
	}
	return s
}

func (p *port) runs() int {
	p.t.Helper()
	runs, err := p.Runs(p.t.Context(), "", 100)
	if err != nil {
		p.t.Fatal(err)
	}
	return len(runs.Runs)
}

// TestFirings lets a sieve run by the clock: not before both sides are newer, and once for however many firings were missed.
func TestFirings(t *testing.T) {
	p := newPort(t)
	s, err := p.SetSchedule(t.Context(), "calls", 0, view.NewSchedule{Cron: "0 6 * * *", Zone: "Europe/Stockholm", Both: true, Active: true})
	if err != nil || s.Next == nil || s.Version != 1 {
		t.Fatalf("%+v, %v", s, err)
	}
	if _, err := p.SetSchedule(t.Context(), "calls", 0, view.NewSchedule{Cron: "0 6 * * *", Zone: "UTC"}); err == nil {
		t.Error("an older version was changed")
	}
	now := time.Now()
	if p.at(now.Add(-time.Minute)); p.runs() != 0 {
		t.Error("it runs before it is due")
	}
	day := 24 * time.Hour
	if s := p.at(now.Add(5 * day)); p.runs() != 1 || s.Says != "It ran: report 1." {
		t.Errorf("%d runs for five missed firings: %s", p.runs(), s.Says)
	}
	if p.at(now.Add(5 * day)); p.runs() != 1 {
		t.Error("a firing that was done with fires again")
	}
	if s := p.at(now.Add(6 * day)); p.runs() != 1 || s.Says != "It waits until both sides are newer than in its last run: log is still snapshot 1, and bills is still snapshot 1." {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	p.write("log", "call,amount\nMW-1,1\nMW-2,2\n")
	if s := p.at(now.Add(7 * day)); p.runs() != 1 || s.Says != "It waits until both sides are newer than in its last run: bills is still snapshot 1." {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	p.write("bills", "call,amount\nMW-1,1\nMW-3,3\n")
	if s := p.at(now.Add(8 * day)); p.runs() != 2 || s.Says != "It ran: report 2." {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	// Without waiting, whatever there is.
	if _, err := p.SetSchedule(t.Context(), "calls", 1, view.NewSchedule{Cron: "0 6 * * *", Zone: "UTC", Active: true}); err != nil {
		t.Fatal(err)
	}
	if s := p.at(now.Add(9 * day)); p.runs() != 3 || s.Says != "It ran: report 3." {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	// A file that cannot be loaded says so, and nothing runs.
	p.write("log", "vessel\nWren\n")
	if s := p.at(now.Add(10 * day)); p.runs() != 3 || !strings.HasPrefix(s.Says, "It could not run: ") || !strings.Contains(s.Says, "call") {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	if _, err := p.SetSchedule(t.Context(), "calls", 2, view.NewSchedule{Cron: "0 6 * * *", Zone: "UTC"}); err != nil {
		t.Fatal(err)
	}
	if p.at(now.Add(20 * day)); p.runs() != 3 {
		t.Error("it runs though it is not active")
	}
	// Who may not run sieves any more, runs none by a schedule either.
	tam, err := p.store.CreatePerson(t.Context(), store.Person{Name: "tam", Role: string(view.Analyst)})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.store.CreatePerson(t.Context(), store.Person{Name: "ines", Role: string(view.Admin)}); err != nil {
		t.Fatal(err)
	}
	if _, err := p.SetSchedule(store.As(t.Context(), store.Actor{ID: tam.ID, Name: "tam"}), "calls", 3, view.NewSchedule{Cron: "0 6 * * *", Zone: "UTC", Active: true}); err != nil {
		t.Fatal(err)
	}
	p.write("log", "call,amount\nMW-1,1\n")
	if s := p.at(now.Add(30 * day)); p.runs() != 4 {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	if _, err := p.store.UpdatePerson(t.Context(), "tam", tam.Version, "Tam", string(view.Reader), true, string(view.Admin)); err != nil {
		t.Fatal(err)
	}
	if s := p.at(now.Add(31 * day)); p.runs() != 4 || !strings.Contains(s.Says, "tam, in whose name it runs, may not run sieves any more") {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	for _, n := range []view.NewSchedule{{Active: true}, {Cron: "0 0 30 2 *", Zone: "UTC"}, {Cron: "0 6 * *", Zone: "UTC"}, {Cron: "0 6 * * *", Zone: "Nowhere"}} {
		if _, err := p.SetSchedule(t.Context(), "calls", 4, n); err == nil {
			t.Errorf("%+v is a schedule", n)
		}
	}
}

// TestWatch lets a sieve run when files have come: one counts once its size and time stand still.
func TestWatch(t *testing.T) {
	p := newPort(t)
	if _, err := p.SetSchedule(t.Context(), "calls", 0, view.NewSchedule{Watch: true, Both: true, Active: true}); err != nil {
		t.Fatal(err)
	}
	now := time.Now()
	look := func(n int) *view.Schedule { return p.at(now.Add(time.Duration(n) * time.Hour)) }
	p.write("log", "call,amount\nMW-1,1\nMW-2,2\n")
	p.write("bills", "call,amount\nMW-1,1\n")
	for n := range stillFor {
		if look(n); p.runs() != 0 {
			t.Fatalf("it runs at look %d, before the files have stood still", n)
		}
		if n == 1 {
			p.write("bills", "call,amount\nMW-1,1\nMW-2,2\n") // it is still being written
		}
	}
	for n := stillFor; n < 2+stillFor; n++ {
		if look(n); p.runs() != 0 {
			t.Fatalf("it runs at look %d, while a file is being written", n)
		}
	}
	if s := look(2 + stillFor); p.runs() != 1 || s.Says != "It ran: report 1." {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	for n := range 5 {
		look(20 + n)
	}
	if p.runs() != 1 {
		t.Errorf("it ran %d times for what came once", p.runs())
	}
	// One side alone is loaded, and waits for the other.
	p.write("log", "call,amount\nMW-1,1\nMW-2,2\nMW-3,3\n")
	for n := range stillFor + 1 {
		look(30 + n)
	}
	if s := look(40); p.runs() != 1 || !strings.Contains(s.Says, "bills is still snapshot 2") {
		t.Errorf("%d runs: %s", p.runs(), s.Says)
	}
	p.write("bills", "call,amount\nMW-1,1\nMW-3,3\n")
	for n := range stillFor + 1 {
		look(50 + n)
	}
	if p.runs() != 2 {
		t.Errorf("%d runs after both came", p.runs())
	}
}

// TestWatchStack lets a sieve run when one of the files has come that a stack is made of, and all of them stand still.
func TestWatchStack(t *testing.T) {
	p := newPort(t)
	ctx := t.Context()
	p.write("north", "call,amount\nMW-1,1\n")
	p.write("salt", "call,amount\nMW-2,2\n")
	part := func(quay string) view.Stacked {
		return view.Stacked{Place: view.Place{Path: quay + ".csv"}, Label: quay}
	}
	job, err := p.Load(ctx, "quays", view.Recipe{Source: view.SourceRef{Stack: []view.Stacked{part("north"), part("salt")}}})
	if err != nil {
		t.Fatal(err)
	}
	if end, err := p.await(ctx, job); err != nil || end.Problem != nil {
		t.Fatal(end.Problem, err)
	}
	key := []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}
	if _, err := p.CreateSieve(ctx, sieve.Definition{Name: "stacked", Left: "quays", Right: "bills", Key: key}); err != nil {
		t.Fatal(err)
	}
	if _, err := p.SetSchedule(ctx, "stacked", 0, view.NewSchedule{Watch: true, Active: true}); err != nil {
		t.Fatal(err)
	}
	now := time.Now()
	for n := range stillFor + 2 {
		if p.at(now.Add(time.Duration(n) * time.Hour)); p.runs() != 0 {
			t.Fatalf("it runs at look %d, when nothing has come", n)
		}
	}
	p.write("salt", "call,amount\nMW-2,2\nMW-3,3\n")
	for n := range stillFor + 2 {
		p.at(now.Add(time.Duration(20+n) * time.Hour))
	}
	runs, err := p.Runs(ctx, "", 10)
	if err != nil || len(runs.Runs) != 1 || runs.Runs[0].Sieve != "stacked" || runs.Runs[0].Summary.Records[0] != 3 {
		t.Errorf("after a part of the stack has come: %+v, %v", runs.Runs, err)
	}
}
