package expression_test

import (
	"errors"
	"fmt"
	"io"
	"math/big"
	"math/rand/v2"
	"strings"
	"testing"

	"twinsieve/core/expression"
	"twinsieve/core/record"
)

var columns = []string{"call_no", "debit", "credit", "Service Date", "berth.quay", "note", "in", "many"}

// batch makes records of cells that | divides; ∅ is a null.
func batch(rows ...string) *record.Batch {
	b := record.NewBuilder(len(columns))
	for n, row := range rows {
		for c, text := range strings.Split(row, "|") {
			if text == "∅" {
				b.Null(c)
			} else {
				b.Cell(c, []byte(text))
			}
		}
		b.Close(int64(n + 2))
	}
	return b.Flush()
}

const row = "MW-04417/2|1204.50||04/03/2026|Tar Quay|n/a|yes|12345678901234567890.123456789"

func TestCells(t *testing.T) {
	b := batch(row)
	for text, want := range map[string]string{
		`call_no + "-" + note`:                               "MW-04417/2-n/a",
		`part(call_no, "/", 1)`:                              "MW-04417",
		`part(call_no, "/", -1)`:                             "2",
		`part(call_no, "/", 3)`:                              "∅",
		`part(note, "", 2)`:                                  "/",
		`number(debit)`:                                      "1204.5",
		`-number(debit)`:                                     "-1204.5",
		`zero(debit) - zero(credit)`:                         "1204.5",
		`number(debit) - number(credit)`:                     "∅",
		`zero(number(credit))`:                               "0",
		`number(many) * 3`:                                   "37037036703703703670.370370367",
		`number(many) + 0.000000001`:                         "12345678901234567890.12345679",
		`0.1 + 0.2 == 0.3`:                                   "true",
		`1e3 + .5`:                                           "1000.5",
		`9007199254740993 == 9007199254740992.0`:             "false",
		`0.12345678901234567890123 * 10`:                     "1.2345678901234567890123",
		`number("1.204,50", "comma") == number(debit)`:       "true",
		`divide(number(debit), 7, 4)`:                        "172.0714",
		`round(2.345, 2)`:                                    "2.35",
		`round(-2.5, 0)`:                                     "-3",
		`abs(-7.0)`:                                          "7",
		`column("Service Date")`:                             "04/03/2026",
		`date(column("Service Date"), "DD/MM/YYYY")`:         "2026-03-04",
		`date("2026-03-04") < date("2026-03-05")`:            "true",
		`text(date("2026-03-04")) + "!"`:                     "2026-03-04!",
		`text(number(debit)) + text(true)`:                   "1204.5true",
		`berth.quay`:                                         "Tar Quay",
		`column("in")`:                                       "yes",
		`upper(first(note, 1)) + last(call_no, 2)`:           "N/2",
		`first(note, 100)`:                                   "n/a",
		`lower("ÅÆ") + trim("  x ")`:                         "åæx",
		`replace(call_no, "-0", "-")`:                        "MW-4417/2",
		`replace(call_no, "", "x")`:                          "MW-04417/2",
		`length("åé😀")`:                                      "3",
		`call_no.startsWith("MW") && note.endsWith("/a")`:    "true",
		`call_no.contains("44") || number(note) > 0`:         "true",
		`number(note) > 0 || call_no.contains("44")`:         "true",
		`false && number(note) > 0`:                          "false",
		`call_no.matches("^MW-[0-9]{5}/[12]$")`:              "true",
		`note in ["n/a", "none"] ? "" : note`:                "∅",
		`number(debit) in [1204.50, 7]`:                      "true",
		`blank(credit)`:                                      "true",
		`blank(number(credit)) && blank(date(credit))`:       "true",
		`credit == ""`:                                       "true",
		`number(credit) == number(credit)`:                   "true",
		`number(credit) == 0`:                                "false",
		`number(credit) < 5 || number(credit) >= 5`:          "false",
		`credit < "a"`:                                       "false",
		`date(credit) != date("2026-01-01")`:                 "true",
		`!blank(debit) ? number(debit) : -number(credit)`:    "1204.5",
		"\"quoted \\\" \" + 'single' +\n  r'\\raw'":          "quoted \" single\\raw",
		`number(" 7 ")`:                                      "7",
		`"a" < "b" && "a" <= "a" && 2 > 1 && 2 >= 2`:         "true",
		`date("2026-03-04") == date("4.3.2026","D.M.YYYY")`:  "true",
		`"ab" != "ab"`:                                       "false",
		`true == false`:                                      "false",
		`(number(debit) + 1) * 2 - 3 * (1 - 4)`:              "2420",
		`blank(note) || note == "n/a" ? "x" : note + note`:   "x",
		`zero("", "comma") + zero("1,5", "comma")`:           "1.5",
		`text(date(credit)) + text(number(credit)) + "only"`: "only",
	} {
		p, err := expression.Compile(text, columns)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		got, blank, err := p.Evaluator().Cell(b, 0)
		if blank {
			got += "∅"
		}
		if err != nil || got != want {
			t.Errorf("%s: %q, %v, want %q", text, got, err, want)
		}
	}
}

// TestUndecidable checks what cannot be decided for a record, though nothing is wrong with the expression.
func TestUndecidable(t *testing.T) {
	b := batch(row)
	for text, want := range map[string]string{
		`number(note)`:                    `"n/a" is not a number`,
		`number(note) + 1 > 2 && true`:    `"n/a" is not a number`,
		`date(column("Service Date"))`:    `"04/03/2026" is not a date YYYY-MM-DD`,
		`number(debit, "roman")`:          `"roman" is not a form of numbers; write "point" or "comma"`,
		`date(note, call_no)`:             `the date layout "MW-04417/2"`,
		`divide(1, 0, 2)`:                 "1 is divided by zero",
		`round(1, 1.5)`:                   `"1.5" is not a whole number from 0 to 100`,
		`first(note, -1)`:                 `"-1" is not a whole number`,
		`part(note, "/", number(credit))`: `"" is not a whole number`,
		`note.matches("(" + note)`:        "missing closing )",
		`note.matches("x" + many + "y" + replace(many, "1", "` + strings.Repeat("x", 1000) + `"))`:    "it may have at most 1000",
		`number("1e-9000") * number("1e-9000")`:                                                       "more than 10000 digits",
		`number("1e9999") * number("1e9999")`:                                                         "more than 10000 digits",
		`replace(many, "1", "` + strings.Repeat("x", 3000) + `").startsWith("y") || number(note) > 1`: `"n/a" is not a number`,
	} {
		p, err := expression.Compile(text, columns)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got, _, err := p.Evaluator().Cell(b, 0); err == nil || !strings.Contains(err.Error(), want) || strings.Contains(err.Error(), "\n") {
			t.Errorf("%s: %q, %v, want %q", text, got, err, want)
		}
	}
	long, err := expression.Compile(strings.TrimSuffix(strings.Repeat("note + ", 200), " + "), columns)
	if err != nil {
		t.Fatal(err)
	}
	if got, _, err := long.Evaluator().Cell(batch(strings.Replace(row, "n/a", strings.Repeat("n", 30000), 1)), 0); err == nil || !strings.Contains(err.Error(), "more than 1048576 bytes") {
		t.Errorf("%d bytes, %v", len(got), err)
	}
}

func TestErrors(t *testing.T) {
	for text, want := range map[string]string{
		``:                            "at character 1: ",
		`  `:                          "at character 3: the expression is empty",
		`debit +`:                     `at character 8: the expression ends too early: a value is missing after "+"`,
		`debit >= `:                   `the expression ends too early: a value is missing after ">="`,
		`blank(debit`:                 `at character 12: a ")" is missing`,
		`blank(debit))`:               `at character 13: ")" is not expected here`,
		`debit = note`:                `= cannot be read here`,
		`date(note, "QQ")`:            `at character 12: the date layout "QQ"`,
		`note.matches("(")`:           "at character 14: error parsing regexp: missing closing )",
		`note.matches(1)`:             "matches does not take (text, number)",
		`date(1)`:                     "date does not take (number)",
		`debt + credit`:               `at character 1: there is no column "debt"; did you mean "debit"? Columns: "call_no", "debit",`,
		`note + "a" + colum`:          `at character 14: there is no column "colum". Columns: "call_no",`,
		`column("Servce Date")`:       `there is no column "Servce Date"; did you mean "Service Date"? Columns`,
		`column(note)`:                "column takes the name of a column in quotes",
		`berth.key`:                   `there is no column "berth.key"; did you mean "berth.quay"? Columns`,
		`debit > 100`:                 "> does not take (text, number); write number(…) to read a text as a number",
		`debit - credit`:              "- does not take (text, text); write number(…)",
		"note ==\n  \"a\" + 1":        "at character 15: + does not take (text, number); write number(…) to read a text as a number, or text(…) to write a number as a text",
		`date(note) > note`:           "> does not take (date, text); write date(…)",
		`debit / 2`:                   "write divide(a, b, places)",
		`debit % 2`:                   "write divide(a, b, places)",
		`note[0]`:                     "write part(text, separator, n)",
		`size(note)`:                  `there is no function size here. Functions: "column",`,
		`nmber(debit)`:                `there is no function nmber here; did you mean "number"? Functions`,
		`note.number()`:               "there is no function number here",
		`round(note)`:                 "round does not take (text); write number(…)",
		`part(note, 1, 2)`:            "part does not take (text, number, number); write number(…)",
		`note.startsWith(1)`:          "startsWith does not take",
		`[debit, credit]`:             "gives a list(string), which is no cell",
		`{"a": note}`:                 "this has no place in an expression over a record",
		`note && true`:                "expected type 'bool' but found 'string'",
		`true ? note : 1`:             "?: does not take (truth value, text, number)",
		`null == note`:                "there are texts in quotes, numbers, true and false",
		`0x1F`:                        "at character 1: ",
		`note.exists(x, x == "a")`:    "there is no function exists here",
		`has(berth.quay)`:             "there is no function has here",
		`99999999999999999999999`:     "",
		strings.Repeat("(", 300):      "",
		strings.Repeat("note+", 1000): "it may have at most 4000",
	} {
		p, err := expression.Compile(text, columns)
		var e *expression.Error
		if !errors.As(err, &e) || !strings.Contains(err.Error(), want) || e.At < 1 || strings.Contains(err.Error(), "\n") {
			t.Errorf("%.60s: %v, %v, want %q", text, p, err, want)
		}
	}
}

func TestWants(t *testing.T) {
	p, err := expression.Compile(`number(debit) >= 100`, columns)
	if err != nil || p.Kind() != expression.Boolean {
		t.Fatal(p, err)
	}
	e := p.Evaluator()
	b := batch(row, strings.Replace(row, "1204.50", "99.99", 1), strings.Replace(row, "1204.50", "∅", 1), strings.Replace(row, "1204.50", "x", 1))
	for i, want := range []string{"true <nil>", "false <nil>", "false <nil>", `false "x" is not a number`} {
		wanted, err := e.Wants(b, i)
		if got := fmt.Sprint(wanted, err); got != want && !(err != nil && strings.HasSuffix(want, err.Error())) {
			t.Errorf("record %d: %s, want %s", i, got, want)
		}
	}
}

// TestAgainstRationals holds random arithmetic against another library's rational numbers.
// TestWantsTexts: a filter over texts says the same as over a batch, and knows which columns it reads.
func TestWantsTexts(t *testing.T) {
	columns := []string{"fee", "quay", "call.no", "remark"}
	p, err := expression.Compile(`call.no != "" && (number(fee) > 2 || call.no.startsWith("A") || fee == "")`, columns)
	if err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(p.Columns()); got != "[0 2]" {
		t.Errorf("it reads the columns %s", got)
	}
	for _, row := range [][]string{{"3", "x", "B", ""}, {"1", "", "A", ""}, {"1", "", "B", ""}, {"", "", "B", ""}, {"9", "", "", ""}, {"n/a", "", "B", ""}, {"n/a", "", "A", ""}} {
		var cells []record.Cell
		for _, text := range row {
			cells = append(cells, record.Cell{Text: text})
		}
		e := p.Evaluator()
		want, wrong := e.Holds(cells)
		got, err := e.WantsTexts(func(column int) string { return row[column] })
		if got != want || (err == nil) != (wrong == nil) {
			t.Errorf("%q: %v, %v, want %v, %v", row, got, err, want, wrong)
		}
		if again, _ := e.Holds(cells); again != want {
			t.Errorf("%q: after texts, cells give %v", row, again)
		}
	}
}

func TestAgainstRationals(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var make func(depth int) (string, *big.Rat)
	make = func(depth int) (string, *big.Rat) {
		if depth == 0 || r.IntN(5) == 0 {
			text := fmt.Sprintf("%d.%0*d", r.IntN(100_000), 1+r.IntN(12), r.IntN(10))
			v, _ := new(big.Rat).SetString(text)
			return text, v
		}
		a, x := make(depth - 1)
		b, y := make(depth - 1)
		switch r.IntN(4) {
		case 0:
			return "(" + a + " + " + b + ")", x.Add(x, y)
		case 1:
			return "(" + a + " - " + b + ")", x.Sub(x, y)
		case 2:
			return "(" + a + " * " + b + ")", x.Mul(x, y)
		}
		return "(-" + a + ")", x.Neg(x)
	}
	b := batch(row)
	for range 500 {
		text, want := make(4)
		p, err := expression.Compile(text, columns)
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		got, _, err := p.Evaluator().Cell(b, 0)
		v, ok := new(big.Rat).SetString(got)
		if err != nil || !ok || v.Cmp(want) != 0 {
			t.Fatalf("%s: %s, %v, want %s", text, got, err, want.FloatString(60))
		}
	}
}

// reader gives batches.
type reader struct {
	names   []string
	batches []*record.Batch
}

func (r *reader) Columns() []string { return r.names }
func (r *reader) Rejects() int64    { return 0 }
func (r *reader) Bytes() int64      { return 0 }
func (r *reader) Next() (*record.Batch, error) {
	if len(r.batches) == 0 {
		return nil, io.EOF
	}
	b := r.batches[0]
	r.batches = r.batches[1:]
	return b, nil
}

func TestCompute(t *testing.T) {
	source := &reader{columns, []*record.Batch{batch(row, strings.Replace(row, "1204.50", "seven", 1)), batch(strings.Replace(row, "|1204.50||", "|∅|7|", 1))}}
	c, err := expression.Compute(source, []expression.Column{{Name: "amount", Expression: "zero(debit) - zero(credit)"}, {Name: "twice", Expression: "number(amount) * 2"},
		{Name: "quiet", Expression: `note == "n/a" ? "" : note`}})
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(c.Columns(), " "); got != strings.Join(columns, " ")+" amount twice quiet" {
		t.Errorf("columns %s", got)
	}
	var got []string
	for {
		b, err := c.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		for i := range b.Records() {
			cells := b.Cells(i)
			got = append(got, fmt.Sprint(b.Line(i), cells[1], cells[8:]))
		}
	}
	want := []string{`2 {1204.50 false} [{1204.5 false} {2409 false} { true}]`,
		`3 {seven false} [{#uncomputed: "seven" is not a number (record 2) false} {#uncomputed: "#uncomputed: \"seven\" is not a number (record 2)" is not a number (record 2) false} { true}]`,
		`2 { true} [{-7 false} {-14 false} { true}]`}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if f := fmt.Sprint(c.Failures()); f != `[{amount 1 3 "seven" is not a number} {twice 1 3 "#uncomputed: \"seven\" is not a number (record 2)" is not a number}]` {
		t.Errorf("failures %s", f)
	}
	for want, bad := range map[string]expression.Column{
		`the computed column "debit": there is a column of that name already; give it another`: {Name: "debit", Expression: "1"},
		`the computed column "": it has no name`:                                               {Expression: "1"},
		`the computed column "x": at character 1: there is no column "debut"; did you mean "debit"? Columns: "call_no", "debit", "credit", "Service Date", "berth.quay", "note", "in", "many"`: {Name: "x", Expression: "debut"},
	} {
		if _, err := expression.Compute(source, []expression.Column{bad}); err == nil || err.Error() != want {
			t.Errorf("%+v: %v, want %s", bad, err, want)
		}
	}
}

func ExampleCompile() {
	p, err := expression.Compile(`zero(debit) - zero(credit)`, []string{"debit", "credit"})
	if err != nil {
		fmt.Println(err)
		return
	}
	b := record.NewBuilder(2)
	b.Null(0)
	b.Cell(1, []byte("1204.50"))
	b.Close(2)
	text, _, _ := p.Evaluator().Cell(b.Flush(), 0)
	fmt.Println(p.Kind(), text)
	// Output: number -1204.5
}

// BenchmarkCompute computes a column of sums for a batch of records; its figure is for one record.
func BenchmarkCompute(b *testing.B) {
	build := record.NewBuilder(2)
	for i := range 16_000 {
		build.Cell(0, fmt.Appendf(nil, "%d.%02d", i%2000, i%100))
		build.Cell(1, []byte(""))
		build.Close(0)
	}
	one := build.Flush()
	source := &reader{names: []string{"debit", "credit"}}
	c, err := expression.Compute(source, []expression.Column{{Name: "signed", Expression: "zero(debit) - zero(credit)"}})
	if err != nil {
		b.Fatal(err)
	}
	for n := 0; b.Loop(); n++ {
		if n%16_000 == 0 {
			source.batches = append(source.batches, one)
			if _, err := c.Next(); err != nil {
				b.Fatal(err)
			}
		}
	}
}
