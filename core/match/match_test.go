package match_test

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"os"
	"reflect"
	"slices"
	"testing"

	"twinsieve/core/balance"
	"twinsieve/core/comparison"
	"twinsieve/core/exact"
	"twinsieve/core/expression"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

var caseColumns = []string{"k1", "k2", "amount", "day", "note"}

func (c *oracleCase) definition(t testing.TB) sieve.Definition {
	chain := reading.MustParse("trim", "ignore-case", "drop-zeros-in-digit-runs")
	d := sieve.Definition{Amounts: []sieve.Amount{{Columns: sieve.Columns{Left: "amount"}}}}
	for p := range c.parts {
		k := sieve.KeyPart{Columns: sieve.Columns{Left: caseColumns[p]}, Readings: chain}
		if p == 0 && c.blanksEqual {
			k.Blanks = "equal"
		}
		if p == 1 && c.lookup != nil {
			list := reading.List{Name: "codes"}
			for from, to := range c.lookup {
				list.Pairs = append(list.Pairs, [2]string{from, to})
			}
			d.Lookups, k.Readings = []reading.List{list}, append(reading.MustParse("lookup codes"), chain...)
		}
		d.Key = append(d.Key, k)
	}
	fields := []sieve.Field{
		{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "0.05"},
		{Columns: sieve.Columns{Left: "day"}, As: "date", Within: "1", Readings: reading.MustParse("right date DD.MM.YYYY")},
		{Columns: sieve.Columns{Left: "note"}},
	}
	d.Compare = fields[:c.fields]
	if c.totals {
		d.Repeats = "totals"
	}
	if c.currency {
		d.Currency = &sieve.Currency{Columns: sieve.Columns{Left: "note"}}
	}
	return d
}

// match builds the case's index with the given options.
func (c *oracleCase) match(t testing.TB, batch int, opts match.Options) (*sieve.Plan, *match.Index) {
	t.Helper()
	plan, tables := c.inputs(t, batch)
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], opts)
	if err != nil {
		t.Fatal(err)
	}
	return plan, index
}

// inputs are the case's plan and its two sides, in batches of so many records.
func (c *oracleCase) inputs(t testing.TB, batch int) (*sieve.Plan, [2]record.Table) {
	t.Helper()
	columns := append(slices.Clone(caseColumns), "out")
	plan, err := c.definition(t).Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	plan.Crosswalk.Version = len(c.equal)
	for _, e := range c.equal {
		var keys [2][]string
		for s := range 2 {
			for _, cell := range c.rows[s][e[s]][:c.parts] {
				if isNull(cell) {
					cell = ""
				}
				keys[s] = append(keys[s], cell)
			}
		}
		plan.Crosswalk.Keys = append(plan.Crosswalk.Keys, sieve.KeysEqual{Left: keys[0], Right: keys[1]})
	}
	var tables [2]record.Table
	for s := range 2 {
		var rows [][]string
		for i, row := range c.rows[s] {
			out := ""
			if c.excluded[s][i] {
				out = []string{"1", "soon"}[i%2] // left out by the filter, or undecidable for it
				plan.Where[s] = filter
			}
			rows = append(rows, append(slices.Clone(row), out))
		}
		tables[s] = recordtest.Batches(t, columns, rows, batch)
	}
	return plan, tables
}

// filter is a side's row filter, compiled once for all cases.
var filter = func() *expression.Program {
	p, err := expression.Compile("zero(out) < 1", append(slices.Clone(caseColumns), "out"))
	if err != nil {
		panic(err)
	}
	return p
}()

func randomCase(r *rand.Rand) *oracleCase {
	pick := func(from ...string) string { return from[r.IntN(len(from))] }
	c := &oracleCase{parts: 1 + r.IntN(2), blanksEqual: r.IntN(3) == 0, fields: r.IntN(4), totals: r.IntN(4) == 0}
	keys := [][]string{{"a", "A", " a", "b", "\u00a0B "}, {"7", "07", "x07", "X7", "x70", "0"}, {"é", "É", "z9\n", "z09", "a", "b"}}[r.IntN(3)]
	for s := range 2 {
		n := r.IntN(9)
		for range n {
			day := 1 + r.IntN(3)
			date := fmt.Sprintf([]string{"2031-03-%02d", "%02d.03.2031"}[s], day)
			row := []string{pick(keys...), pick("p", "P", "q", "p"), pick("1", "1.0", "1.05", "1.06", "-2", "", "oops", "1.10"),
				pick(date, date, date, "", "soon"), pick("n", "m", "", "n")}
			if r.IntN(8) == 0 {
				row[r.IntN(2)] = pick("", " ", null)
			}
			if r.IntN(12) == 0 {
				row[2+r.IntN(3)] = recordtest.Marker + pick("7", "x") // which would be read, or not, if it were no marker
			}
			c.rows[s] = append(c.rows[s], row)
			c.excluded[s] = append(c.excluded[s], r.IntN(12) == 0)
		}
	}
	if r.IntN(4) == 0 && len(c.rows[0]) > 0 && len(c.rows[1]) > 0 {
		for range 1 + r.IntN(3) {
			c.equal = append(c.equal, [2]int{r.IntN(len(c.rows[0])), r.IntN(len(c.rows[1]))})
		}
	}
	c.currency = r.IntN(2) == 0
	return c
}

// withoutNulls is the case as the oracle reads it: a null has no text.
func (c *oracleCase) withoutNulls() *oracleCase {
	d := *c
	for s := range 2 {
		d.rows[s], d.came[s] = nil, c.rows[s]
		for _, row := range c.rows[s] {
			row = slices.Clone(row)
			for i := range row {
				if isNull(row[i]) {
					row[i] = ""
				}
			}
			d.rows[s] = append(d.rows[s], row)
		}
	}
	return &d
}

// TestOracle holds trays, pairs, comparison counts and totals against the oracle, for random small sets: once with the
// real hash, once with one so weak that different keys share it.
func TestOracle(t *testing.T) {
	weak := func(key []byte) uint64 { return uint64(len(key)%2) << 63 }
	for name, hash := range map[string]func([]byte) uint64{"real hash": nil, "weak hash": weak} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			const cases = 20_000
			r := rand.New(rand.NewPCG(8646, uint64(len(name))))
			var trays [tray.Count]int
			crowded, tied, mixed := 0, 0, int64(0)
			for n := range cases {
				c := randomCase(r)
				plain := c.withoutNulls()
				want := plain.solve()
				plan, index := c.match(t, 1+r.IntN(4), match.Options{Workers: 1 + n%3, Budget: 1 + int64(r.IntN(2))<<20, Hash: hash})
				checkCase(t, fmt.Sprintf("case %d: %+v", n, c), want, plan, index)
				if t.Failed() {
					return
				}
				for s := range 2 {
					for _, rec := range want.sides[s] {
						trays[rec.tray]++
					}
				}
				crowded += want.crowded
				tied += want.tied
				mixed += want.mixed
			}
			t.Logf("%d cases; records by tray %v; keys with l, r ≥ 2: %d; decided by content: %d; of several currencies: %d", cases, trays, crowded, tied, mixed)
			for _, at := range tray.All {
				if trays[at] < 1000 {
					t.Errorf("only %d records in tray %s: the cases no longer cover it", trays[at], at)
				}
			}
			if crowded < 1000 || tied < 1000 || mixed < 500 {
				t.Errorf("only %d crowded keys, %d ties and %d pairs of several currencies: the cases no longer cover them", crowded, tied, mixed)
			}
		})
	}
}

func checkCase(t *testing.T, about string, want *oracleAnswer, plan *sieve.Plan, index *match.Index) {
	t.Helper()
	for s := range 2 {
		for i, w := range want.sides[s] {
			partner := -1
			if p := index.Sides[s].Partners[i]; p != match.None {
				partner = int(p)
			}
			if got := (oracleRecord{index.Sides[s].Trays[i], partner}); got != w {
				t.Errorf("%s record %d: %v with partner %d, want %v with partner %d\n%s", tray.Side(s), i, got.tray, got.partner, w.tray, w.partner, about)
			}
		}
	}
	pairs := [tray.Count]int64{}
	for _, w := range want.sides[0] {
		if w.partner >= 0 {
			pairs[w.tray]++
		}
	}
	if index.Totals.Pairs != pairs {
		t.Errorf("%v pairs, want %v\n%s", index.Totals.Pairs, pairs, about)
	}
	for _, c := range comparison.Counts(&index.Totals) {
		if w, ok := want.counts[string(c.Comparison)]; !ok || c.Rows != w {
			t.Errorf("%s: %d rows, want %d\n%s", c.Comparison, c.Rows, w, about)
		}
	}
	b := balance.Of(plan, index)
	if !b.Holds() {
		t.Errorf("the balance does not close: %+v\n%s", b, about)
	}
	got := [2]map[oracleSum]*big.Rat{{}, {}}
	for _, a := range b.Amounts {
		currency := ""
		if a.Currency != nil {
			currency = *a.Currency
		}
		for s := range 2 {
			for _, at := range tray.All {
				sum, ok := new(big.Rat).SetString(a.Trays[s][at])
				if !ok || got[s][oracleSum{at, currency}] != nil {
					t.Errorf("%s amounts of %s in %q: %q, or twice\n%s", tray.Side(s), at, currency, a.Trays[s][at], about)
				}
				got[s][oracleSum{at, currency}] = sum
			}
		}
	}
	for s := range 2 {
		for by, w := range want.totals[s] {
			if got[s][by] == nil || got[s][by].Cmp(w) != 0 {
				t.Errorf("%s amounts of %v: %v, want %s\n%s", tray.Side(s), by, got[s][by], w.FloatString(2), about)
			}
			delete(got[s], by)
		}
		for by, sum := range got[s] {
			if sum.Sign() != 0 {
				t.Errorf("%s amounts of %v: %s, but there are no such records\n%s", tray.Side(s), by, sum.FloatString(2), about)
			}
		}
	}
	if index.Totals.Mixed != want.mixed {
		t.Errorf("%d matched pairs or groups of several currencies, want %d\n%s", index.Totals.Mixed, want.mixed, about)
	}
}

// TestIndexIsPure holds whole indexes of a larger problem against each other: any number of workers, any budget, any
// batch size and any hash give the same, and shuffled input gives the same up to record numbers.
func TestIndexIsPure(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	c := &oracleCase{parts: 2, fields: 3}
	for s := range 2 {
		for range 20_000 {
			row := []string{fmt.Sprintf("MW-%04d", r.IntN(9000)), fmt.Sprint(r.IntN(2)), fmt.Sprintf("%d.%02d", r.IntN(50), r.IntN(3)), "", "n"}
			c.rows[s] = append(c.rows[s], row)
			c.excluded[s] = append(c.excluded[s], false)
		}
	}
	_, want := c.match(t, 1000, match.Options{Workers: 1})
	if want.Spilled != 0 {
		t.Fatalf("spilled %d bytes within the budget", want.Spilled)
	}
	for _, o := range []match.Options{{Workers: 7}, {Workers: 2, Budget: 1}, {Workers: 3, Budget: 200_000, Hash: func(k []byte) uint64 { return uint64(k[3]) << 60 }}} {
		o.TempDir = t.TempDir()
		_, got := c.match(t, 333, o)
		if o.Budget > 0 && got.Spilled == 0 {
			t.Errorf("nothing was spilled with a budget of %d bytes", o.Budget)
		}
		if left, _ := os.ReadDir(o.TempDir); len(left) > 0 {
			t.Errorf("temporary files were left: %v", left)
		}
		for s := range 2 {
			if !slices.Equal(got.Sides[s].Trays, want.Sides[s].Trays) || !slices.Equal(got.Sides[s].Partners, want.Sides[s].Partners) || !slices.Equal(got.Sides[s].Keys, want.Sides[s].Keys) {
				t.Errorf("the index's %s side differs with %+v", tray.Side(s), o)
			}
		}
	}
	shuffled := *c
	var from [2][]int // where each record was before
	for s := range 2 {
		from[s] = r.Perm(len(c.rows[s]))
		shuffled.rows[s] = nil
		for _, i := range from[s] {
			shuffled.rows[s] = append(shuffled.rows[s], c.rows[s][i])
		}
	}
	_, got := shuffled.match(t, 1000, match.Options{})
	differ := 0
	for s := range 2 {
		content := func(side, i int, rows [][]string) string { return fmt.Sprint(rows[i]) }
		count := map[string]int{}
		for i, at := range want.Sides[s].Trays {
			partner := ""
			if p := want.Sides[s].Partners[i]; p != match.None {
				partner = content(1-s, int(p), c.rows[1-s])
			}
			count[content(s, i, c.rows[s])+at.String()+partner]++
		}
		for i, at := range got.Sides[s].Trays {
			partner := ""
			if p := got.Sides[s].Partners[i]; p != match.None {
				partner = content(1-s, int(p), shuffled.rows[1-s])
			}
			count[content(s, i, shuffled.rows[s])+at.String()+partner]--
		}
		for _, n := range count {
			if n != 0 {
				differ++
			}
		}
	}
	if differ > 0 {
		t.Errorf("shuffling the input changed %d trays or pairs", differ)
	}
}

// TestCancel stops a match in each of its stages.
func TestCancel(t *testing.T) {
	c := &oracleCase{parts: 1}
	for s := range 2 {
		for n := range 3000 {
			c.rows[s] = append(c.rows[s], []string{fmt.Sprint(n / 2), "", "", "", ""})
			c.excluded[s] = append(c.excluded[s], false)
		}
	}
	plan, err := c.definition(t).Compile(caseColumns, caseColumns)
	if err != nil {
		t.Fatal(err)
	}
	for _, stage := range []string{"reading keys", "matching", "repeated keys"} {
		ctx, cancel := context.WithCancel(context.Background())
		seen := false
		_, err := match.Build(ctx, plan, recordtest.Batches(t, caseColumns, c.rows[0], 100), recordtest.Batches(t, caseColumns, c.rows[1], 100),
			match.Options{Workers: 1, Progress: func(p match.Progress) {
				if p.Stage == stage {
					seen = true
					cancel()
				}
			}})
		cancel()
		if !seen || err != context.Canceled {
			t.Errorf("cancelled while %s (seen: %t): error %v", stage, seen, err)
		}
	}
}

// TestUnreadableAmountsAreListed checks that a balance names what it could not add.
func TestUnreadableAmountsAreListed(t *testing.T) {
	c := &oracleCase{parts: 1, fields: 1, excluded: [2][]bool{{false, false}, {false}}, rows: [2][][]string{
		{{"a", "", "12.x", "", ""}, {"b", "", "", "", ""}}, {{"a", "", "99999999999999999999.05", "", ""}}}}
	plan, index := c.match(t, 10, match.Options{})
	got := balance.Of(plan, index).Amounts[0]
	if got.Unreadable != [2]int64{1, 0} || got.Blank != [2]int64{1, 0} || len(got.Listed[0]) != 1 || got.Listed[0][0] != 0 {
		t.Errorf("unreadable %v blank %v listed %v", got.Unreadable, got.Blank, got.Listed)
	}
	if got.Right != "99999999999999999999.05" || got.Left != "0" {
		t.Errorf("totals %s and %s", got.Left, got.Right)
	}
	if _, ok := exact.Plain(nil, []byte(got.Right)); !ok {
		t.Error("a total is not in plain form")
	}
}

// TestVeryManyOfOneKey pairs a key with more possible pairs than are weighed: equal contents first, and the index says so.
func TestVeryManyOfOneKey(t *testing.T) {
	c := &oracleCase{parts: 1, fields: 1}
	for s := range 2 {
		for n := range 600 {
			c.rows[s] = append(c.rows[s], []string{"a", "", fmt.Sprint((n * 7919) % (600 + 100*s)), "", ""})
			c.excluded[s] = append(c.excluded[s], false)
		}
	}
	_, index := c.match(t, 100, match.Options{})
	if index.Totals.InOrder != 1 {
		t.Errorf("%d keys paired in order", index.Totals.InOrder)
	}
	for _, budget := range []int64{1, 200_000} { // where the records of the key are not held at once, it is the same
		_, small := c.match(t, 100, match.Options{Budget: budget, TempDir: t.TempDir()})
		if budget == 1 && small.Spilled <= index.Spilled {
			t.Errorf("%d bytes were spilled", small.Spilled)
		}
		if small.Spilled = index.Spilled; !reflect.DeepEqual(small, index) {
			t.Errorf("with a budget of %d: another index", budget)
		}
	}
	common := map[string]int{}
	equal := 0
	for s := range 2 {
		for _, row := range c.rows[s] {
			if s == 0 {
				common[row[2]]++
			} else if common[row[2]] > 0 {
				common[row[2]]--
				equal++
			}
		}
	}
	matched := 0
	for l, r := range index.Sides[0].Partners {
		if r == match.None {
			t.Fatalf("left record %d has no partner", l)
		}
		if c.rows[0][l][2] == c.rows[1][r][2] {
			matched++
		}
	}
	if matched != equal || equal < 300 {
		t.Errorf("%d pairs of equal contents, %d are possible", matched, equal)
	}
}

// TestTooManyCurrencies checks that a column that can hardly be one of currencies is refused, however few each worker has seen.
func TestTooManyCurrencies(t *testing.T) {
	for _, workers := range []int{1, 4} {
		for _, n := range []int{match.MostCurrencies, match.MostCurrencies + 1} {
			c := &oracleCase{parts: 1, fields: 1, currency: true}
			for i := range n {
				c.rows[i%2] = append(c.rows[i%2], []string{fmt.Sprint(i / 2), "", "1", "", fmt.Sprint("c", i)})
				c.excluded[i%2] = append(c.excluded[i%2], false)
			}
			plan, tables := c.inputs(t, 7)
			index, err := match.Build(t.Context(), plan, tables[0], tables[1], match.Options{Workers: workers})
			if tooMany := new(match.CurrencyError); n > match.MostCurrencies != errors.As(err, &tooMany) {
				t.Errorf("%d currencies, %d workers: %v", n, workers, err)
			} else if err != nil {
				continue
			}
			if b := balance.Of(plan, index); len(b.Amounts) != n || !b.Holds() || index.Totals.Mixed != int64(n/2) {
				t.Errorf("%d currencies: %d balances, %d pairs of two currencies", n, len(b.Amounts), index.Totals.Mixed)
			}
		}
	}
}
