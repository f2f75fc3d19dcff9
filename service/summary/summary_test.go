package summary_test

import (
	"strings"
	"testing"

	"twinsieve/core/match"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
)

func TestVerdict(t *testing.T) {
	compared := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}}}, Compare: []sieve.Field{{Columns: sieve.Columns{Left: "k"}}}}
	keyed := compared
	keyed.Compare = nil
	for _, c := range []struct {
		d     sieve.Definition
		trays map[tray.Tray][2]int64
		want  string
	}{
		{compared, map[tray.Tray][2]int64{tray.Matched: {1234, 1234}}, "All 1,234 log records agree with a record of bills. Nothing needs a person."},
		{keyed, map[tray.Tray][2]int64{tray.Matched: {2, 2}}, "All 2 log records have a record of bills with their key. Nothing needs a person."},
		{compared, map[tray.Tray][2]int64{tray.Matched: {2, 2}, tray.Excluded: {1, 0}}, "All 2 log records that take part agree with a record of bills. Nothing needs a person."},
		{compared, map[tray.Tray][2]int64{tray.Differing: {1, 1}}, "0 of 1 log records agree with a record of bills. 1 exception needs a person: 1 differing."},
		{compared, map[tray.Tray][2]int64{tray.Matched: {5, 5}, tray.Missing: {3, 0}, tray.Orphaned: {0, 4}, tray.Surplus: {1, 2}, tray.Unkeyed: {0, 6}},
			"5 of 9 log records agree with a record of bills. 16 exceptions need a person: 3 missing, 4 orphaned, 3 surplus, 6 unkeyed."},
		{compared, nil, "0 of 0 log records agree with a record of bills. Nothing needs a person."},
	} {
		plan, err := c.d.Compile([]string{"k"}, []string{"k"})
		if err != nil {
			t.Fatal(err)
		}
		index := &match.Index{}
		for s := range 2 {
			index.Totals.Values[s] = make([]match.Causes, len(plan.Values))
		}
		for at, n := range c.trays {
			if at.Paired() {
				index.Totals.Pairs[at] = n[0]
			}
			for s := range 2 {
				index.Totals.Trays[s][at] = n[s]
				index.Totals.Records[s] += n[s]
			}
		}
		s := summary.Of(plan, index, [2]int64{})
		if s.Verdict != c.want {
			t.Errorf("verdict %q, want %q", s.Verdict, c.want)
		}
		if !s.Accounted {
			t.Errorf("%q: not accounted for", s.Verdict)
		}
		for _, more := range []struct {
			rejects    [2]int64
			exceptions int64
			says       string
		}{{[2]int64{1, 0}, 1, "1 reject."}, {[2]int64{2, 3}, 5, "5 rejects."}} {
			got := summary.Of(plan, index, more.rejects)
			if got.Exceptions != s.Exceptions+more.exceptions || !strings.HasSuffix(got.Verdict, more.says) || got.Tray(tray.Reject).Entries != more.exceptions || !got.Accounted {
				t.Errorf("%v rejects: %d exceptions, %q", more.rejects, got.Exceptions, got.Verdict)
			}
		}
		for n, says := range map[int64]string{0: "", 1: "1 pair or group has matched although its records", 1200: "1,200 pairs or groups have matched although their records"} {
			if index.Totals.Mixed = n; !strings.HasPrefix(summary.Of(plan, index, [2]int64{}).Mixed, says) || says == "" && summary.Of(plan, index, [2]int64{}).Mixed != "" {
				t.Errorf("%d of two currencies: %q", n, summary.Of(plan, index, [2]int64{}).Mixed)
			}
		}
		index.Totals.Records[0]++
		if summary.Of(plan, index, [2]int64{}).Accounted {
			t.Errorf("%q: a lost record was not missed", s.Verdict)
		}
	}
}
