package words_test

import (
	"strings"
	"testing"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/tray"
	"twinsieve/service/words"
)

// TestRows: each comparison says in a sentence or two what it keeps, with the sets' names and counts.
func TestRows(t *testing.T) {
	totals := &match.Totals{Records: [2]int64{12, 1300}, Product: 20, Semi: [2]int64{9, 1298}}
	totals.Trays[0][tray.Excluded] = 2 // of the left ten take part, one of them without a partner
	choice := func(n comparison.Name) comparison.Choice {
		return comparison.Choice{Comparison: n, Kept: comparison.KeepFull}
	}
	with := func(c comparison.Choice, change func(*comparison.Choice)) comparison.Choice {
		change(&c)
		return c
	}
	for _, c := range []struct {
		choice comparison.Choice
		sets   [2]string
		want   string
	}{
		{choice("full"), [2]string{"log", "bills"}, "All of log and all of bills, what pairs side by side: 23 rows. 1 record of log has no partner. 2 records of bills have no partner. 11 rows show a record of log again, for it has several partners."},
		{choice("inner"), [2]string{"log", "bills"}, "Only what pairs of log and bills: 20 rows. 1 record of log has no partner and is left out. 2 records of bills have no partner and are left out. 11 rows show"},
		{choice("left"), [2]string{"log", "bills"}, "All of log, with what pairs of bills beside it: 21 rows. 1 record of log has no partner. 2 records of bills have no partner and are left out."},
		{choice("right"), [2]string{"log", "bills"}, "All of bills, with what pairs of log beside it: 22 rows. 2 records of bills have no partner. 1 record of log has no partner and is left out."},
		{choice("left-semi"), [2]string{"log", "bills"}, "The 9 records of log that have a partner in bills, each once. 1 record of log has no partner and is left out."},
		{choice("right-semi"), [2]string{"log", "bills"}, "The 1,298 records of bills that have a partner in log, each once. 2 records of bills have"},
		{choice("left-anti"), [2]string{"log", "bills"}, "The 1 record of log that has no partner in bills."},
		{choice("right-anti"), [2]string{"log", "log"}, "The 2 records of log (right) that have no partner in log (left)."},
		{choice("full-anti"), [2]string{"log", "bills"}, "All that has no partner, in one list: 1 record of log and 2 records of bills."},
		{choice("separate"), [2]string{"log", "bills"}, "Two tables, kept apart so that nothing multiplies: all 10 records of log, and all 1,300 records of bills."},
		{with(choice("separate"), func(c *comparison.Choice) { c.Kept = comparison.KeepLeft }), [2]string{"log", "bills"}, "Two tables, kept apart so that nothing multiplies: all 10 records of log, and the 1,298 records of bills with a partner."},
		{with(choice("separate"), func(c *comparison.Choice) { c.Kept = comparison.KeepInner }), [2]string{"log", "bills"}, "Two tables, kept apart so that nothing multiplies: the 9 records of log with a partner, and the 1,298"},
		{choice("cross"), [2]string{"log", "bills"}, "Every record of log with every record of bills, whatever their keys: 13,000 rows."},
		{choice("by-position"), [2]string{"log", "bills"}, "The records of log and bills side by side in the order in which they came, whatever their keys: 1,300 rows. log is shorter by 1,290 rows and filled."},
		{with(choice("inner"), func(c *comparison.Choice) { c.Dropped, c.Side = true, tray.Right }), [2]string{"log", "bills"}, "The 2 records of bills that inner leaves out."},
		{with(choice("full"), func(c *comparison.Choice) { c.ByTray, c.Tray = true, tray.Differing }), [2]string{"log", "bills"}, "The pairs of log and bills that are differing."},
		{with(choice("full"), func(c *comparison.Choice) { c.ByTray, c.Tray, c.Side = true, tray.Surplus, tray.Right }), [2]string{"log", "bills"}, "The records of bills that are surplus."},
	} {
		got := words.Rows(words.Looked{Choice: c.choice, Sets: c.sets, Kept: [2]int64{10, 1300}, Count: comparison.CountOf(totals, c.choice.Comparison), Semi: totals.Semi})
		if !strings.HasPrefix(got, c.want) {
			t.Errorf("%s:\n%s\nwant\n%s", c.choice.Comparison, got, c.want)
		}
	}
	for n, want := range map[comparison.Name]string{
		"union":         "Every record that is in log or in bills, each once: 7 rows. 3 records of log and 1 record of bills say nothing new.",
		"union-all":     "All records of log, and under them all of bills: 7 rows.",
		"intersect":     "The records that are in both log and bills, as a whole, each once: 7 rows.",
		"intersect-all": "The records that are in both log and bills, as a whole, as often as in both: 7 rows.",
		"except":        "The records of log that are not, as a whole, in bills, each once: 7 rows.",
		"except-all":    "The records of log, as a whole, less as many as bills has of each: 7 rows.",
	} {
		got := words.Rows(words.Looked{Choice: choice(n), Sets: [2]string{"log", "bills"}, Kept: [2]int64{10, 8}, Count: comparison.Count{Comparison: n, Rows: 7, Dropped: [2]int64{3, 1}}})
		if got != want {
			t.Errorf("%s:\n%s\nwant\n%s", n, got, want)
		}
	}
	if got := words.Selves("log", 1); got != "1 record of log passes both filters and pairs with itself. Filter the sides so that no record is on both." {
		t.Error(got)
	}
}
