package comparison_test

import (
	"context"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
	"twinsieve/sources/sourcetest"
)

// world is two small sides with the columns k, j, d and t: a key of one or two parts, an amount, and a text. An empty text is
// blank. What it is held against is what SQL engines say about the same rows.
type world struct {
	rows    [2][][]string
	parts   int
	filter  bool // only records whose t is not "x"
	kept    comparison.Kept
	plan    *sieve.Plan
	tables  [2]record.Table
	groups  *comparison.Groups
	wholes  *comparison.Groups
	aligned []comparison.Aligned
}

var worldColumns = []string{"k", "j", "d", "t"}

func pick(r *rand.Rand, from ...string) string { return from[r.IntN(len(from))] }

func randomWorld(t testing.TB, r *rand.Rand) *world {
	w := &world{parts: 1 + r.IntN(2), filter: r.IntN(4) == 0, kept: []comparison.Kept{"left", "right", "inner", "full"}[r.IntN(4)]}
	for s := range 2 {
		n := r.IntN(14)
		if r.IntN(10) == 0 {
			n = 0
		}
		for range n {
			w.rows[s] = append(w.rows[s], []string{
				pick(r, "", "a", "b", "c", "d", "e", "B"), pick(r, "", "1", "2"), pick(r, "", "1", "1.0", "1.50", "1.5", "+1.5", "-0.25"), pick(r, "", "x", "y")})
		}
	}
	d := sieve.Definition{Left: "l", Right: "r"}
	for _, name := range worldColumns[:w.parts] {
		d.Key = append(d.Key, sieve.KeyPart{Columns: sieve.Columns{Left: name}})
	}
	if w.filter {
		d.Where = sieve.Where{Left: `t != "x"`, Right: `t != "x"`}
	}
	sheets := [2]comparison.Sheet{sheet(), sheet()}
	for s := range 2 {
		rows := make([][]string, len(w.rows[s]))
		for i, row := range w.rows[s] {
			rows[i] = slices.Clone(row)
			for c := range row { // a blank may be a null, an empty cell or a marker
				if row[c] == "" {
					rows[i][c] = pick(r, "", recordtest.Null, recordtest.Marker+"n/a")
				}
			}
		}
		w.tables[s] = recordtest.Batches(t, worldColumns, rows, 1+r.IntN(5))
	}
	var err error
	if w.aligned, err = (comparison.Alignment{By: pick(r, "", "name", "position")}).Align(sheets); err != nil {
		t.Fatal(err)
	}
	w.plan, w.groups = w.match(t, d)
	_, w.wholes = w.match(t, comparison.WholeRecords(d, sheets, w.aligned))
	return w
}

func sheet() comparison.Sheet {
	text := typing.Type{Name: typing.Text}
	return comparison.Sheet{Columns: worldColumns, Types: []typing.Type{text, text, {Name: typing.Decimal, Form: typing.Point}, text}}
}

func (w *world) match(t testing.TB, d sieve.Definition) (*sieve.Plan, *comparison.Groups) {
	plan, err := d.Compile(worldColumns, worldColumns)
	if err != nil {
		t.Fatal(err)
	}
	index, err := match.Build(context.Background(), plan, w.tables[0], w.tables[1], match.Options{Workers: 2})
	if err != nil {
		t.Fatal(err)
	}
	return plan, comparison.NewGroups(index)
}

// with is the rows as tables of a query, l and r, numbered by n.
func (w *world) with() string {
	var tables []string
	for s, name := range []string{"l", "r"} {
		var rows []string
		for i, row := range w.rows[s] {
			if w.filter && row[3] == "x" {
				continue
			}
			cells := []string{strconv.Itoa(i)}
			for c, cell := range row {
				switch {
				case cell == "":
					cell = "NULL"
				case c == 2:
					cell = "(" + cell + ")"
				default:
					cell = "'" + cell + "'"
				}
				cells = append(cells, cell)
			}
			rows = append(rows, "("+strings.Join(cells, ", ")+")")
		}
		// A first row that is left out again gives the columns their types, also where there is no other.
		rows = append([]string{"(-1, 'k', 'j', 0.5, 't')"}, rows...)
		tables = append(tables, fmt.Sprintf("%s0(n, k, j, d, t) AS (VALUES %s), %s AS (SELECT * FROM %s0 WHERE n >= 0)", name, strings.Join(rows, ", "), name, name))
	}
	return "WITH " + strings.Join(tables, ", ") + " "
}

const both = "SELECT k, j, d, t FROM l %s SELECT k, j, d, t FROM r"

// queries are the comparisons in SQL: what pairs by the numbers of rows in default order, whole records by their cells.
func (w *world) queries() (names []comparison.Name, texts []string) {
	on := "l.k = r.k"
	if w.parts == 2 {
		on += " AND l.j = r.j"
	}
	has := func(s, o string) string {
		return "FROM " + s + " WHERE %s EXISTS (SELECT 1 FROM " + o + " WHERE " + on + ")"
	}
	l, r := has("l", "r"), has("r", "l")
	add := func(n comparison.Name, text string) {
		names, texts = append(names, n), append(texts, w.with()+text)
	}
	pairs := "SELECT l.n, r.n FROM l %s JOIN r ON " + on + " ORDER BY l.n IS NULL, l.n, r.n"
	add("inner", fmt.Sprintf(pairs, "INNER"))
	add("left", fmt.Sprintf(pairs, "LEFT"))
	add("right", fmt.Sprintf(pairs, "RIGHT"))
	add("full", fmt.Sprintf(pairs, "FULL"))
	add("cross", "SELECT l.n, r.n FROM l CROSS JOIN r ORDER BY l.n, r.n")
	add("left-semi", fmt.Sprintf("SELECT n, NULL "+l+" ORDER BY n", ""))
	add("right-semi", fmt.Sprintf("SELECT NULL, n "+r+" ORDER BY n", ""))
	add("left-anti", fmt.Sprintf("SELECT n, NULL "+l+" ORDER BY n", "NOT"))
	add("right-anti", fmt.Sprintf("SELECT NULL, n "+r+" ORDER BY n", "NOT"))
	add("full-anti", fmt.Sprintf("SELECT a, b FROM (SELECT 0 AS s, n AS a, NULL AS b "+l+" UNION ALL SELECT 1, NULL, n "+r+") AS x ORDER BY s, a, b", "NOT", "NOT"))
	add("by-position", `SELECT a.n, b.n FROM (SELECT n, row_number() OVER (ORDER BY n) AS p FROM l) AS a
		FULL JOIN (SELECT n, row_number() OVER (ORDER BY n) AS p FROM r) AS b ON a.p = b.p ORDER BY coalesce(a.p, b.p)`)
	for _, n := range comparison.Whole {
		add(n, fmt.Sprintf(both, strings.ToUpper(strings.ReplaceAll(string(n), "-", " "))))
	}
	return names, texts
}

// orders are, for SQLite, the left and right records that stand for the rows of set logic, in default order: each where its like
// first comes, or comes for the first times.
func (w *world) orders() map[comparison.Name]string {
	const same = "(SELECT count(*) FROM %[2]s AS o WHERE o.k IS x.k AND o.j IS x.j AND o.d IS x.d AND o.t IS x.t)"
	numbered := func(side, other string) string {
		return fmt.Sprintf("(SELECT n, row_number() OVER (PARTITION BY k, j, d, t ORDER BY n) AS place, "+same+" AS there, (SELECT count(*) FROM %[1]s AS o WHERE o.k IS x.k AND o.j IS x.j AND o.d IS x.d AND o.t IS x.t) AS here FROM %[1]s AS x)", side, other)
	}
	left := func(where string) string {
		return w.with() + "SELECT n, NULL FROM " + numbered("l", "r") + " WHERE " + where + " ORDER BY n"
	}
	return map[comparison.Name]string{
		"union":         w.with() + "SELECT a, b FROM (SELECT 0 AS s, n AS a, NULL AS b FROM " + numbered("l", "r") + " WHERE place = 1 UNION ALL SELECT 1, NULL, n FROM " + numbered("r", "l") + " WHERE place = 1 AND there = 0) ORDER BY s, a, b",
		"union-all":     w.with() + "SELECT a, b FROM (SELECT 0 AS s, n AS a, NULL AS b FROM l UNION ALL SELECT 1, NULL, n FROM r) ORDER BY s, a, b",
		"intersect":     left("place = 1 AND there > 0"),
		"intersect-all": left("place <= there"),
		"except":        left("place = 1 AND there = 0"),
		"except-all":    left("place <= here - there"),
	}
}

// ours are the rows that queries ask for, in the same form.
func (w *world) ours(t testing.TB, n comparison.Name) []string {
	c := comparison.Choice{Comparison: n}
	groups, fetching := w.groups, (*comparison.Groups)(nil)
	if n.IsWhole() {
		if groups = w.wholes; n.Distinct() {
			fetching = groups
		}
	}
	rows := readAll(t, groups, c)
	var out []string
	if !n.IsWhole() {
		for _, row := range rows {
			out = append(out, number(row[0])+"|"+number(row[1]))
		}
		return out
	}
	columns, err := comparison.ColumnsOf(c, [2][]string{worldColumns, worldColumns}, w.aligned, comparison.Naming{})
	if err != nil {
		t.Fatal(err)
	}
	cells, err := comparison.Fetch(context.Background(), w.tables, rows, columns, fetching)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range cells {
		var texts []string
		for _, c := range row {
			texts = append(texts, c.Content())
		}
		out = append(out, plain(texts))
	}
	return out
}

// plain writes the cells of a whole record so that equal ones are written alike.
func plain(cells []string) string {
	cells = slices.Clone(cells)
	if d, ok := new(big.Rat).SetString(strings.TrimPrefix(cells[2], "+")); ok {
		cells[2] = d.FloatString(4)
	}
	return strings.Join(cells, "|")
}

func number(n uint32) string {
	if n == comparison.None {
		return ""
	}
	return strconv.Itoa(int(n))
}

// readAll reads all rows at once, and again in pieces.
func readAll(t testing.TB, g *comparison.Groups, c comparison.Choice) []comparison.Row {
	t.Helper()
	r := comparison.NewRows(g, c)
	rows := make([]comparison.Row, r.Len()+3)
	n := r.Read(0, rows)
	if int64(n) != r.Len() {
		t.Fatalf("%v: %d rows were read of %d", c, n, r.Len())
	}
	rows = rows[:n]
	for first := 0; first < n+2; first += 2 {
		page := make([]comparison.Row, 3)
		got := page[:r.Read(int64(first), page)]
		if want := rows[min(first, n):min(first+3, n)]; !slices.Equal(got, want) {
			t.Fatalf("%v: rows from %d on are %v, want %v", c, first, got, want)
		}
	}
	return rows
}

// TestAgainstSQL holds every comparison of random small sets against SQLite and PostgreSQL, row for row: those by key in their
// default order, those of whole records as multisets and, by the records that stand for them, in default order, too.
func TestAgainstSQL(t *testing.T) {
	cases := 2000
	if testing.Short() {
		cases = 200
	}
	lite, err := sqlite.OpenConn(":memory:")
	if err != nil {
		t.Fatal(err)
	}
	defer lite.Close()
	server := sourcetest.Postgres(t)
	config, err := pgconn.ParseConfig("sslmode=disable")
	if err != nil {
		t.Fatal(err)
	}
	config.Host, config.Port, config.User, config.Password, config.Database = server.Host, uint16(server.Port), server.User, server.Password, server.Database
	postgres, err := pgconn.ConnectConfig(context.Background(), config)
	if err != nil {
		t.Fatal(err)
	}
	defer postgres.Close(context.Background())
	r := rand.New(rand.NewPCG(5, 1))
	seen := map[comparison.Name]int{}
	for n := range cases {
		w := randomWorld(t, r)
		names, texts := w.queries()
		answers, err := postgres.Exec(context.Background(), strings.Join(texts, ";\n")).ReadAll()
		if err != nil {
			t.Fatalf("case %d: PostgreSQL: %s", n, err)
		}
		for i, name := range names {
			got := w.ours(t, name)
			seen[name] += len(got)
			var fromPostgres, fromLite []string
			for _, row := range answers[i].Rows {
				var cells []string
				for _, cell := range row {
					cells = append(cells, string(cell))
				}
				fromPostgres = append(fromPostgres, said(name, cells))
			}
			check(t, fmt.Sprintf("case %d: %s by PostgreSQL", n, name), name, got, fromPostgres)
			if name == "intersect-all" || name == "except-all" {
				continue // which SQLite does not have
			}
			err := sqlitex.ExecuteTransient(lite, texts[i], &sqlitex.ExecOptions{ResultFunc: func(stmt *sqlite.Stmt) error {
				var cells []string
				for c := range stmt.ColumnCount() {
					cells = append(cells, stmt.ColumnText(c))
				}
				fromLite = append(fromLite, said(name, cells))
				return nil
			}})
			if err != nil {
				t.Fatalf("case %d: %s: %s\n%s", n, name, err, texts[i])
			}
			check(t, fmt.Sprintf("case %d: %s by SQLite", n, name), name, got, fromLite)
		}
		for name, text := range w.orders() {
			var want, got []string
			err := sqlitex.ExecuteTransient(lite, text, &sqlitex.ExecOptions{ResultFunc: func(stmt *sqlite.Stmt) error {
				want = append(want, stmt.ColumnText(0)+"|"+stmt.ColumnText(1))
				return nil
			}})
			if err != nil {
				t.Fatalf("case %d: the order of %s: %s\n%s", n, name, err, text)
			}
			for _, row := range readAll(t, w.wholes, comparison.Choice{Comparison: name}) {
				got = append(got, number(row[0])+"|"+number(row[1]))
			}
			check(t, fmt.Sprintf("case %d: the order of %s by SQLite", n, name), "", got, want)
		}
		w.checkCounts(t)
		w.checkApart(t)
		w.checkIdentities(t)
		w.checkShown(t)
		if t.Failed() {
			t.Fatalf("case %d: %d key parts, filter %v, left %v, right %v", n, w.parts, w.filter, w.rows[0], w.rows[1])
		}
	}
	for _, n := range comparison.All {
		if n != comparison.Separate && seen[n] < cases/10 {
			t.Errorf("%s had only %d rows in all cases", n, seen[n])
		}
	}
}

func said(n comparison.Name, cells []string) string {
	if n.IsWhole() {
		return plain(cells)
	}
	return strings.Join(cells, "|")
}

func check(t testing.TB, about string, n comparison.Name, got, want []string) {
	t.Helper()
	if got, want = slices.Clone(got), slices.Clone(want); n.IsWhole() {
		slices.Sort(got)
		slices.Sort(want)
	}
	if !slices.Equal(got, want) {
		t.Errorf("%s:\n got %q\nwant %q", about, got, want)
	}
}

// checkCounts holds the counts against the rows: how many there are, who is dropped and who stands again.
func (w *world) checkCounts(t *testing.T) {
	counts := append(comparison.Counts(&w.groups.Index().Totals), comparison.WholeCounts(w.wholes)...)
	for i, c := range counts {
		if c.Comparison != comparison.All[i] {
			t.Fatalf("count %d is of %s, want %s", i, c.Comparison, comparison.All[i])
		}
		groups := w.groups
		if c.Comparison.IsWhole() {
			groups = w.wholes
		}
		choice := comparison.Choice{Comparison: c.Comparison, Kept: comparison.KeepFull}
		var rows []comparison.Row
		for _, s := range tray.Sides {
			if choice.Side = s; s == tray.Left || c.Comparison == comparison.Separate {
				rows = append(rows, readAll(t, groups, choice)...)
			}
		}
		if int64(len(rows)) != c.Rows {
			t.Errorf("%s is said to have %d rows and has %d", c.Comparison, c.Rows, len(rows))
		}
		for _, s := range tray.Sides {
			times := map[uint32]int64{}
			for _, row := range rows {
				if row[s] != comparison.None {
					times[row[s]]++
				}
			}
			var dropped, repeated int64
			var gone []uint32
			for n, at := range groups.Index().Sides[s].Trays {
				if at == tray.Excluded {
					continue
				}
				if times[uint32(n)] == 0 {
					dropped++
					gone = append(gone, uint32(n))
				} else {
					repeated += times[uint32(n)] - 1
				}
				if a := groups.Appears(comparison.Choice{Comparison: c.Comparison, Kept: comparison.KeepFull}, s, uint32(n)); a != times[uint32(n)] {
					t.Errorf("%s record %d is said to be in %d rows of %s, and is in %d", s, n, a, c.Comparison, times[uint32(n)])
				}
			}
			if !c.Comparison.Yields(s) {
				dropped = 0
			}
			if s == tray.Right && (c.Comparison == comparison.Intersect || c.Comparison == comparison.IntersectAll) {
				continue // a row stands for a record of each side: see below
			}
			if c.Dropped[s] != dropped || c.Repeated[s] != repeated {
				t.Errorf("%s: of the %s %d dropped and %d repeated, want %d and %d", c.Comparison, s, c.Dropped[s], c.Repeated[s], dropped, repeated)
			}
			if c.Comparison.Yields(s) {
				var listed []uint32
				for _, row := range readAll(t, groups, comparison.Choice{Comparison: c.Comparison, Kept: comparison.KeepFull, Dropped: true, Side: s}) {
					listed = append(listed, row[s])
				}
				if !slices.Equal(listed, gone) {
					t.Errorf("%s drops of the %s %v, want %v", c.Comparison, s, listed, gone)
				}
			}
		}
	}
}

// checkDropped: what the intersections drop of the right is what they drop of the left when the sides are exchanged.
func (w *world) checkDropped(t *testing.T, turned *world) {
	for _, n := range []comparison.Name{comparison.Intersect, comparison.IntersectAll} {
		got := readAll(t, w.wholes, comparison.Choice{Comparison: n, Dropped: true, Side: tray.Right})
		want := readAll(t, turned.wholes, comparison.Choice{Comparison: n, Dropped: true, Side: tray.Left})
		for i := range want {
			want[i][0], want[i][1] = want[i][1], want[i][0]
		}
		if !slices.Equal(got, want) || comparison.WholeCounts(w.wholes)[slices.Index(comparison.Whole, n)].Dropped[1] != int64(len(want)) {
			t.Errorf("%s drops of the right %v, want %v", n, got, want)
		}
	}
}

// checkApart holds the tables of separate against the one-sided comparisons.
func (w *world) checkApart(t *testing.T) {
	for _, s := range tray.Sides {
		semi := [2]comparison.Name{comparison.LeftSemi, comparison.RightSemi}[s]
		want := readAll(t, w.groups, comparison.Choice{Comparison: semi})
		if w.kept == "full" || string(w.kept) == s.String() {
			want = append(want, readAll(t, w.groups, comparison.Choice{Comparison: [2]comparison.Name{comparison.LeftAnti, comparison.RightAnti}[s]})...)
			slices.SortFunc(want, func(a, b comparison.Row) int { return int(a[s]) - int(b[s]) })
		}
		if got := readAll(t, w.groups, comparison.Choice{Comparison: comparison.Separate, Kept: w.kept, Side: s}); !slices.Equal(got, want) {
			t.Errorf("separate, keeping %s: the %s table is %v, want %v", w.kept, s, got, want)
		}
	}
}

// checkIdentities: what is one comparison is others together.
func (w *world) checkIdentities(t *testing.T) {
	of := func(names ...comparison.Name) (all []string) {
		for _, n := range names {
			all = append(all, w.ours(t, n)...)
		}
		slices.Sort(all)
		return all
	}
	same := func(about string, got, want []string) {
		if !slices.Equal(got, want) {
			t.Errorf("%s:\n got %q\nwant %q", about, got, want)
		}
	}
	same("full is left and right-anti", of("full"), of("left", "right-anti"))
	same("full is right and left-anti", of("full"), of("right", "left-anti"))
	same("full is inner and full-anti", of("full"), of("inner", "full-anti"))
	same("left is inner and left-anti", of("left"), of("inner", "left-anti"))
	same("right is inner and right-anti", of("right"), of("inner", "right-anti"))
	same("full-anti is both antis", of("full-anti"), of("left-anti", "right-anti"))
	turned := w.swapped(t)
	w.checkDropped(t, turned)
	except := append(w.ours(t, "except"), turned.ours(t, "except")...)
	union := append(except, w.ours(t, "intersect")...)
	slices.Sort(union)
	same("union is except both ways and intersect", of("union"), union)
	all := append(w.ours(t, "except-all"), turned.ours(t, "except-all")...)
	for range 2 {
		all = append(all, w.ours(t, "intersect-all")...)
	}
	slices.Sort(all)
	same("union-all is except-all both ways and intersect-all twice", of("union-all"), all)
	for _, n := range comparison.All {
		if n == comparison.Separate || n == comparison.Except || n == comparison.ExceptAll {
			continue
		}
		there, back := of(n), turned.ours(t, n.Swapped())
		if !n.IsWhole() {
			for i, row := range back {
				l, r, _ := strings.Cut(row, "|")
				back[i] = r + "|" + l
			}
		}
		slices.Sort(back)
		same("swapped "+string(n), back, there)
	}
}

// swapped is the world with its sides exchanged.
func (w *world) swapped(t *testing.T) *world {
	o := *w
	o.rows[0], o.rows[1] = w.rows[1], w.rows[0]
	o.tables[0], o.tables[1] = w.tables[1], w.tables[0]
	sheets := [2]comparison.Sheet{sheet(), sheet()}
	o.plan, o.groups = o.match(t, w.plan.Definition.Swapped())
	_, o.wholes = o.match(t, comparison.WholeRecords(w.plan.Definition.Swapped(), sheets, o.aligned))
	return &o
}

// checkShown: rows of whole records come in the order in which their records first appear, and of equal values that are written
// differently the left's text is shown, the least of several.
func (w *world) checkShown(t *testing.T) {
	columns, err := comparison.ColumnsOf(comparison.Choice{Comparison: "union"}, [2][]string{worldColumns, worldColumns}, w.aligned, comparison.Naming{})
	if err != nil {
		t.Fatal(err)
	}
	rows := readAll(t, w.wholes, comparison.Choice{Comparison: "union"})
	cells, err := comparison.Fetch(context.Background(), w.tables, rows, columns, w.wholes)
	if err != nil {
		t.Fatal(err)
	}
	var got, want []string
	for _, row := range cells {
		got = append(got, row[2].Content())
	}
	done := map[string]bool{}
	for s := range 2 {
		for _, row := range w.rows[s] {
			if record := plain(row); !done[record] && !(w.filter && row[3] == "x") {
				done[record] = true
				least := row[2]
				for _, other := range w.rows[s] {
					if plain(other) == record {
						least = min(least, other[2])
					}
				}
				want = append(want, least)
			}
		}
	}
	if !slices.Equal(got, want) {
		t.Errorf("union shows the amounts %q, want %q", got, want)
	}
}
