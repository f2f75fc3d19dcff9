package words_test

import (
	"strings"
	"testing"

	"twinsieve/core/advise"
	"twinsieve/core/diagnose"
	"twinsieve/core/near"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/service/words"
)

func TestSieve(t *testing.T) {
	d := billing(t)
	if got, want := words.Sieve(&d), `A record of service-log and one of invoices are the same when call_no is Voyage Call (both without outer spaces, in any letter case, without zeros that begin a run of digits); and service_date (as a date written YYYY-MM-DD) is Invoiced On (as a date written DD.MM.YYYY). `+
		`Of service-log only records take part for which vessel != "Tender" && zero(amount_due) >= 0. They agree when vessel is Ship (both in any letter case); and amount_due is Amount as a number, give or take 0.05. `+
		`Where a key repeats, its records are paired one to one, the best fitting first; who is left over is surplus.`; got != want {
		t.Errorf("%s\nwant\n%s", got, want)
	}
	column := func(name string) sieve.Columns { return sieve.Columns{Left: name} }
	for want, c := range map[string]sieve.Definition{
		"A record of log (left) and one of log (right) are the same when k is k (two blanks are equal). Nothing else of them is compared. Where a key repeats, its records are one group": {Left: "log", Right: "log", Repeats: "totals", Key: []sieve.KeyPart{{Columns: column("k"), Blanks: "equal"}}},
		"No key may repeat in a or b.": {Left: "a", Right: "b", Repeats: "refuse-both", Key: []sieve.KeyPart{{Columns: column("k")}}},
		"No key may repeat in b.":      {Left: "a", Right: "b", Repeats: "refuse-right", Key: []sieve.KeyPart{{Columns: column("k")}}},
		"They agree when d is d as a date, give or take 2 days; m is m as a moment, give or take 15 min; y is y as yes or no; and n is like n (both without accents), to 0.9 at least.": {Left: "a", Right: "b", Key: []sieve.KeyPart{{Columns: column("k")}}, Compare: []sieve.Field{
			{Columns: column("d"), As: "date", Within: "2 days"}, {Columns: column("m"), As: "time", Within: "15 min"}, {Columns: column("y"), As: "boolean"}, {Columns: column("n"), As: "similar", AtLeast: "0.9", Readings: reading.MustParse("drop-accents")}}},
	} {
		if got := words.Sieve(&c); !strings.Contains(got, want) {
			t.Errorf("%s\nlacks\n%s", got, want)
		}
	}
}

// TestReadings: every reading that there is has words.
func TestReadings(t *testing.T) {
	for _, k := range reading.Kinds() {
		r := reading.Reading{Name: k.Name}
		if k.Argument != "" {
			r.Argument = "3"
		}
		if got := words.Reading(r); len(got) < 8 || strings.Contains(got, "%!") || k.Argument != "" && !strings.Contains(got, "3") {
			t.Errorf("%s: %q", k.Name, got)
		}
	}
}

// TestDayNumbers: what stands in place of a layout is said in words.
func TestDayNumbers(t *testing.T) {
	for text, want := range map[string]string{
		"date serial":                 "as a date written as a day number",
		"date YYYY-MM-DD or serial":   "as a date written YYYY-MM-DD or as a day number",
		"time serial 1904 in Etc/UTC": "as a moment written as a day number from 1904 in Etc/UTC",
	} {
		if got := words.Reading(reading.MustParse(text)[0]); got != want {
			t.Errorf("%s: %q, want %q", text, got, want)
		}
	}
}

func TestCauses(t *testing.T) {
	d := billing(t)
	change := func(part int, front bool, texts ...string) []diagnose.Change {
		return []diagnose.Change{{Part: part, Front: front, Readings: reading.MustParse(texts...)}}
	}
	for _, c := range []struct {
		cause            diagnose.Cause
		one              bool
		id, says, remedy string
	}{
		{diagnose.Cause{Kind: diagnose.Loosened, Part: 0, Changes: change(0, true, "plain-letters")}, false, "plain-letters@1",
			"would pair if letters of another script that look Latin were read as Latin in call_no = Voyage Call", "call_no = Voyage Call: plain-letters in front"},
		{diagnose.Cause{Kind: diagnose.Loosened, Part: 0, Changes: change(0, false, "right drop-ending /M")}, false, "right-drop-ending@1",
			`would pair if it were read without "/M" at its end on the right in call_no = Voyage Call`, "call_no = Voyage Call: right drop-ending /M"},
		{diagnose.Cause{Kind: diagnose.Loosened, Part: 1, Changes: []diagnose.Change{{Part: 1, Replace: "date", Readings: reading.MustParse("right date DD.MM.YYYY or YYYY-MM-DD")}}}, false, "date@2",
			"would pair if values were read as a date written DD.MM.YYYY or YYYY-MM-DD on the right in service_date = Invoiced On", "service_date = Invoiced On: right date DD.MM.YYYY or YYYY-MM-DD in place of date"},
		{diagnose.Cause{Kind: diagnose.Several, Part: -1, Changes: append(change(0, true, "trim"), change(1, true, "trim")...)}, false, "trim@1+trim@2",
			"would pair if outer spaces were dropped in call_no = Voyage Call and outer spaces were dropped in service_date = Invoiced On", "call_no = Voyage Call: trim in front; service_date = Invoiced On: trim in front"},
		{diagnose.Cause{Kind: diagnose.BlanksEqual, Part: 0}, false, "blanks-equal@1", "would pair if two blanks of call_no = Voyage Call were equal", "call_no = Voyage Call: blanks equal"},
		{diagnose.Cause{Kind: diagnose.Filter, Part: -1, Records: [2]int64{3, 0}}, false, "filter", "would pair, but the filter of invoices left the partner out", ""},
		{diagnose.Cause{Kind: diagnose.Filter, Part: -1, Records: [2]int64{0, 1}}, true, "filter", "would pair, but the filter of service-log left the partner out", ""},
		{diagnose.Cause{Kind: diagnose.DayOff, Part: 1}, true, "day-off@2", "is one day apart from one without a partner, in service_date = Invoiced On", ""},
		{diagnose.Cause{Kind: diagnose.Blank, Part: 0, Records: [2]int64{6, 0}}, false, "blank@1", "have no key: call_no is blank", ""},
		{diagnose.Cause{Kind: diagnose.Unreadable, Part: 1, Records: [2]int64{0, 1}}, true, "unreadable@2", "has no key: Invoiced On cannot be read as stated", ""},
		{diagnose.Cause{Kind: diagnose.Nothing, Part: -1}, false, "nothing", "have nothing like them on the other side", ""},
		{diagnose.Cause{Kind: diagnose.Nothing, Part: -1}, true, "nothing", "has nothing like it on the other side", ""},
	} {
		if id, says, remedy := words.CauseID(&c.cause), words.Cause(&d, &c.cause, c.one), words.Remedy(&d, &c.cause); id != c.id || says != c.says || remedy != c.remedy {
			t.Errorf("%s | %s | %s\nwant %s | %s | %s", id, says, remedy, c.id, c.says, c.remedy)
		}
	}
}

func TestAdviceAndNear(t *testing.T) {
	k := advise.Key{Distinct: [2]int64{10, 1200}, Repeated: [2]int64{0, 3}, Shared: 8, Most: [2]int64{1, 4}, Partner: [2]int64{8, 20}, Product: 20, Unkeyed: [2]int64{0, 1}, Agree: 0.05}
	sets := [2]string{"log", "bills"}
	if got, want := words.KeyAdvice(&k, sets), "one to many; 8 keys are on both sides, of 10 and 1,200; without a partner: 2 of log, 1,192 of bills; unique in log; 3 repeat in bills"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	want := []string{"records of log come up more than once, up to 4 times: their amounts must not be added up over the rows", "what it pairs hardly agrees in any other column: the values may be the same by chance, as row numbers are", "1 record of bills would have no key, for a part is blank"}
	if got := words.KeyWarnings(&advise.Advice{}, &k, sets); strings.Join(got, "|") != strings.Join(want, "|") {
		t.Errorf("%q, want %q", got, want)
	}
	a := advise.Advice{Columns: [2][]advise.Column{{{Name: "day", Type: "date DD/MM/YYYY", Layouts: []string{"DD/MM/YYYY", "MM/DD/YYYY"}}}, {{Name: "Day", Type: "date YYYY-MM-DD"}}}}
	if got := words.KeyWarnings(&a, &advise.Key{Parts: []advise.Pair{{}}, Most: [2]int64{1, 1}, Agree: 1}, sets); len(got) != 1 || got[0] != "the days of day can be read as DD/MM/YYYY or as MM/DD/YYYY: DD/MM/YYYY is proposed, and you decide" {
		t.Errorf("%q", got)
	}
	k.Agree = -1
	if got := words.Agreeing(&k); got != "there is no other column to judge by" {
		t.Error(got)
	}
	d := billing(t)
	d.Where = sieve.Where{}
	plan, err := d.Compile(columns[0], columns[1])
	if err != nil {
		t.Fatal(err)
	}
	got := strings.Join(words.Near(plan, []near.Reason{{Kind: near.Exchanged}, {Kind: near.Days, Apart: -1}, {Kind: near.Equal}, {Kind: near.Other}}), ", ")
	if got != "call_no = Voyage Call has two characters exchanged, service_date = Invoiced On is -1 day off, amount_due = Amount is another, 1 of 4 the same" {
		t.Error(got)
	}
}
