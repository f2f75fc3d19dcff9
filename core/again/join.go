package again

import (
	"cmp"
	"slices"

	"twinsieve/core/tray"
)

// Join marks those of the exceptions before that have become one with another: of two records that lay apart and now pair, one exception goes on
// as the pair, and the other is no exception of its own any more. found is what [Recognise] has said of those of now.
func Join(before, now []Mark, found []int) {
	type handle struct {
		side  tray.Side
		keyed bool
		text  string
	}
	var partners map[handle][]int // that nobody has recognised, and that had a record of one side alone
	look := func() {
		partners = map[handle][]int{}
		taken := make([]bool, len(before))
		for _, b := range found {
			if b >= 0 {
				taken[b] = true
			}
		}
		for b := range before {
			for _, s := range tray.Sides {
				side := &before[b].Sides[s]
				if taken[b] || !side.Here || before[b].Sides[s.Other()].Here || before[b].Tray == tray.Reject {
					continue
				}
				h := handle{s, true, side.Key}
				if side.Key == "" {
					h = handle{s, false, side.Content}
				}
				if h.text != "" {
					partners[h] = append(partners[h], b)
				}
			}
		}
	}
	for n, b := range found {
		if b < 0 {
			continue
		}
		for _, s := range tray.Sides {
			side := &now[n].Sides[s]
			if !side.Here || before[b].Sides[s].Here {
				continue
			}
			if partners == nil {
				look()
			}
			handles := []handle{{s, true, side.Key}}
			if side.Key == "" {
				handles = nil
				for content := range side.shared(false) {
					handles = append(handles, handle{s, false, content})
				}
			}
			for _, h := range handles {
				list := partners[h]
				if len(list) == 0 {
					continue
				}
				// The one with the same content, one that was there, and of those that are alike the one that came first.
				best := slices.MinFunc(list, func(a, b int) int {
					x, y := &before[a], &before[b]
					return cmp.Or(-compareTruth(side.has(x.Sides[s].Content), side.has(y.Sides[s].Content)), compareTruth(x.Gone, y.Gone), cmp.Compare(x.Order, y.Order))
				})
				before[best].Joined = true
				partners[h] = slices.DeleteFunc(list, func(b int) bool { return b == best })
				break
			}
		}
	}
}
