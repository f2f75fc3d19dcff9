package e2e

import (
	"encoding/csv"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/client"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/formats/sievefile"
	"twinsieve/service/view"
)

func column(left, right string) sieve.Columns { return sieve.Columns{Left: left, Right: right} }

// diagnosed is how many records each cause has.
func diagnosed(t testing.TB, c *client.Client, d sieve.Definition) (map[string]int, *view.Diagnosis) {
	t.Helper()
	job, err := c.Diagnose(t.Context(), d)
	result := done(t, c, job, err)
	causes := map[string]int{}
	for _, cause := range result.Diagnosis.Causes {
		causes[cause.ID] = int(cause.Records[0] + cause.Records[1])
	}
	return causes, result.Diagnosis
}

// TestDiagnosisOfTheDemo: for ten seeds of the demo, the diagnosis names each planted cause with exactly its records; applying the
// remedy, and accepting the slips as the same, leaves only what is truly missing, orphaned or unkeyed.
func TestDiagnosisOfTheDemo(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	for seed := range uint64(10) {
		s := demo.New(demo.Options{Seed: seed, Services: 300})
		d, err := sievefile.Read(demo.Billing)
		if err != nil {
			t.Fatal(err)
		}
		d.Name = fmt.Sprintf("%s %d", d.Name, seed)
		loadScenario(t, c, s)
		if _, err := c.CreateSieve(t.Context(), d); err != nil {
			t.Fatal(err)
		}
		blanks := map[string]int{"blank@1": times(t, s, "blank call number in the log"), "emptied@1": times(t, s, "call number of spaces in the log"),
			"blank@3": times(t, s, "blank service code on the invoice"), "unreadable@2": times(t, s, "impossible date on the invoice"),
			"nothing": times(t, s, "service never billed") + times(t, s, "invoice without a service")}
		want := maps.Clone(blanks)
		want["plain-letters@1"] = 2 * times(t, s, "letter that looks alike")
		want["day-off@2"] = 2 * times(t, s, "date one day off")
		want["exchanged@1"] = 2 * times(t, s, "two digits swapped")
		got, found := diagnosed(t, c, d)
		if !maps.Equal(got, want) {
			t.Errorf("seed %d: %v, planted %v", seed, got, want)
			continue
		}
		for _, cause := range found.Causes {
			switch {
			case cause.Applied != nil:
				d = *cause.Applied
			case cause.Kind == "day-off" || cause.Kind == "exchanged":
				decision := view.Decision{Accept: true, Source: "diagnosis"}
				for _, f := range cause.Listed {
					if f.Side == "left" {
						decision.Pairs = append(decision.Pairs, view.KeyPair{Left: f.Key, Right: f.Other})
					}
				}
				if _, err := c.Decide(t.Context(), d.Name, decision); err != nil {
					t.Fatal(err)
				}
			}
		}
		if got, _ := diagnosed(t, c, d); !maps.Equal(got, blanks) {
			t.Errorf("seed %d: after the remedies %v are left, planted %v", seed, got, blanks)
		}
	}
}

// TestAdviceCommands works as an analyst does on the command line: advice, counts, diagnosis and remedy, near matches, the
// crosswalk, a pairing by hand, and traces.
func TestAdviceCommands(t *testing.T) {
	t.Parallel()
	s := demo.New(demo.Options{Seed: 3})
	p := serve(t, t.TempDir())
	c := p.client()
	loadDemo(t, c, s)
	dir := t.TempDir()
	does := func(status int, want string, args ...string) string {
		t.Helper()
		r := run(t, p.at(), args...)
		if r.status != status || !strings.Contains(r.out+r.errors, want) {
			t.Errorf("%q: exit %d, want %d with %q:\n%s%s", args, r.status, status, want, r.out, r.errors)
		}
		return r.out
	}
	does(0, "key 1: call_no = Voyage Call, service_date = Invoiced On, service_code = Svc", "advise", "service-log", "invoices")
	does(0, `"relation": "many to many"`, "advise", "service-log", "invoices", "--output", "json")
	does(2, `there is no record set "bills"`, "advise", "service-log", "bills")
	does(0, "A record of service-log and one of invoices are the same when call_no is Voyage Call", "counts", "Berth billing")
	does(0, "hardly a value of the one side can equal one of the other: service_date is date YYYY-MM-DD in", "counts", "--left", "service-log", "--right", "invoices", "-k", "service_date=Invoiced On")
	look := times(t, s, "letter that looks alike")
	does(0, fmt.Sprintf("%d would pair if letters of another script", 2*look), "diagnose", "Berth billing")
	does(0, "MW-", "diagnose", "--run", "Berth billing", "--cause", "day-off@2")
	does(2, `there is no cause "thirst"; the causes are plain-letters@1, `, "diagnose", "Berth billing", "--apply", "thirst")
	does(2, "has no remedy that is a change of the sieve", "diagnose", "Berth billing", "--apply", "day-off@2")
	does(2, "leave out --run", "diagnose", "--run", "Berth billing", "--apply", "plain-letters@1")
	does(0, fmt.Sprintf("+%d", look), "diagnose", "Berth billing", "--apply", "plain-letters@1")
	does(1, "agree", "run", "Berth billing")

	slips := times(t, s, "date one day off") + times(t, s, "two digits swapped")
	does(0, fmt.Sprintf("%d of %d suggestions", slips, slips), "near", "Berth billing")
	does(2, "two decisions", "near", "Berth billing", "--accept", "1", "--refuse", "2")
	does(2, fmt.Sprintf("there are 1 to %d", slips), "near", "Berth billing", "--accept", "1-99")
	does(0, "1 suggestion refused", "near", "Berth billing", "--refuse", "1")
	does(0, fmt.Sprintf("%d suggestions accepted", slips-1), "near", "Berth billing", "--accept", "all", "--reason", "seen with the pilot")
	does(1, "agree", "run", "Berth billing")
	never, without := times(t, s, "service never billed"), times(t, s, "invoice without a service")
	head, err := newestRun(t, c)
	if err != nil || head.Summary.Tray(tray.Missing).Records[0] != int64(never+1) || head.Summary.Tray(tray.Orphaned).Records[1] != int64(without+1) || head.Summary.Crosswalk.Version != 2 {
		t.Errorf("after accepting all but one: %+v, %v", head.Summary, err)
	}

	file := filepath.Join(dir, "crosswalk.csv")
	does(0, "", "crosswalk", "Berth billing", "--out", file)
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	if err != nil || len(rows) != slips+1 || !slices.Equal(rows[0][:7], []string{"left call_no", "left service_date", "left service_code", "right Voyage Call", "right Invoiced On", "right Svc", "decision"}) {
		t.Errorf("the crosswalk is\n%s", text)
	}
	entry := does(0, "the same", "crosswalk", "Berth billing", "--output", "csv")
	does(0, "taken back", "crosswalk", "Berth billing", "--take-back", strings.SplitN(strings.Split(entry, "\n")[1], ",", 2)[0])
	does(0, "version 4", "crosswalk", "Berth billing", "--in", file, "--reason", "from the file")
	does(0, "version 4", "crosswalk", "Berth billing", "--in", file) // which has nothing new
	kept, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	does(0, "version 4", "crosswalk", "Berth billing", "--in", write(t, dir, "marked.csv", append([]byte("\ufeff"), kept...)))
	does(2, "line 2: it has bytes that are not UTF-8", "crosswalk", "Berth billing", "--in", write(t, dir, "latin.csv", []byte(strings.Join(rows[0][:6], ",")+"\n\xdc,2031-03-02,PIL,MW-1,02.03.2031,pil\n")))
	does(2, `line 1: there is no column "left call_no"`, "crosswalk", "Berth billing", "--in", write(t, dir, "wrong.csv", []byte("a,b\n1,2\n")))
	does(2, `line 2: the decision "perhaps" is none`, "crosswalk", "Berth billing", "--in", write(t, dir, "perhaps.csv", []byte(strings.Join(rows[0][:7], ",")+"\na,b,c,d,e,f,perhaps\n")))
	does(2, "as the sieve reads it, and such a record has no key", "crosswalk", "Berth billing", "--in", write(t, dir, "blank.csv", []byte(strings.Join(rows[0][:6], ",")+"\n,2031-03-02,PIL,MW-1,02.03.2031,pil\n")))
	does(2, "one key already", "crosswalk", "Berth billing", "--in", write(t, dir, "same.csv", []byte(strings.Join(rows[0][:6], ",")+"\nMW-01,2031-03-02,PIL,mw-1,02.03.2031,pil\n")))
	does(2, "no entry 999", "crosswalk", "Berth billing", "--take-back", "999")

	does(2, "says the opposite; take that back first", "crosswalk", "Berth billing", "--in", write(t, dir, "opposite.csv", []byte(strings.ReplaceAll(strings.ReplaceAll(string(text), ",same,", ",neither,"), ",neither,", ",not the same,"))))

	// Three keys in a class want to be confirmed; a whole file in one class is refused.
	joins := strings.Join(rows[0][:6], ",") + "\nZZ-1,2031-01-01,PIL,ZZ-2,01.01.2031,pil\nZZ-3,2031-01-01,PIL,ZZ-2,01.01.2031,pil\n"
	does(2, "Confirm that all of them are the same", "crosswalk", "Berth billing", "--in", write(t, dir, "joins.csv", []byte(joins)))
	does(0, "version 5", "crosswalk", "Berth billing", "--in", filepath.Join(dir, "joins.csv"), "--confirm")
	whole := rows[0][:6]
	lines := []string{strings.Join(whole, ",")}
	for n := range 1100 {
		lines = append(lines, fmt.Sprintf("QQ-%d,2031-01-01,PIL,QQ-0,02.01.2031,pil", n+1))
	}
	does(2, "a class has 1000 keys at most", "crosswalk", "Berth billing", "--confirm", "--in", write(t, dir, "whole.csv", []byte(strings.Join(lines, "\n")+"\n")))

	// A pairing by hand.
	page, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "missing", Limit: 2})
	if err != nil {
		t.Fatal(err)
	}
	other, err := c.Entries(t.Context(), head.ID, client.Query{Tray: "orphaned", Limit: 1})
	if err != nil {
		t.Fatal(err)
	}
	left := fmt.Sprintf("%d,%d", page.Entries[0].Left.Number, page.Entries[1].Left.Number)
	right := fmt.Sprint(other.Entries[0].Right.Number)
	does(0, "2 left records and 1 right record; they would be differing, in amount_due", "pair", "Berth billing", "--left", left, "--right", right)
	does(2, "0 records are chosen on the right", "pair", "Berth billing", "--left", left)
	does(2, "There is no record 99999 on the left", "pair", "Berth billing", "--left", "99999", "--right", right)
	does(0, "version 6", "pair", "Berth billing", "--left", left, "--right", right, "--accept", "--reason", "one invoice for two")
	does(2, "has been paired by hand already", "pair", "Berth billing", "--left", left, "--right", right, "--accept")
	does(1, "agree", "run", "Berth billing")
	does(0, "paired by hand; of 2 and 1 records, amount_due = Amount differs by", "trace", "Berth billing", "--record", "right-"+right)
	does(2, "only records without a partner can be paired by hand", "pair", "Berth billing", "--left", left, "--right", right)

	does(1, "No record of service-log or invoices has QQ-0 in its key", "trace", "Berth billing", "QQ-0")
	does(0, "rule: a record with a key part that is blank or cannot be read has no key", "trace", "Berth billing", "31.02.2031")
	does(2, "There is no record left-99999", "trace", "Berth billing", "--record", "left-99999")
	does(2, "names no record", "trace", "Berth billing", "--record", "north-1")
	does(2, "say what is to be traced", "trace", "Berth billing")
	looked, err := c.Look(t.Context(), "31.02.2031")
	if err != nil || len(looked.Runs) != 1 || looked.Runs[0].Found != [2]int64{0, int64(times(t, s, "impossible date on the invoice"))} {
		t.Errorf("looked up: %+v, %v", looked, err)
	}
}

func newestRun(t testing.TB, c *client.Client) (view.Run, error) {
	t.Helper()
	runs, err := c.Runs(t.Context(), "", 1)
	if err != nil {
		return view.Run{}, err
	}
	return runs.Runs[0], nil
}

// TestTotalsAndFilters runs a sieve that compares totals and leaves records out: groups are one entry each, a hand-over has all their
// records, and repeats can be refused.
func TestTotalsAndFilters(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	load(t, c, "lines", []byte("call,amount,quay\nA,10,N\nA,20,N\nB,5,N\nB,5,N\nC,1,N\nD,9,Tar\nE,x,N\nF,2,soon\n"))
	load(t, c, "bills", []byte("call,amount\nA,30\nB,11\nC,1\nD,9\nE,3\n"))
	d := sieve.Definition{Name: "Sums", Left: "lines", Right: "bills", Repeats: "totals", Where: sieve.Where{Left: `quay == "N" || number(quay) > 0`},
		Key: []sieve.KeyPart{{Columns: column("call", "")}}, Compare: []sieve.Field{{Columns: column("amount", ""), As: "decimal", Within: "2%"}}}
	if _, err := c.CreateSieve(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), "Sums")
	result := done(t, c, job, err)
	head, err := c.RunHead(t.Context(), result.Run)
	if err != nil || head.Summary.Verdict != "3 of 6 lines records that take part agree, by the totals of their keys, with bills. 3 exceptions need a person: 2 differing, 1 orphaned." || head.Summary.Undecided != [2]int64{2, 0} || !head.Summary.Accounted {
		t.Errorf("%+v, %v", head.Summary, err)
	}
	page, err := c.Entries(t.Context(), result.Run, client.Query{Tray: "differing"})
	if err != nil || len(page.Entries) != 2 || page.Entries[0].Group == nil || page.Entries[0].Group.Records != [2]int64{2, 1} || *page.Entries[0].Fields[0].Totals != [2]string{"10", "11"} {
		t.Errorf("%+v, %v", page, err)
	}
	// People see the totals that were compared, and in the drawer all the records.
	shown := run(t, p.at(), "report", "Sums", "--tray", "differing")
	if shown.status != 1 || !strings.Contains(shown.out, "Σ 10") || !strings.Contains(shown.out, "Σ 11") {
		t.Errorf("exit %d\n%s%s", shown.status, shown.out, shown.errors)
	}
	b := newBrowser(t, p)
	b.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d?tray=differing", p.address, result.Run)))
	b.says("of 2 and 1 records, amount differs by 1")
	b.until(`[...document.querySelectorAll('td')].some((e) => e.innerText === 'Σ 10') && [...document.querySelectorAll('td.skewed')].some((e) => e.innerText === 'Σ 11')`)
	b.click("[data-entry]", 0)
	b.says("All its records")
	b.until(`document.querySelectorAll('[data-testid=aligned] table')[1]?.querySelectorAll('tbody tr').length === 2`)
	b.says("compared by their totals")
	if page, err = c.Entries(t.Context(), result.Run, client.Query{Tray: "matched"}); err != nil || len(page.Entries) != 2 || page.Entries[0].Reason != "2 and 1 records agree by their totals" {
		t.Errorf("%+v, %v", page, err)
	}
	var out strings.Builder
	if err := c.Export(t.Context(), result.Run, client.Query{}, client.Format{}, &out); err != nil {
		t.Fatal(err)
	}
	want := "tray,reason,left line,right line,difference in amount,lines.call,lines.amount,quay,bills.call,bills.amount\n" +
		"differing,\"of 2 and 1 records, amount differs by 1\",4,3,1,B,5,N,B,11\ndiffering,\"of 2 and 1 records, amount differs by 1\",5,,,B,5,N,,\n" +
		"differing,amount cannot be read as stated,8,6,,E,x,N,E,3\norphaned,no lines record has this key,,5,,,,,D,9\n"
	work := regexp.MustCompile(`,(since then,status,owner|new,open,).*`) // what stands behind it is about the work on each
	if got := work.ReplaceAllString(strings.ReplaceAll(out.String(), "\r", ""), ""); got != want {
		t.Errorf("handed over\n%s\nwant\n%s", got, want)
	}
	traced, err := c.TraceRecord(t.Context(), result.Run, "left-8")
	if err != nil || !strings.Contains(strings.Join(traced.Ways[0].Text, "\n"), `filter quay == "N" || number(quay) > 0: cannot be decided, "soon" is not a number`) {
		t.Errorf("%+v, %v", traced, err)
	}
	repeated, err := c.Repeated(t.Context(), result.Run, 10)
	if err != nil || repeated.Total != 2 || repeated.Keys[0].Key[0] != "A" || repeated.Keys[0].Records != [2]int64{2, 1} {
		t.Errorf("%+v, %v", repeated, err)
	}
	d.Repeats = "refuse-left"
	if job, err = c.Count(t.Context(), d); err != nil {
		t.Fatal(err)
	}
	if _, err = c.Wait(t.Context(), job, nil); err == nil || !strings.Contains(err.Error(), "2 keys repeat on the left, where the sieve refuses repeats: A (2 records), B (2 records); give the key another part") {
		t.Errorf("refused: %v", err)
	}
	diagnosis, _ := diagnosed(t, c, sieve.Definition{Left: "lines", Right: "bills", Where: d.Where, Key: d.Key})
	if !maps.Equal(diagnosis, map[string]int{"filter": 1}) {
		t.Errorf("diagnosed %v", diagnosis)
	}
}

// TestBadReadings: what cannot be is said where it stands, before a run.
func TestBadReadings(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	load(t, c, "log", []byte("call,day,fee\nMW-1,2031-03-02,1.5\nMW-2,2031-03-03,2\n"))
	dir := t.TempDir()
	lookup := write(t, dir, "codes.csv", []byte("PIL,PILOT\nTUG,TOW\nPIL,P\n"))
	good := write(t, dir, "good.csv", []byte("MW-1,MW-2\n"))
	marked := write(t, dir, "marked.csv", []byte("\ufeffMW-1,MW-2\r\n")) // as spreadsheets write it
	latin := write(t, dir, "latin.csv", []byte("MW-1,MW-2\nM\xdc-3,MW-4\n"))
	for _, c := range []struct {
		want string
		args []string
	}{
		{"is no regular expression", []string{"-k", "call: capture ([0-9"}},
		{`none of the 2 values of "day" on the left can be read as stated, such as "2031-03-02"`, []string{"-k", "day: date DD.MM.YYYY"}},
		{"codes.csv: line 3: the code \"PIL\" stands on line 1 already", []string{"-k", "call: lookup codes", "--lookup", "codes=" + lookup}},
		{"latin.csv: line 2: it has bytes that are not UTF-8", []string{"-k", "call: lookup codes", "--lookup", "codes=" + latin}},
		{`there is no lookup list "codes"; the sieve has "others"`, []string{"-k", "call: lookup codes", "--lookup", "others=" + good}},
		{"the tolerance -1 is below zero", []string{"-k", "call", "-c", "fee: as decimal, within -1"}},
		{"has no unit", []string{"-k", "call", "-c", "day: as time, within 5"}},
		{"write a number above 0 and up to 1", []string{"-k", "call", "-c", "day: as similar, at-least 1.5"}},
		{`the readings leave nothing of any of the 2 values of "call" on the left`, []string{"-k", `call: capture "x*$"`}},
		{"read 03/04/2031 in two ways", []string{"-k", "day: date DD/MM/YYYY or MM/DD/YYYY"}},
		{"--left-where: at character 1", []string{"-k", "call", "--left-where", "quai == \"N\""}},
		{"the expression gives a text, and not whether a record takes part", []string{"-k", "call", "--left-where", "call"}},
		{`--repeats does not take "sum"; write one of pair, totals`, []string{"-k", "call", "--repeats", "sum"}},
	} {
		r := run(t, p.at(), append([]string{"counts", "--left", "log", "--right", "log"}, c.args...)...)
		if r.status != 2 || !strings.Contains(r.errors, c.want) || strings.Count(r.errors, "\n") != 1 {
			t.Errorf("%q: exit %d, want 2 with %q:\n%s", c.args, r.status, c.want, r.errors)
		}
	}
	r := run(t, p.at(), "counts", "--left", "log", "--right", "log", "-k", "call: lookup codes", "--lookup", "codes="+good, "--output", "json")
	if r.status != 0 || !strings.Contains(r.out, `"inner",`) {
		t.Errorf("a lookup list: exit %d\n%s%s", r.status, r.out, r.errors)
	}
	plain := run(t, p.at(), "counts", "--left", "log", "--right", "log", "-k", "call", "--output", "json")
	if m := run(t, p.at(), "counts", "--left", "log", "--right", "log", "-k", "call: lookup codes", "--lookup", "codes="+marked, "--output", "json"); m.out != r.out || m.out == plain.out {
		t.Errorf("a lookup list with a byte-order mark: exit %d\n%s%s, want %s", m.status, m.out, m.errors, r.out)
	}
	effect := tried(t, c, sieve.Definition{Left: "log", Right: "log", Key: []sieve.KeyPart{{Columns: column("call", ""), Readings: reading.MustParse("digits-only", "first 1")}}}, view.ReadingPlace{Of: "key", Reading: 0})
	if effect.Sides[0].Changed != 2 || effect.Pairs[0].Rows != 4 || effect.Pairs[1].Rows != 2 || effect.Sides[1].Samples[0].After.Text != "1" {
		t.Errorf("%+v", effect)
	}
	if _, err := c.TryReading(t.Context(), sieve.Definition{Left: "log", Right: "log", Key: []sieve.KeyPart{{Columns: column("call", "")}}}, view.ReadingPlace{Of: "key", Part: 3}); err == nil || !strings.Contains(err.Error(), "name a part of the key") {
		t.Errorf("no such part: %v", err)
	}
}

func tried(t testing.TB, c *client.Client, d sieve.Definition, at view.ReadingPlace) *view.ReadingEffect {
	t.Helper()
	job, err := c.TryReading(t.Context(), d, at)
	result := done(t, c, job, err)
	return result.Effect
}
