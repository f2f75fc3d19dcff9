package e2e

import (
	"fmt"
	"testing"

	"twinsieve/client"
	"twinsieve/core/again"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// loadRound loads a later round of a scenario and runs its sieve.
func loadRound(t testing.TB, c *client.Client, r demo.Round) *view.Run {
	t.Helper()
	load(t, c, demo.ServiceLog, r.ServiceLog)
	load(t, c, demo.Invoices, r.Invoices)
	job, err := c.Run(t.Context(), "Berth billing")
	head, err := c.RunHead(t.Context(), done(t, c, job, err).Run)
	if err != nil {
		t.Fatal(err)
	}
	return &head
}

// TestRounds runs the demo's month, the month corrected, and the next month, for ten seeds: what has become of the exceptions is what was
// planted, in the head of the report and in its lists.
func TestRounds(t *testing.T) {
	t.Parallel()
	for seed := range uint64(10) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			c := serve(t, t.TempDir()).client()
			s := demo.New(demo.Options{Seed: seed, Services: 300})
			last := loadDemo(t, c, s)
			if last.Since != nil {
				t.Errorf("the first run says what became of those before: %+v", last.Since)
			}
			for n, round := range s.Later {
				head := loadRound(t, c, round)
				if head.Since == nil || head.Since.Run != last.ID || head.Since.Number != last.Number {
					t.Fatalf("round %d: since %+v", n, head.Since)
				}
				if head.Summary.Exceptions != int64(round.Exceptions) || !head.Summary.Accounted {
					t.Errorf("round %d: %d exceptions, planted %d", n, head.Summary.Exceptions, round.Exceptions)
				}
				for _, change := range again.All {
					want := int64(round.Since[change])
					page, err := c.Entries(t.Context(), head.ID, client.Query{Change: []string{string(change)}, Limit: 1000})
					if got := head.Since.Counts[change]; got != want || page.Total != want || err != nil {
						t.Errorf("round %d: %d %s and %d listed, planted %d; %v", n, got, change, page.Total, want, err)
					}
					for _, e := range page.Entries {
						settled := map[bool]string{true: "settled", false: "open"}[change == again.Cleared]
						if e.Work.Change != change || e.Status != settled {
							t.Errorf("round %d: entry %s is %s and %s, in the list of %s", n, e.ID, e.Work.Change, e.Status, change)
						}
					}
				}
				last = head
			}
			if want := []again.Change{again.New, again.StillOpen, again.Changed, again.Returned, again.Cleared, again.Absent}; n(s.Later[1].Since, want...) != len(want) {
				t.Errorf("not all of %v are planted: %v", want, s.Later[1].Since)
			}
		})
	}
}

// n is how many of the changes are planted.
func n(since map[again.Change]int, changes ...again.Change) (n int) {
	for _, c := range changes {
		if since[c] > 0 {
			n++
		}
	}
	return n
}
