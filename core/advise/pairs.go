package advise

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// pair holds every column of one side against every column of the other.
func (a *adviser) pair(ctx context.Context) error {
	type place struct {
		l, r int
		near int
	}
	var places []place
	first := func(list []uint64) []uint64 { return list[:min(len(list), sketch)] }
	for l := range a.columns[0] {
		for r := range a.columns[1] {
			if n := shared(first(a.columns[0][l].sorted), first(a.columns[1][r].sorted)); n > 0 {
				places = append(places, place{l, r, n})
			}
		}
	}
	slices.SortStableFunc(places, func(x, y place) int { return cmp.Compare(y.near, x.near) })
	for _, p := range places[:min(len(places), 100)] {
		if err := ctx.Err(); err != nil {
			return err
		}
		l, r := &a.columns[0][p.l], &a.columns[1][p.r]
		n := shared(l.sorted, r.sorted)
		found := [2]float64{float64(n) / float64(len(l.sorted)), float64(n) / float64(len(r.sorted))}
		// Few values are easily found on the other side; many say more.
		told := 1 - 1/math.Log2(2+float64(min(len(l.sorted), len(r.sorted))))
		pair := Pair{Columns: [2]int{p.l, p.r}, Shared: int64(n)}
		pair.score = (0.6*max(found[0], found[1]) + 0.4*min(found[0], found[1])) * told
		if pair.score >= 0.02 {
			a.out.Pairs = append(a.out.Pairs, pair)
		}
	}
	slices.SortStableFunc(a.out.Pairs, func(x, y Pair) int { return cmp.Compare(y.score, x.score) })
	a.out.Pairs = a.out.Pairs[:min(len(a.out.Pairs), MostPairs)]
	for i := range a.out.Pairs {
		if err := a.needed(ctx, &a.out.Pairs[i]); err != nil {
			return err
		}
	}
	return nil
}

// needed finds the readings that a pair of columns needs: the form of its dates or numbers, or the shortest part of the ladder
// with which as good as all values are found that the whole of it finds.
func (a *adviser) needed(ctx context.Context, p *Pair) error {
	cols := [2]*column{&a.columns[0][p.Columns[0]], &a.columns[1][p.Columns[1]]}
	if !cols[0].isText() || !cols[1].isText() {
		same := cols[0].found.Name == cols[1].found.Name && cols[0].form == cols[1].form
		for _, s := range tray.Sides {
			for _, r := range cols[s].readings(len(ladder)) {
				switch {
				case r.Name == "trim" || r.Argument == "YYYY-MM-DD" && same:
				case same && s == tray.Right:
				case same:
					p.Readings = append(p.Readings, r)
				default:
					r.Side = &s
					p.Readings = append(p.Readings, r)
				}
			}
			if cols[s].isText() { // numbers on one side, and codes that look like them on the other
				p.Readings = append(p.Readings, reading.Reading{Side: &s, Name: "trim"})
			}
		}
		return nil
	}
	// What the different texts of some of the values on both sides need.
	common := map[uint64]bool{}
	for i, j, l, r := 0, 0, cols[0].sorted, cols[1].sorted; i < len(l) && j < len(r) && len(common) < 2000; {
		switch c := cmp.Compare(l[i], r[j]); {
		case c < 0:
			i++
		case c > 0:
			j++
		default:
			common[l[i]] = true
			i++
			j++
		}
	}
	texts := [2]map[uint64][]string{{}, {}}
	group, ctx := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		group.Go(func() error { return a.texts(ctx, s, p.Columns[s], common, texts[s]) })
	}
	if err := group.Wait(); err != nil {
		return err
	}
	needs := make([]bool, len(ladder))
	without := func(skip int) (met int) {
		var list []reading.Reading
		for i, text := range ladder {
			if i != skip && !needs[i] {
				continue
			}
			if i != skip {
				list = append(list, reading.MustParse(text)...)
			}
		}
		chain, _ := reading.Compile(list, tray.Left, nil)
		r := chain.Reader()
		for h := range common {
			var read [2][]string
			for s := range read {
				for _, text := range texts[s][h] {
					read[s] = append(read[s], string(r.Cell([]byte(text)).Text))
				}
			}
			for s := range read {
				for _, text := range read[s] {
					if slices.Contains(read[1-s], text) {
						met++
					}
				}
			}
		}
		return met
	}
	for i := range needs {
		needs[i] = true
	}
	for i := len(ladder) - 1; i >= 0; i-- {
		all := without(-1)
		if without(i) == all {
			needs[i] = false
		}
	}
	for i, text := range ladder {
		if needs[i] {
			p.Readings = append(p.Readings, reading.MustParse(text)...)
		}
	}
	return nil
}

// texts finds, among a column's first records, the different texts of values, some of each.
func (a *adviser) texts(ctx context.Context, s tray.Side, at int, of map[uint64]bool, texts map[uint64][]string) error {
	c := &a.columns[s][at]
	hasher := c.hasher()
	for n, start := range a.tables[s].Starts() {
		if n > 40 {
			break
		}
		col, err := record.ColumnOf(ctx, a.tables[s], n, at)
		if err != nil {
			return err
		}
		hash := func(i int) uint64 { return c.hashes[start+int64(i)] } // as it has been found already
		if a.sampled {
			hash = func(i int) uint64 { return hasher.of(col, i) }
		}
		for i := range col.Len() {
			h := hash(i)
			if !of[h] {
				continue
			}
			if list := texts[h]; len(list) < 40 && !slices.Contains(list, col.Value(i)) {
				texts[h] = append(list, strings.Clone(col.Value(i)))
			}
		}
	}
	return nil
}
