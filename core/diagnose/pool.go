package diagnose

import (
	"runtime"
	"slices"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/tray"
)

// fillPool finds the records of a side that have a partner or are excluded, and that a lonely record of the other side would
// pair with if all readings were added.
func (d *diagnoser) fillPool(s tray.Side) error {
	all := d.everything()
	wanted := map[string]bool{}
	other := d.readers(s.Other(), all)
	for _, c := range d.lonely[s.Other()] {
		if key, ok := d.keyOf(c.cells, other, nil, nil); ok {
			wanted[key] = true
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	found := make([][]*candidate, len(d.tables[s].Starts())) // by batch, so that the order is that of the input
	var next atomic.Int64
	group, ctx := errgroup.WithContext(d.ctx)
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() error {
			readers, plain := d.readers(s, all), d.readers(s, nil)
			cells := make([]string, len(d.plan.Key))
			for {
				n := int(next.Add(1)) - 1
				if n >= len(found) {
					return nil
				}
				b, err := d.tables[s].Batch(ctx, n)
				if err != nil {
					return err
				}
				for i := range b.Records() {
					t := d.index.Sides[s].Trays[b.First+int64(i)]
					if t.Lonely() {
						continue
					}
					for p, k := range d.plan.Key {
						if cells[p] = ""; b.Columns[k.Column[s]].IsValid(i) {
							cells[p] = b.Columns[k.Column[s]].Value(i)
						}
					}
					if key, ok := d.keyOf(cells, readers, nil, nil); ok && wanted[key] {
						c := d.candidate(s, uint32(b.First)+uint32(i), b, i, plain)
						c.excluded = t == tray.Excluded
						found[n] = append(found[n], c)
					}
				}
			}
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	d.pool[s] = slices.Concat(found...)
	return nil
}

// filtered finds records whose key an excluded record of the other side has.
func (d *diagnoser) filtered() {
	for _, s := range tray.Sides {
		left := map[string]*candidate{}
		for _, c := range slices.Backward(d.pool[s.Other()]) {
			if c.excluded && c.keyed {
				left[c.key] = c
			}
		}
		d.pool[s.Other()] = slices.DeleteFunc(d.pool[s.Other()], func(c *candidate) bool { return c.excluded })
		var explained []*candidate
		for _, c := range d.lonely[s] {
			if o := left[c.key]; o != nil && c.keyed {
				c.partner = o
				explained = append(explained, c)
			}
		}
		d.add(Filter, -1, nil, explained)
	}
}

// paired returns those of the lonely records that would find a partner with the changes, among them or in the pool, and gives
// each its first one.
func (d *diagnoser) paired(lonely [2][]*candidate, changes []Change, blankPart *int) (explained []*candidate) {
	type group struct {
		lonely [2][]*candidate
		first  [2]*candidate
	}
	groups := map[string]*group{}
	for i := range 2 { // the lonely ones first, so that only their keys are kept
		for _, s := range tray.Sides {
			readers := d.readers(s, changes)
			for _, c := range [2][]*candidate{lonely[s], d.pool[s]}[i] {
				if c.done {
					continue
				}
				key, ok := d.keyOf(c.cells, readers, blankPart, nil)
				g := groups[key]
				switch {
				case !ok, i == 1 && g == nil:
					continue
				case g == nil:
					g = &group{}
					groups[key] = g
				}
				if i == 0 {
					g.lonely[s] = append(g.lonely[s], c)
				}
				if g.first[s] == nil {
					g.first[s] = c
				}
			}
		}
	}
	for _, g := range groups {
		for _, s := range tray.Sides {
			if partner := g.first[s.Other()]; partner != nil {
				for _, c := range g.lonely[s] {
					c.partner = partner
					explained = append(explained, c)
				}
			}
		}
	}
	inOrder(explained)
	return explained
}

// inOrder sorts records by side and number.
func inOrder(list []*candidate) {
	slices.SortFunc(list, func(a, b *candidate) int {
		if a.side != b.side {
			return int(a.side) - int(b.side)
		}
		return int(int64(a.row) - int64(b.row))
	})
}

// bySide divides records by side.
func bySide(list []*candidate) (sides [2][]*candidate) {
	for _, c := range list {
		sides[c.side] = append(sides[c.side], c)
	}
	return sides
}
