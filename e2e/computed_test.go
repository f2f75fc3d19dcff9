package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/core/expression"
	"twinsieve/core/sieve"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
)

const (
	ledger = "entry,debit,credit,ref\n1,100.25,,MW-1/TUG\n2,,40.5,MW-2/PIL\n3,x,,MW-3/TUG\n4,7,7,MW-4/MOR\n"
	booked = "call,svc,amount\nMW-1,TUG,100.25\nMW-2,PIL,-40.50\nMW-3,TUG,5\nMW-5,MOR,0\n"
)

// TestComputed computes columns of a set, uses them as key parts and compared fields, and reloads.
func TestComputed(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	load(t, c, "ledger", []byte(ledger))
	load(t, c, "booked", []byte(booked))
	for _, args := range [][]string{{"compute", "ledger", "signed=zero(debit) - zero(credit)", `call=part(ref, "/", 1)`, `svc = part(ref, "/", 2)`}, {"compute", "booked", "twice=number(amount) * 2"}} {
		if out := run(t, p.at(), args...); out.status != 0 || strings.Contains(args[1], "ledger") != strings.Contains(out.errors, `the column signed could not be computed for 1 record, the first on line 4: "x" is not a number`) {
			t.Errorf("%s: status %d, %s%s", args, out.status, out.out, out.errors)
		}
	}
	records, err := c.Records(t.Context(), "ledger", "", 10)
	if err != nil || fmt.Sprint(records.Columns) != "[entry debit credit ref signed call svc]" {
		t.Fatalf("%v, %v", records.Columns, err)
	}
	var signed []string
	for _, r := range records.Records {
		signed = append(signed, *r.Cells[4])
	}
	if got := strings.Join(signed, "; "); got != `100.25; -40.5; #uncomputed: "x" is not a number (record 3); 0` {
		t.Errorf("signed amounts %s", got)
	}
	if _, err := c.CreateSieve(t.Context(), sieve.Definition{Name: "ledger", Left: "ledger", Right: "booked",
		Key:     []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}, {Columns: sieve.Columns{Left: "svc"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "signed", Right: "amount"}, As: "decimal"}}}); err != nil {
		t.Fatal(err)
	}
	out := run(t, p.at(), "run", "ledger")
	for _, want := range []string{"matched 2 2", "differing 1 1", "missing 1 –", "orphaned – 1"} {
		if !strings.Contains(strings.Join(strings.Fields(out.out), " "), want) {
			t.Errorf("%q is not in %s", want, out.out)
		}
	}
	set, err := c.Set(t.Context(), "ledger")
	if err != nil || set.Snapshot.Number != 2 || set.Snapshot.Rejects != 0 || !strings.Contains(set.Snapshot.Read, "signed = zero(debit) - zero(credit)") {
		t.Errorf("%+v, %v", set.Snapshot, err)
	}

	// What is wrong is said before anything is computed.
	for want, columns := range map[string][]expression.Column{
		`The computed column "a": at character 1: there is no column "debt"; did you mean "debit"? Columns: "entry", "debit", "credit", "ref".`: {{Name: "a", Expression: "debt"}},
		`The computed column "ref": there is a column of that name already; give it another.`:                                                   {{Name: "b", Expression: "1"}, {Name: "ref", Expression: "1"}},
	} {
		_, err := c.Compute(t.Context(), "ledger", columns)
		if !view.BadExpression.Is(asProblem(err)) || err.Error() != want || asProblem(err).Faults[0].Where != fmt.Sprintf("computed[%d]", len(columns)-1) {
			t.Errorf("%v, want %s", err, want)
		}
	}
	for want, args := range map[string][]string{
		"is not NAME=EXPRESSION":                                        {"compute", "ledger", "signed"},
		"has no computed column of that name":                           {"compute", "ledger", "--drop", "sgined"},
		"compute takes a record set":                                    {"compute"},
		`--compute: column "x": at character 1: there is no column "y"`: {"load", write(t, t.TempDir(), "a.csv", []byte("a\n1\n")), "--compute", "x=y"},
	} {
		if out := run(t, p.at(), args...); out.status != 2 || !strings.Contains(out.errors, want) {
			t.Errorf("%s: status %d, %s", args, out.status, out.errors)
		}
	}
	tried, err := c.TryColumns(t.Context(), "ledger", []expression.Column{{Name: "a", Expression: "debit +"}, {Name: "b", Expression: "number(debit)"}})
	if err != nil || tried.Columns[0].At != 8 || tried.Columns[0].Wrong == "" || len(tried.Columns[1].Cells) != 4 || tried.Columns[1].Cells[1] != nil || tried.Columns[1].Failures.Records != 1 ||
		fmt.Sprint(tried.Given) != "[entry debit credit ref]" {
		t.Errorf("tried %+v, %v", tried, err)
	}

	// A reload computes anew; what cannot be computed is left out, and the sieve says what it lacks.
	file := write(t, t.TempDir(), "april.csv", []byte(strings.Replace(ledger, "debit", "dr", 1)))
	out = run(t, p.at(), "reload", "ledger", file)
	for _, want := range []string{`the column signed was left out, for it cannot be computed now: at character 6: there is no column "debit". Columns: "entry"`, `no column "signed"`} {
		if !strings.Contains(out.out+out.errors, want) {
			t.Errorf("%q is not in %s%s", want, out.out, out.errors)
		}
	}
	out = run(t, p.at(), "compute", "ledger", "signed=zero(dr) - zero(credit)")
	if set, err := c.Set(t.Context(), "ledger"); out.status != 0 || err != nil || fmt.Sprint(set.Snapshot.Columns) != "[entry dr credit ref signed call svc]" || set.Snapshot.Findings.Lost != nil {
		t.Errorf("%s, %+v, %v", out.errors, set.Snapshot, err)
	}
	// A load can compute, too, with blank markers blank, and so can sift.
	loaded, err := loadWith(t, c, "marked", "a.csv", "a,b\n1,n/a\n2,3\n", view.Recipe{Choices: intake.Choices{Blanks: []string{"n/a"}, Computed: []expression.Column{{Name: "s", Expression: "zero(a) + zero(b)"}}}})
	if err != nil || loaded.Snapshot.Findings.Uncomputed != nil {
		t.Errorf("%+v, %v", loaded, err)
	}
	dir := t.TempDir()
	out = run(t, nil, "sift", write(t, dir, "l.csv", []byte(ledger)), write(t, dir, "r.csv", []byte(booked)), "--left-compute", `k=ref`, "--right-compute", `k=call + "/" + svc`, "--left-compute", "n=number(debit)", "--key", "k")
	if !strings.Contains(strings.Join(strings.Fields(out.out), " "), "matched 3 3") || !strings.Contains(out.out, "the column n of "+dir+"/l.csv could not be computed for 1 record, the first on line 4") {
		t.Errorf("sift says %s%s", out.out, out.errors)
	}
}

// TestComputedInConsole types an expression with a mistake, mends it, and computes the column: with the mouse, and with the
// keyboard alone.
func TestComputedInConsole(t *testing.T) {
	t.Parallel()
	for _, keyboard := range []bool{false, true} {
		t.Run(map[bool]string{false: "mouse", true: "keyboard alone"}[keyboard], func(t *testing.T) {
			t.Parallel()
			p := serve(t, t.TempDir())
			load(t, p.client(), "ledger", []byte(ledger))
			w := &walk{browser: newBrowser(t, p), keyboard: keyboard, seen: map[string]int{}}
			w.do(chromedp.Navigate(p.address + "/sets/ledger"))
			w.says("Computed columns")
			w.tab("Computed columns")
			w.press("Add a column")
			w.field("name of computed column 1")
			w.keys("signed")
			w.field("expression of computed column 1")
			w.keys("zero(debt)")
			w.says(`at character 6: there is no column "debt"; did you mean "debit"`)
			w.shoot("computed-wrong.png")
			w.keys("\b\b\bbit) - zero(credit)") // the third letter, too, is typed again
			w.says("1 of the first 4 records cannot be computed")
			w.shoot("computed.png")
			w.press("Compute as next snapshot")
			w.says("from snapshot 1 to 2")
			w.says("✗ the column signed could not be computed for 1 record, the first on line 4")
			w.says("new columns: signed")
		})
	}
}
