package match_test

import (
	"cmp"
	"maps"
	"math/big"
	"slices"
	"strings"
	"time"
	"unicode"

	"twinsieve/core/record/recordtest"
	"twinsieve/core/tray"
)

// The oracle answers by the meanings alone, the slow way: every left record against every right record, and every way
// to pair the records of a repeated key. It shares no code with what it checks.

// oracleCase is one small problem: a key of one or two parts, then an amount within 0.05, a date within a day, a text.
type oracleCase struct {
	parts       int
	blanksEqual bool              // of the first key part
	fields      int               // how many of the three fields are compared
	totals      bool              // repeats: totals
	currency    bool              // the text says in which currency the amount is
	equal       [][2]int          // pairs of a left and a right record whose keys are said to be the same
	lookup      map[string]string // of the second key part, before anything else
	rows        [2][][]string
	came        [2][][]string // rows with their nulls, where those are not in rows
	excluded    [2][]bool
}

type oracleRecord struct {
	tray    tray.Tray
	partner int // -1: none
}

// oracleSum is what amounts are summed by.
type oracleSum struct {
	tray     tray.Tray
	currency string
}

type oracleAnswer struct {
	sides   [2][]oracleRecord
	counts  map[string]int64
	totals  [2]map[oracleSum]*big.Rat
	mixed   int64 // matched pairs or groups of more than one currency
	tied    int   // repeated keys whose best pairing was decided by content
	crowded int   // keys with two records or more on both sides
}

// key is a record's key, or its class where keys are said to be the same: joined again and again until nothing changes.
func (c *oracleCase) key(row []string) (string, bool) {
	key, ok := c.plainKey(row)
	if len(c.equal) == 0 {
		return key, ok
	}
	class := map[string]bool{key: true}
	for changed := ok; changed; {
		changed = false
		for _, e := range c.equal {
			l, okl := c.plainKey(c.rows[0][e[0]])
			r, okr := c.plainKey(c.rows[1][e[1]])
			if okl && okr && class[l] != class[r] {
				class[l], class[r], changed = true, true, true
			}
		}
	}
	return slices.Min(slices.Collect(maps.Keys(class))), ok
}

// plainKey reads a key: trimmed, lower case, without zeros at the start of runs of digits. ok is false when unkeyed.
func (c *oracleCase) plainKey(row []string) (string, bool) {
	var parts []string
	for p := range c.parts {
		text := row[p]
		if to, ok := c.lookup[text]; ok && p == 1 {
			text = to
		}
		text = strings.ToLower(strings.TrimSpace(text))
		if text == "" && !(c.blanksEqual && p == 0) {
			return "", false
		}
		read := ""
		for i, r := range text {
			if r == '0' && read == "" && i+1 < len(text) && unicode.IsLetter([]rune(text[i+1:])[0]) {
				continue
			}
			if r == '0' && (read == "" || !oracleDigit(read[len(read)-1])) && i+1 < len(text) && oracleDigit(text[i+1]) {
				continue
			}
			read += string(r)
		}
		parts = append(parts, read)
	}
	return strings.Join(parts, "\x00"), true
}

func oracleDigit(c byte) bool { return c >= '0' && c <= '9' }

// oracleNumber reads an amount; nil when blank, bad when unreadable.
func oracleNumber(text string) (n *big.Rat, bad bool) {
	if text == "" {
		return nil, false
	}
	if strings.Trim(text, "+-.0123456789") != "" {
		return nil, true
	}
	n, ok := new(big.Rat).SetString(text)
	return n, !ok
}

var oracleLayouts = [2]string{"2006-01-02", "02.01.2006"}

func oracleDate(text string, side int) (n *big.Rat, bad bool) {
	if text == "" {
		return nil, false
	}
	t, err := time.Parse(oracleLayouts[side], text)
	if err != nil {
		return nil, true
	}
	return big.NewRat(t.Unix()/86400, 1), false
}

// compare returns, for the fields of a pair, which agree and how far apart they are (nil: cannot be said).
func (c *oracleCase) compare(l, r []string) (agrees []bool, apart []*big.Rat) {
	number := func(a, b *big.Rat, badA, badB bool, within *big.Rat) {
		switch {
		case badA || badB, (a == nil) != (b == nil):
			agrees, apart = append(agrees, false), append(apart, nil)
		case a == nil:
			agrees, apart = append(agrees, true), append(apart, new(big.Rat))
		default:
			d := new(big.Rat).Sub(b, a)
			d.Abs(d)
			agrees, apart = append(agrees, d.Cmp(within) <= 0), append(apart, d)
		}
	}
	if c.fields > 0 {
		a, badA := oracleNumber(l[2])
		b, badB := oracleNumber(r[2])
		number(a, b, badA, badB, big.NewRat(5, 100))
	}
	if c.fields > 1 {
		a, badA := oracleDate(l[3], 0)
		b, badB := oracleDate(r[3], 1)
		number(a, b, badA, badB, big.NewRat(1, 1))
	}
	if c.fields > 2 {
		agrees = append(agrees, l[4] == r[4])
	}
	return agrees, apart
}

// oracleOutcome is what the pairing rules look at in one pair.
type oracleOutcome struct {
	agrees []bool
	apart  []*big.Rat
	same   bool // the texts of the keys
}

// score is what the pairing rules look at in a whole pairing, the most important first; smaller is better. outcomes are those of every left record with every right one.
func (c *oracleCase) score(outcomes [][]oracleOutcome, pairs [][2]int) []*big.Rat {
	count := func(n int) *big.Rat { return big.NewRat(int64(n), 1) }
	matched, agreeing, texts := 0, 0, 0
	apart := make([]int, min(c.fields, 2))
	sums := make([]*big.Rat, len(apart))
	for i := range sums {
		sums[i] = new(big.Rat)
	}
	for _, p := range pairs {
		of := &outcomes[p[0]][p[1]]
		all := true
		for _, a := range of.agrees {
			if a {
				agreeing++
			}
			all = all && a
		}
		if all {
			matched++
		}
		if of.same {
			texts++
		}
		for i, d := range of.apart {
			if d == nil {
				apart[i]++
			} else {
				sums[i].Add(sums[i], d)
			}
		}
	}
	score := []*big.Rat{count(-matched), count(-agreeing), count(-texts)}
	for i := range apart {
		score = append(score, count(apart[i]), sums[i])
	}
	return score
}

// content is what a record is ordered by: its compared values as read.
func (c *oracleCase) content(side int, row []string) (v []string) {
	as := func(n *big.Rat, bad bool, text string) string {
		switch {
		case bad:
			return "1"
		case n == nil:
			return "0"
		}
		return "2" + text
	}
	if c.fields > 0 {
		n, bad := oracleNumber(row[2])
		text := ""
		if n != nil {
			text = strings.TrimSuffix(strings.TrimRight(n.FloatString(40), "0"), ".")
		}
		v = append(v, as(n, bad, text))
	}
	if c.fields > 1 {
		n, bad := oracleDate(row[3], side)
		text := ""
		if n != nil {
			text = time.Unix(n.Num().Int64()*86400, 0).UTC().Format("2006-01-02")
		}
		v = append(v, as(n, bad, text))
	}
	if c.fields > 2 {
		if row[4] == "" {
			v = append(v, "0")
		} else {
			v = append(v, "2"+row[4])
		}
	}
	return v
}

// cells are a record's cells as they came.
func (c *oracleCase) cells(side, i int) []string {
	if c.came[side] != nil {
		return c.came[side][i]
	}
	return c.rows[side][i]
}

// nullsFirst orders cells.
func nullsFirst(p, q string) int {
	return cmp.Or(truth(isNull(q))-truth(isNull(p)), cmp.Compare(strings.TrimPrefix(strings.TrimPrefix(p, null), recordtest.Marker), strings.TrimPrefix(strings.TrimPrefix(q, null), recordtest.Marker)))
}

// order sorts record numbers by content: compared values as read, then all cells, then number.
func (c *oracleCase) order(side int, numbers []int) {
	slices.SortFunc(numbers, func(a, b int) int {
		return cmp.Or(slices.Compare(c.content(side, c.rows[side][a]), c.content(side, c.rows[side][b])), slices.CompareFunc(c.cells(side, a), c.cells(side, b), nullsFirst), a-b)
	})
}

// rightFirst reports whether the right side's records choose first: those of the side that has fewer, or else of the one that comes first by content.
func (c *oracleCase) rightFirst(g *[2][]int) bool {
	if len(g[0]) != len(g[1]) {
		return len(g[1]) < len(g[0])
	}
	for i := range g[0] {
		l, r := c.rows[0][g[0][i]], c.rows[1][g[1][i]]
		by := cmp.Or(slices.Compare(c.content(0, l), c.content(1, r)), slices.Compare(l[:c.parts], r[:c.parts]), slices.CompareFunc(c.cells(0, g[0][i]), c.cells(1, g[1][i]), nullsFirst))
		if by != 0 {
			return by > 0
		}
	}
	return false
}

func isNull(cell string) bool { return cell == null || strings.HasPrefix(cell, recordtest.Marker) }

// null stands for a null in a case's rows.
const null = recordtest.Null

func truth(b bool) int {
	if b {
		return 1
	}
	return 0
}

// chosen are pairs as the side that chooses first lists them.
func chosen(pairs [][2]int, rightFirst bool) [][2]int {
	if !rightFirst {
		return pairs
	}
	var turned [][2]int
	for _, p := range pairs {
		turned = append(turned, [2]int{p[1], p[0]})
	}
	slices.SortFunc(turned, func(x, y [2]int) int { return slices.Compare(x[:], y[:]) })
	return turned
}

// pairings calls visit with every way to give each of the fewer records a partner of its own.
func pairings(l, r int, visit func([][2]int)) {
	var chosen [][2]int
	used := make([]bool, r)
	var place func(i, left int)
	place = func(i, left int) {
		if left == 0 {
			visit(chosen)
			return
		}
		if i == l {
			return
		}
		for j := range used {
			if !used[j] {
				used[j] = true
				chosen = append(chosen, [2]int{i, j})
				place(i+1, left-1)
				chosen = chosen[:len(chosen)-1]
				used[j] = false
			}
		}
		if l-i > left {
			place(i+1, left)
		}
	}
	place(0, min(l, r))
}

func (c *oracleCase) solve() *oracleAnswer {
	a := &oracleAnswer{counts: map[string]int64{}}
	groups := map[string]*[2][]int{}
	var kept [2]int64
	for s := range 2 {
		a.sides[s] = make([]oracleRecord, len(c.rows[s]))
		for i, row := range c.rows[s] {
			a.sides[s][i].partner = -1
			key, ok := c.key(row)
			switch {
			case c.excluded[s][i]:
				a.sides[s][i].tray = tray.Excluded
				continue
			case !ok:
				a.sides[s][i].tray = tray.Unkeyed
			default:
				if groups[key] == nil {
					groups[key] = &[2][]int{}
				}
				groups[key][s] = append(groups[key][s], i)
			}
			kept[s]++
		}
	}
	for _, g := range groups {
		c.settle(a, g)
	}
	c.count(a, kept, groups)
	for s := range 2 {
		a.totals[s] = map[oracleSum]*big.Rat{}
		for i, r := range a.sides[s] {
			by := oracleSum{r.tray, c.currencyOf(s, i)}
			if a.totals[s][by] == nil {
				a.totals[s][by] = new(big.Rat)
			}
			if n, _ := oracleNumber(c.rows[s][i][2]); n != nil {
				a.totals[s][by].Add(a.totals[s][by], n)
			}
		}
	}
	for i, r := range a.sides[0] {
		if r.partner >= 0 && r.tray == tray.Matched && !c.totals && c.currencyOf(0, i) != c.currencyOf(1, r.partner) {
			a.mixed++
		}
	}
	return a
}

// currencyOf is the currency of a record: its text, where that is one.
func (c *oracleCase) currencyOf(side, i int) string {
	if c.currency {
		return c.rows[side][i][4]
	}
	return ""
}

func (c *oracleCase) settle(a *oracleAnswer, g *[2][]int) {
	for s, lone := range [2]tray.Tray{tray.Missing, tray.Orphaned} {
		for _, i := range g[s] {
			if a.sides[s][i].tray = tray.Surplus; len(g[1-s]) == 0 {
				a.sides[s][i].tray = lone
			}
		}
	}
	if len(g[0]) == 0 || len(g[1]) == 0 {
		return
	}
	if len(g[0]) > 1 && len(g[1]) > 1 {
		a.crowded++
	}
	if c.totals {
		c.settleTotals(a, g)
		return
	}
	for s := range 2 {
		c.order(s, g[s])
	}
	outcomes := make([][]oracleOutcome, len(g[0]))
	for n, i := range g[0] {
		l := c.rows[0][i]
		for _, j := range g[1] {
			r := c.rows[1][j]
			agrees, apart := c.compare(l, r)
			outcomes[n] = append(outcomes[n], oracleOutcome{agrees, apart, slices.Equal(l[:c.parts], r[:c.parts])})
		}
	}
	var best [][2]int
	var bestScore []*big.Rat
	tied, rightFirst := false, c.rightFirst(g)
	pairings(len(g[0]), len(g[1]), func(pairs [][2]int) {
		score := c.score(outcomes, pairs)
		by := -1
		if best != nil {
			if by = slices.CompareFunc(score, bestScore, (*big.Rat).Cmp); by == 0 {
				tied = true
				by = slices.CompareFunc(chosen(pairs, rightFirst), chosen(best, rightFirst), func(x, y [2]int) int { return slices.Compare(x[:], y[:]) })
			} else if by < 0 {
				tied = false
			}
		}
		if by < 0 {
			best, bestScore = slices.Clone(pairs), score
		}
	})
	if tied {
		a.tied++
	}
	for _, p := range best {
		l, r := g[0][p[0]], g[1][p[1]]
		at := tray.Matched
		if slices.Contains(outcomes[p[0]][p[1]].agrees, false) {
			at = tray.Differing
		}
		a.sides[0][l], a.sides[1][r] = oracleRecord{at, r}, oracleRecord{at, l}
	}
}

// settleTotals compares the key's records as one group on each side.
func (c *oracleCase) settleTotals(a *oracleAnswer, g *[2][]int) {
	at := tray.Matched
	unless := func(ok bool) {
		if !ok {
			at = tray.Differing
		}
	}
	if c.fields > 0 {
		var sums [2]*big.Rat
		for s := range 2 {
			for _, i := range g[s] {
				n, bad := oracleNumber(c.rows[s][i][2])
				unless(!bad)
				if n != nil && sums[s] == nil {
					sums[s] = new(big.Rat)
				}
				if n != nil {
					sums[s].Add(sums[s], n)
				}
			}
		}
		unless((sums[0] == nil) == (sums[1] == nil))
		if sums[0] != nil && sums[1] != nil {
			d := new(big.Rat).Sub(sums[0], sums[1])
			unless(d.Abs(d).Cmp(big.NewRat(5, 100)) <= 0)
		}
	}
	same := func(value func(s, i int) string) {
		var sets [2][]string
		for s := range 2 {
			for _, i := range g[s] {
				sets[s] = append(sets[s], value(s, i))
			}
			slices.Sort(sets[s])
			sets[s] = slices.Compact(sets[s])
		}
		unless(slices.Equal(sets[0], sets[1]))
	}
	if c.fields > 1 {
		same(func(s, i int) string {
			n, bad := oracleDate(c.rows[s][i][3], s)
			unless(!bad)
			if n == nil {
				return ""
			}
			return n.String()
		})
	}
	if c.fields > 2 {
		same(func(s, i int) string { return c.rows[s][i][4] })
	}
	currencies := map[string]bool{}
	for s := range 2 {
		for _, i := range g[s] {
			a.sides[s][i] = oracleRecord{at, -1}
			currencies[c.currencyOf(s, i)] = true
		}
	}
	a.mixed += int64(truth(len(currencies) > 1 && at == tray.Matched))
	l, r := slices.Min(g[0]), slices.Min(g[1])
	a.sides[0][l].partner, a.sides[1][r].partner = r, l
}

// count counts the rows of every comparison: with two loops, or key by key where that would take too long.
func (c *oracleCase) count(a *oracleAnswer, kept [2]int64, groups map[string]*[2][]int) {
	if len(c.rows[0]) > 1000 {
		var inner int64
		var semi [2]int64
		for _, g := range groups {
			inner += int64(len(g[0])) * int64(len(g[1]))
			for s := range 2 {
				if len(g[1-s]) > 0 {
					semi[s] += int64(len(g[s]))
				}
			}
		}
		a.fill(inner, semi, kept)
		return
	}
	partnered := [2]map[int]bool{{}, {}}
	for i, l := range c.rows[0] {
		for j, r := range c.rows[1] {
			kl, okl := c.key(l)
			kr, okr := c.key(r)
			if okl && okr && kl == kr && !c.excluded[0][i] && !c.excluded[1][j] {
				a.counts["inner"]++
				partnered[0][i], partnered[1][j] = true, true
			}
		}
	}
	a.fill(a.counts["inner"], [2]int64{int64(len(partnered[0])), int64(len(partnered[1]))}, kept)
}

// fill fills in the counts of all comparisons.
func (a *oracleAnswer) fill(inner int64, semi, kept [2]int64) {
	a.counts = map[string]int64{
		"inner": inner, "left": inner + kept[0] - semi[0], "right": inner + kept[1] - semi[1],
		"full": inner + kept[0] - semi[0] + kept[1] - semi[1], "left-semi": semi[0], "right-semi": semi[1],
		"left-anti": kept[0] - semi[0], "right-anti": kept[1] - semi[1],
		"full-anti": kept[0] - semi[0] + kept[1] - semi[1], "cross": kept[0] * kept[1],
		"separate": kept[0] + kept[1], "by-position": max(kept[0], kept[1]),
	}
}
