package handover_test

import (
	"slices"
	"strings"
	"testing"

	"twinsieve/core/exception"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/handover"
)

// TestGroupRows: a group that is compared by its totals is handed over with all its records, one row for each of the longer side;
// its difference stands once.
func TestGroupRows(t *testing.T) {
	p := plan(t, []string{"call", "amount"}, []string{"Amount", "Call"}, sieve.Definition{Repeats: "totals", Key: key("call", "Call"),
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount", Right: "Amount"}, As: "decimal"}}})
	records := func(rows ...[]string) (list []exception.Record) {
		for n, row := range rows {
			r := exception.Record{Number: uint32(n), Origin: record.Origin{Line: int64(n + 2)}}
			for _, c := range row {
				r.Cells = append(r.Cells, record.Cell{Text: c})
			}
			list = append(list, r)
		}
		return list
	}
	group := &exception.Group{Count: [2]int64{1, 3}, Records: [2][]exception.Record{records([]string{"A", "5"}), records([]string{"2", "A"}, []string{"2", "a"}, []string{"2", "A"})}}
	e := &exception.Entry{Tray: tray.Differing, Group: group, Sides: [2]*exception.Record{&group.Records[0][0], &group.Records[1][0]}, Fields: []exception.Field{{Difference: "1"}}}
	all := func(e *exception.Entry) string {
		var lines []string
		if _, err := handover.NewLayout(p).Rows(e, nil, func(row []string) error {
			lines = append(lines, strings.Join(row, "|"))
			return nil
		}); err != nil {
			t.Error(err)
		}
		return strings.Join(lines, "\n")
	}
	reason := "of 1 and 3 records, amount = Amount differs by 1"
	if got, want := all(e), "differing|"+reason+"|2|2|1|A|5|2|A\ndiffering|"+reason+"||3||||2|a\ndiffering|"+reason+"||4||||2|A"; got != want {
		t.Errorf("rows\n%s\nwant\n%s", got, want)
	}
	e.Hand = 4
	if got := handover.Reason(p, e); got != "paired by hand; "+reason {
		t.Error(got)
	}
	e.Said = "said before"
	if got := all(e); strings.Count(got, "said before") != 3 {
		t.Error(got)
	}
	one := entry(p, tray.Missing, tray.Left, []string{"A", "5"}, nil)
	if got := all(one); got != "missing|no bills record has this key|8|||A|5||" {
		t.Error(got)
	}
}

// TestUnits: differences of dates and times say in what they are counted, and the reason of a pair says that the crosswalk made it.
func TestUnits(t *testing.T) {
	p := plan(t, []string{"call", "day", "at", "name"}, []string{"call", "day", "at", "name"}, sieve.Definition{Key: key("call", ""), Compare: []sieve.Field{
		{Columns: sieve.Columns{Left: "day"}, As: "date"}, {Columns: sieve.Columns{Left: "at"}, As: "time", Readings: reading.MustParse("time YYYY-MM-DD hh:mm")}, {Columns: sieve.Columns{Left: "name"}, As: "similar", AtLeast: "0.9"}}})
	e := entry(p, tray.Differing, tray.Left, []string{"A", "2031-03-02", "2031-03-02 08:00", "Wren"}, []string{"A", "2031-03-04", "2031-03-02 09:30", "Heron"})
	if got := handover.Reason(p, e); got != "day differs by 2 days; at differs by 5400 seconds; name differs" {
		t.Error(got)
	}
	if got := handover.NewLayout(p).Columns(); !slices.Contains(got, "difference in day") || !slices.Contains(got, "difference in at") || slices.Contains(got, "difference in name") {
		t.Errorf("columns %q", got)
	}
	joined := entry(p, tray.Matched, tray.Left, []string{"A", "2031-03-02", "2031-03-02 08:00", "Wren"}, []string{"B", "2031-03-02", "2031-03-02 08:00", "Wren"})
	joined.Joined = true
	if got := handover.Reason(p, joined); got != "the keys are the same by the crosswalk; every compared field agrees" {
		t.Error(got)
	}
}
