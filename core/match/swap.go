package match

import (
	"slices"

	"twinsieve/core/tray"
)

// Swapped is the index with its sides exchanged, as a match of the swapped definition would give it, but for the numbers of
// keys and the sums of amounts, which it has not. It shares its memory with the index.
func (x *Index) Swapped() *Index {
	out := &Index{Totals: x.Totals, Sides: [2]Side{x.Sides[1], x.Sides[0]}}
	for s := range out.Sides {
		out.Sides[s].Trays = slices.Clone(out.Sides[s].Trays)
		for i, t := range out.Sides[s].Trays {
			out.Sides[s].Trays[i] = t.Swapped()
		}
	}
	t := &out.Totals
	for _, pair := range []*[2]int64{&t.Records, &t.Undecided, &t.Semi, &t.Repeated, &t.Most} {
		pair[0], pair[1] = pair[1], pair[0]
	}
	for _, pair := range []*[2][]Causes{&t.Unkeyed, &t.Parts, &t.Values} {
		pair[0], pair[1] = pair[1], pair[0]
	}
	for _, s := range tray.Sides {
		for _, at := range tray.All {
			t.Trays[s][at.Swapped()] = x.Totals.Trays[s.Other()][at]
		}
	}
	return out
}
