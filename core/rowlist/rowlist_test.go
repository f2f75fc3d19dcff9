package rowlist_test

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"twinsieve/core/comparison"
	"twinsieve/core/expression"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/rowlist"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// The columns of both sides. On the left amounts have a point and days the year in front, on the right a comma and the day.
var names = []string{"k", "amount", "day", "t"}

var types = [2][]typing.Type{
	{{Name: typing.Text}, {Name: typing.Decimal, Form: typing.Point}, {Name: typing.Date, Form: "YYYY-MM-DD"}, {Name: typing.Text}},
	{{Name: typing.Text}, {Name: typing.Decimal, Form: typing.Comma}, {Name: typing.Date, Form: "DD.MM.YYYY"}, {Name: typing.Text}},
}

type bench struct {
	rows   [2][][]string
	tables [2]record.Table
	groups *comparison.Groups
	src    rowlist.Source
	choice comparison.Choice
}

func newBench(t testing.TB, r *rand.Rand, records int, n comparison.Name) *bench {
	b := &bench{choice: comparison.Choice{Comparison: n}}
	pick := func(from ...string) string { return from[r.IntN(len(from))] }
	for s := range 2 {
		for range r.IntN(records) + records/2 {
			amount := pick("", "n/a", strconv.Itoa(r.IntN(2000)-1000), fmt.Sprintf("%d.%d", r.IntN(40)-20, r.IntN(100)), "0.05", "0.5", "-0.5", "1200", "99999999999999.01")
			day := fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(3), 1+r.IntN(28))
			if s == 1 {
				amount = strings.ReplaceAll(amount, ".", ",")
				day = day[8:] + "." + day[5:7] + "." + day[:4]
			}
			b.rows[s] = append(b.rows[s], []string{strconv.Itoa(r.IntN(records)), amount, pick(day, "", "soon"), pick("", "a", "ab", "b", "ä", "a\x00", "a\x00\x01", "\xff")})
		}
		b.tables[s] = recordtest.Batches(t, names, b.rows[s], 50)
	}
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}}}}
	plan, err := d.Compile(names, names)
	if err != nil {
		t.Fatal(err)
	}
	index, err := match.Build(context.Background(), plan, b.tables[0], b.tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	b.groups = comparison.NewGroups(index)
	columns, err := comparison.ColumnsOf(b.choice, [2][]string{names, names}, nil, comparison.Naming{Sets: [2]string{"log", "bills"}})
	if err != nil {
		t.Fatal(err)
	}
	b.src = rowlist.Source{Rows: comparison.NewRows(b.groups, b.choice), Tables: b.tables, Columns: columns}
	return b
}

// key is a sort key by the name of a column.
func (b *bench) key(name string, descending, blanksFirst bool) rowlist.Key {
	at := slices.IndexFunc(b.src.Columns, func(c comparison.Column) bool { return c.Name == name })
	col := slices.Index(names, name[strings.LastIndex(name, ".")+1:])
	k := rowlist.Key{Column: at, Descending: descending, BlanksFirst: blanksFirst}
	if col >= 0 {
		k.Types = [2]typing.Type{types[0][col], types[1][col]}
	}
	return k
}

func (b *bench) all() []comparison.Row {
	rows := make([]comparison.Row, b.src.Rows.Len())
	return rows[:b.src.Rows.Read(0, rows)]
}

func listed(t testing.TB, l *rowlist.List) []comparison.Row {
	t.Helper()
	rows := make([]comparison.Row, l.Len()+1)
	n, err := l.Read(0, rows)
	if err != nil || int64(n) != l.Len() {
		t.Fatalf("%d of %d rows were read: %v", n, l.Len(), err)
	}
	page := make([]comparison.Row, 7)
	for first := int64(0); first < int64(n); first += 5 {
		got, err := l.Read(first, page)
		if want := rows[first:min(first+7, int64(n))]; err != nil || !slices.Equal(page[:got], want) {
			t.Fatalf("rows from %d on are %v, want %v: %v", first, page[:got], want, err)
		}
	}
	return rows[:n]
}

// value is what the oracle sorts by: the kind of a cell, and its number or text.
type value struct {
	kind   int // 0 value, 1 unreadable, 2 blank, 3 no partner
	number *big.Rat
	text   string
}

func (b *bench) value(row comparison.Row, k rowlist.Key) value {
	col := b.src.Columns[k.Column]
	if col.Presence {
		return value{text: map[bool]string{true: "yes", false: "no"}[row[col.Side] != comparison.None]}
	}
	s, _ := col.Of()
	if row[s] == comparison.None {
		return value{kind: 3}
	}
	text := b.rows[s][row[s]][col.From[s]]
	if text == "" {
		return value{kind: 2}
	}
	switch names[col.From[s]] {
	case "amount":
		n, ok := new(big.Rat).SetString(strings.ReplaceAll(text, ",", "."))
		if !ok {
			return value{kind: 1, text: text}
		}
		return value{number: n}
	case "day":
		if text == "soon" {
			return value{kind: 1, text: text}
		}
		if s == 1 {
			text = text[6:] + text[3:5] + text[:2]
		}
		return value{text: strings.ReplaceAll(text, "-", "")}
	}
	return value{text: text}
}

func (b *bench) compare(x, y comparison.Row, k rowlist.Key) int {
	p, q := b.value(x, k), b.value(y, k)
	rank := func(v value) int {
		if k.BlanksFirst && v.kind >= 2 {
			return -v.kind
		}
		return v.kind
	}
	by := cmp.Compare(rank(p), rank(q))
	if by != 0 || p.kind >= 2 {
		return by
	}
	if by = cmp.Compare(p.text, q.text); p.number != nil {
		by = p.number.Cmp(q.number)
	}
	if k.Descending && p.kind == 0 {
		return -by
	}
	return by
}

// TestSort holds sorted rows against a stable sort by values that are read apart, in memory and with a budget so small that all
// goes through files.
func TestSort(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 2))
	spilled := 0
	for range 60 {
		b := newBench(t, r, 60, []comparison.Name{"full", "inner", "left", "right"}[r.IntN(4)])
		var query rowlist.Query
		for range 1 + r.IntN(3) {
			name := names[r.IntN(len(names))]
			query.Sort = append(query.Sort, b.key([]string{"log.", "bills."}[r.IntN(2)]+name, r.IntN(2) == 0, r.IntN(3) == 0))
		}
		if b.choice.Comparison != "inner" && r.IntN(3) == 0 {
			query.Sort = slices.Insert(query.Sort, 0, b.key("in bills", r.IntN(2) == 0, false))
		}
		want := b.all()
		slices.SortStableFunc(want, func(x, y comparison.Row) int {
			for _, k := range query.Sort {
				if by := b.compare(x, y, k); by != 0 {
					return by
				}
			}
			return 0
		})
		for _, opts := range []rowlist.Options{{}, {Workers: 3, Budget: 1 << 10, TempDir: t.TempDir()}} {
			list, left, err := rowlist.Build(context.Background(), b.src, query, opts)
			if err != nil {
				t.Fatal(err)
			}
			if got := listed(t, list); !slices.Equal(got, want) || left != (rowlist.Left{}) {
				t.Fatalf("%s sorted by %v:\n got %v\nwant %v\nleft %v", b.choice.Comparison, query.Sort, got, want, left)
			}
			if list.Bytes() == 0 && len(want) > 0 {
				spilled++
			}
			if err := list.Close(); err != nil {
				t.Fatal(err)
			}
		}
	}
	if spilled < 50 {
		t.Errorf("only %d lists went to files", spilled)
	}
}

// TestFilter: rows are kept in default order; those that are not are counted, with how many of them had no partner, and those for
// which the filter could not be decided.
func TestFilter(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 3))
	undecided := int64(0)
	for range 40 {
		b := newBench(t, r, 60, "full")
		var all []string
		for _, c := range b.src.Columns {
			all = append(all, c.Name)
		}
		where, err := expression.Compile(`column("in bills") == "no" || number(column("bills.amount"), "comma") > 0.5`, all)
		if err != nil {
			t.Fatal(err)
		}
		var want []comparison.Row
		var wantLeft rowlist.Left
		for _, row := range b.all() {
			v := b.value(row, b.key("bills.amount", false, false))
			if v.kind == 3 || v.kind == 0 && v.number.Cmp(big.NewRat(1, 2)) > 0 {
				want = append(want, row)
				continue
			}
			wantLeft.Rows++
			if row[0] == comparison.None || row[1] == comparison.None {
				wantLeft.Lonely++
			}
			if v.kind == 1 {
				wantLeft.Undecided++
			}
		}
		for _, opts := range []rowlist.Options{{}, {Workers: 1, Budget: 1 << 10, TempDir: t.TempDir()}} {
			list, left, err := rowlist.Build(context.Background(), b.src, rowlist.Query{Where: where}, opts)
			if err != nil {
				t.Fatal(err)
			}
			if left.Undecided > 0 && !strings.Contains(left.Why, "n/a") {
				t.Errorf("undecided because %q", left.Why)
			}
			left.Why = ""
			if got := listed(t, list); !slices.Equal(got, want) || left != wantLeft {
				t.Fatalf("kept %v, want %v; left %v, want %v", got, want, left, wantLeft)
			}
			undecided += left.Undecided
			totals, err := rowlist.Totals(context.Background(), b.src, b.groups, b.choice, list, []int{1, 5}, [][2]typing.Type{{types[0][1]}, {{}, types[1][1]}})
			if err != nil {
				t.Fatal(err)
			}
			b.checkTotals(t, totals, want)
			_ = list.Close()
		}
	}
	if undecided < 40 {
		t.Errorf("only %d rows were undecided", undecided)
	}
}

// checkTotals adds up the amounts of both sides row by row.
func (b *bench) checkTotals(t *testing.T, totals []rowlist.Total, rows []comparison.Row) {
	t.Helper()
	for i, side := range []string{"log.amount", "bills.amount"} {
		var want rowlist.Total
		sum := new(big.Rat)
		k := b.key(side, false, false)
		if k.Column < 0 { // a one-sided table names it plainly
			continue
		}
		for _, row := range rows {
			switch v := b.value(row, k); v.kind {
			case 0:
				sum.Add(sum, v.number)
				want.Values++
			case 1:
				want.Unreadable++
			case 2:
				want.Blank++
			}
		}
		got, ok := new(big.Rat).SetString(totals[i].Sum)
		if want.Sum = totals[i].Sum; !ok || got.Cmp(sum) != 0 || totals[i] != want {
			t.Fatalf("%s %s: %v, want %v and %s", b.choice.Comparison, side, totals[i], want, sum.FloatString(4))
		}
	}
}

// TestTotals: the totals of rows that are not made are those of the rows, of every comparison that shows amounts of both sides.
func TestTotals(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 4))
	for _, n := range []comparison.Name{"full", "inner", "left", "right", "full-anti", "cross", "by-position"} {
		b := newBench(t, r, 40, n)
		totals, err := rowlist.Totals(context.Background(), b.src, b.groups, b.choice, nil, []int{1, 5}, [][2]typing.Type{{types[0][1]}, {{}, types[1][1]}})
		if err != nil {
			t.Fatal(err)
		}
		b.checkTotals(t, totals, b.all())
	}
}

// TestCancel: a list that is cancelled is not there.
func TestCancel(t *testing.T) {
	b := newBench(t, rand.New(rand.NewPCG(5, 5)), 3000, "cross")
	ctx, cancel := context.WithCancel(context.Background())
	list, _, err := rowlist.Build(ctx, b.src, rowlist.Query{Sort: []rowlist.Key{b.key("log.t", false, false)}}, rowlist.Options{Budget: 1 << 20, TempDir: t.TempDir(),
		Progress: func(_ string, done, total int64) {
			if done > 0 && done < total {
				cancel()
			}
		}})
	if !errors.Is(err, context.Canceled) || list != nil {
		t.Errorf("the list is %v: %v", list, err)
	}
}

// TestTooMany: what would fill the disk is refused before it begins.
func TestTooMany(t *testing.T) {
	rows := [][]string{}
	for i := range 40_000 {
		rows = append(rows, []string{strconv.Itoa(i)})
	}
	table := recordtest.Batches(t, names[:1], rows, 5000)
	plan, err := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}}}}.Compile(names[:1], names[:1])
	if err != nil {
		t.Fatal(err)
	}
	index, err := match.Build(context.Background(), plan, table, table, match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	src := rowlist.Source{Rows: comparison.NewRows(comparison.NewGroups(index), comparison.Choice{Comparison: "cross"}), Tables: [2]record.Table{table, table}}
	fault := new(rowlist.TooMany)
	if list, _, err := rowlist.Build(context.Background(), src, rowlist.Query{}, rowlist.Options{}); !errors.As(err, &fault) || list != nil || fault.Rows != 1_600_000_000 {
		t.Errorf("%v, %v", list, err)
	}
}

// TestDropped: the totals of what a comparison drops are those of the other rows.
func TestDropped(t *testing.T) {
	b := newBench(t, rand.New(rand.NewPCG(5, 6)), 60, "inner")
	dropped := comparison.Choice{Comparison: "inner", Dropped: true, Side: tray.Left}
	columns, err := comparison.ColumnsOf(dropped, [2][]string{names, names}, nil, comparison.Naming{})
	if err != nil {
		t.Fatal(err)
	}
	src := rowlist.Source{Rows: comparison.NewRows(b.groups, dropped), Tables: b.tables, Columns: columns}
	got, err := rowlist.Totals(context.Background(), src, b.groups, dropped, nil, []int{1}, [][2]typing.Type{{types[0][1]}})
	if err != nil {
		t.Fatal(err)
	}
	anti := comparison.Choice{Comparison: "left-anti"}
	want, err := rowlist.Totals(context.Background(), src, b.groups, anti, nil, []int{1}, [][2]typing.Type{{types[0][1]}})
	if err != nil || got[0] != want[0] || got[0].Values == 0 || src.Rows.Len() != comparison.NewRows(b.groups, anti).Len() {
		t.Errorf("dropped: %v, want %v, %v", got, want, err)
	}
}

// TestFilterByManyWorkers holds that a filter whose functions prepare something keeps the same rows by any number of workers, and
// those that it means.
func TestFilterByManyWorkers(t *testing.T) {
	records := record.BatchRecords
	if testing.Short() { // as the race detector runs it
		records = 2000
	}
	b := newBench(t, rand.New(rand.NewPCG(22, 3)), records, comparison.Left)
	texts := make([]string, len(b.src.Columns))
	for c, col := range b.src.Columns {
		texts[c] = col.Name
	}
	where, err := expression.Compile(`date(log.day) >= date("2031-02-10") && log.k.matches(last(log.k, 1) + "$|^" + log.t)`, texts)
	if err != nil {
		t.Fatal(err)
	}
	want := 0
	for _, row := range b.all() {
		if day := b.rows[0][row[0]][2]; day != "soon" && day >= "2031-02-10" && b.rows[0][row[0]][3] != "\xff" { // which is not a pattern
			want++
		}
	}
	for _, workers := range []int{1, 2, 3, 8} {
		l, left, err := rowlist.Build(context.Background(), b.src, rowlist.Query{Where: where}, rowlist.Options{Workers: workers})
		if err != nil {
			t.Fatal(err)
		}
		if l.Len() != int64(want) || left.Rows != b.src.Rows.Len()-int64(want) || want == 0 {
			t.Errorf("%d workers keep %d rows and leave out %d, want %d of %d", workers, l.Len(), left.Rows, want, b.src.Rows.Len())
		}
		_ = l.Close() // keeps nothing but memory
	}
}
