package match_test

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"

	"twinsieve/core/expression"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/tray"
)

// A side filter, and the same in Go: whether it wants a record of a side. An undecidable record is not wanted.
type lifelikeFilter struct {
	text  string
	wants func(row []string, side int) bool
}

func filterDate(row []string, side int) string {
	if side == 0 || row[3] == "" {
		return row[3]
	}
	return row[3][6:] + "-" + row[3][3:5] + "-" + row[3][:2]
}

func filterAmount(row []string) (amount *big.Rat, ok bool) {
	amount, bad := oracleNumber(strings.TrimSpace(row[2]))
	return amount, !bad
}

func atLeast(row []string, least int64) bool {
	amount, ok := filterAmount(row)
	return ok && amount != nil && amount.Cmp(big.NewRat(least, 1)) >= 0
}

// lifelikeFilters use every function of the language. DAY stands for the day as the side writes it.
var lifelikeFilters = []lifelikeFilter{
	{`DAY >= date("2031-03-15")`, func(row []string, side int) bool { return filterDate(row, side) >= "2031-03-15" }},
	{`!(DAY < date("2031-03-09")) || blank(DAY)`, func(row []string, side int) bool { return row[3] == "" || filterDate(row, side) >= "2031-03-09" }},
	{`text(DAY).endsWith("7")`, func(row []string, side int) bool { return strings.HasSuffix(filterDate(row, side), "7") }},
	{`number(amount) >= 20`, func(row []string, _ int) bool { return atLeast(row, 20) }},
	{`round(number(amount), 0) == 10 || zero(amount) == 0`, func(row []string, _ int) bool {
		amount, ok := filterAmount(row)
		if !ok || amount == nil || amount.Sign() == 0 {
			return ok
		}
		rounded, _ := strconv.Atoi(amount.FloatString(0)) // halves away from zero, as the language rounds
		return rounded == 10
	}},
	{`abs(zero(amount) - 30) < 5.5 && length(note) >= 1`, func(row []string, _ int) bool {
		amount, ok := filterAmount(row)
		if amount == nil {
			amount = new(big.Rat)
		}
		d := new(big.Rat).Sub(amount, big.NewRat(30, 1))
		return ok && d.Abs(d).Cmp(big.NewRat(11, 2)) < 0 && utf8.RuneCountInString(row[4]) >= 1
	}},
	{`divide(zero(zero(amount)), 7, 3) * 2 <= 4.0`, func(row []string, _ int) bool {
		amount, ok := filterAmount(row)
		if amount == nil {
			amount = new(big.Rat)
		}
		quotient, _ := new(big.Rat).SetString(new(big.Rat).Quo(amount, big.NewRat(7, 1)).FloatString(3))
		return ok && quotient.Cmp(big.NewRat(2, 1)) <= 0
	}},
	{`number(replace(amount, ".", ","), "comma") > 44 ? true : zero(replace(amount, ".", ","), "comma") < 3`, func(row []string, _ int) bool {
		amount, ok := filterAmount(row)
		switch {
		case !ok:
			return false
		case amount == nil:
			return true
		}
		return amount.Cmp(big.NewRat(44, 1)) > 0 || amount.Cmp(big.NewRat(3, 1)) < 0
	}},
	{`k1.matches("[2468]$")`, func(row []string, _ int) bool { return regexp.MustCompile("[2468]$").MatchString(row[0]) }},
	{`k1.matches(first(note, 1) + "|[13579]$") && last(trim(upper(k1)), 2) != "00"`, func(row []string, _ int) bool {
		letter, _ := utf8.DecodeRuneInString(row[4])
		odd := row[0] != "" && strings.ContainsAny(row[0][len(row[0])-1:], "13579")
		return (row[4] == "" || strings.ContainsRune(row[0], letter) || odd) && !strings.HasSuffix(strings.TrimSpace(row[0]), "00")
	}},
	{`part(k1, "-", 2) in ["0001", "0002", "0003"] || part(k1, "-", -1) > "0100"`, func(row []string, _ int) bool {
		parts := strings.Split(row[0], "-")
		second, last := "", parts[len(parts)-1]
		if len(parts) > 1 {
			second = parts[1]
		}
		return second == "0001" || second == "0002" || second == "0003" || last > "0100" && last != ""
	}},
	{`lower(first(k1, 2)) == "mw" && (note.contains("n") || note == "") && note.startsWith(note)`, func(row []string, _ int) bool {
		return strings.HasPrefix(strings.ToLower(row[0]), "mw") && (strings.Contains(row[4], "n") || row[4] == "")
	}},
	{`text(number(amount)) + text(true) != column("amount") + "true"`, func(row []string, _ int) bool {
		amount, ok := filterAmount(row)
		if !ok {
			return false
		}
		text := ""
		if amount != nil {
			if text = amount.FloatString(4); strings.Contains(text, ".") {
				text = strings.TrimSuffix(strings.TrimRight(text, "0"), ".")
			}
		}
		return text != row[2]
	}},
}

// lifelikeCase is a case of so many records a side: keys that repeat, that are written differently, that are blank; amounts and days
// that are blank or cannot be read; and a filter on both sides.
func lifelikeCase(r *rand.Rand, records int, f lifelikeFilter) *oracleCase {
	c := &oracleCase{parts: 2, fields: 3, lookup: map[string]string{"PIL": "P", "pilotage": "p", "tug ": "T"}}
	for s := range 2 {
		for range records {
			key := fmt.Sprintf("MW-%04d", r.IntN(records*2/3))
			if r.IntN(5) == 0 {
				key = " " + strings.ToLower(strings.Replace(key, "-0", "-", 1))
			}
			day := fmt.Sprintf([]string{"2031-03-%02d", "%02d.03.2031"}[s], 1+r.IntN(28))
			row := []string{key, []string{"PIL", "p", "pilotage", "tug ", "t"}[r.IntN(5)], fmt.Sprintf("%d.%02d", r.IntN(50), r.IntN(3)), day, []string{"n", "m", "é n", "N"}[r.IntN(4)]}
			switch r.IntN(40) {
			case 0:
				row[r.IntN(2)] = []string{"", "  "}[r.IntN(2)]
			case 1:
				row[2] = []string{"", "oops", "1e1"}[r.IntN(2)]
			case 2:
				row[3+r.IntN(2)] = ""
			}
			c.rows[s] = append(c.rows[s], row)
			c.excluded[s] = append(c.excluded[s], !f.wants(row, s))
		}
	}
	return c
}

// where is a filter as a side has it.
func (f lifelikeFilter) where(t testing.TB, s tray.Side) *expression.Program {
	t.Helper()
	day := []string{"date(day)", `date(day, "DD.MM.YYYY")`}[s]
	p, err := expression.Compile(strings.ReplaceAll(f.text, "DAY", day), append(caseColumns[:len(caseColumns):len(caseColumns)], "out"))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestManyBatches holds sets of more than one batch, with filters that use every function, lookups and repeated keys, against the
// oracle: by several numbers of workers, within the memory and beyond it.
func TestManyBatches(t *testing.T) {
	records, filters, workers := record.BatchRecords+5000, lifelikeFilters, []int{1, 2, 3, 8}
	if testing.Short() { // as the race detector runs it
		filters, workers = []lifelikeFilter{filters[0], filters[3], filters[9]}, []int{3}
	}
	used := map[string]bool{}
	for n, f := range lifelikeFilters {
		for _, fn := range expression.Functions() {
			used[fn.Name] = used[fn.Name] || regexp.MustCompile(`\b`+fn.Name+`\(`).MatchString(strings.ReplaceAll(f.text, "DAY", "date(day)"))
		}
		if n >= len(filters) {
			continue
		}
		f := filters[n]
		c := lifelikeCase(rand.New(rand.NewPCG(22, uint64(n))), records, f)
		want := c.solve()
		plan, tables := c.inputs(t, record.BatchRecords)
		for _, s := range tray.Sides {
			plan.Where[s] = f.where(t, s)
		}
		spilled := int64(0)
		for _, w := range workers {
			for _, budget := range []int64{0, 1 << 20}[w%2:] { // with odd numbers of workers, only beyond the memory
				index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{Workers: w, Budget: budget, TempDir: t.TempDir()})
				if err != nil {
					t.Fatal(err)
				}
				checkCase(t, fmt.Sprintf("%s, %d workers", f.text, w), want, plan, index)
				if t.Failed() {
					t.FailNow()
				}
				if index.Rechecked[0] == 0 || index.Rechecked[1] == 0 {
					t.Fatal("nothing was evaluated again")
				}
				spilled += index.Spilled
			}
		}
		if spilled == 0 {
			t.Errorf("%s: nothing was spilled", f.text)
		}
	}
	for _, fn := range expression.Functions() {
		if !used[fn.Name] {
			t.Errorf("no filter uses %s", fn.Name)
		}
	}
}

// fickle is a table one of whose cells says something else each time it is read.
type fickle struct {
	record.Table
	t      testing.TB
	column int
	rows   [][]string
	read   int
}

func (f *fickle) Batch(_ context.Context, i int) (*record.Batch, error) {
	f.read++
	rows := append([][]string{}, f.rows...)
	rows[3] = append([]string{}, rows[3]...)
	rows[3][f.column] = fmt.Sprint(f.read)
	return recordtest.Batches(f.t, f.Columns(), rows, 1<<20).Batch(context.Background(), i)
}

// TestRecheck holds that records that evaluate to something else the second time fail the match, whether it is their filter, their key
// or a field that differs, and that other columns do not count.
func TestRecheck(t *testing.T) {
	columns := append(caseColumns[:len(caseColumns):len(caseColumns)], "out")
	c := &oracleCase{parts: 1, fields: 1}
	for s := range 2 {
		for range 6 {
			c.rows[s], c.excluded[s] = append(c.rows[s], []string{"a", "b", "1", "", ""}), append(c.excluded[s], false)
		}
	}
	plan, tables := c.inputs(t, 100)
	var rows [][]string
	for _, row := range c.rows[1] {
		rows = append(rows, append(row, ""))
	}
	filtered := *plan
	filtered.Where[1] = filter
	for column, differs := range map[int]bool{0: true, 1: false, 2: true, 3: false, 4: false, 5: true} {
		p := plan
		if column == 5 {
			p = &filtered
		}
		right := &fickle{Table: tables[1], t: t, column: column, rows: rows, read: -1}
		_, err := match.Build(context.Background(), p, tables[0], right, match.Options{Workers: 1})
		wrong := new(match.RecheckError)
		if errors.As(err, &wrong) != differs || err != nil && !differs {
			t.Errorf("column %s: %v", columns[column], err)
		}
		if differs && !reflect.DeepEqual(*wrong, match.RecheckError{Side: tray.Right, First: 1, Last: 6}) {
			t.Errorf("column %s: %v", columns[column], wrong)
		}
	}
}
