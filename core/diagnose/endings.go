package diagnose

import (
	"cmp"
	"slices"
	"unicode/utf8"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
)

const (
	leastAlike = 3  // different values that must have a beginning for it to be taken as one that the column has
	mostEnding = 16 // bytes of a beginning or ending
)

// endings finds beginnings and endings that the values of a part have on one side only: without them they are values of the
// other side. The most common comes first.
func (d *diagnoser) endings() (list []Change) {
	type affix struct {
		part   int
		side   tray.Side
		name   string // of the reading that drops it
		text   string
		values int
	}
	var found []affix
	for p := range d.plan.Key {
		if !d.isText(p) {
			continue
		}
		var values [2]map[string]bool
		for _, s := range tray.Sides {
			values[s] = map[string]bool{}
			for _, c := range d.open(s) {
				if c.values[p].State == reading.Text {
					values[s][string(c.values[p].Text)] = true
				}
			}
		}
		for _, s := range tray.Sides {
			beginnings, ends := map[string]int{}, map[string]int{}
			for v := range values[s] {
				for at := 1; at < len(v) && at <= mostEnding; at++ {
					if utf8.RuneStart(v[at]) && values[s.Other()][v[at:]] {
						beginnings[v[:at]]++
					}
					if end := len(v) - at; utf8.RuneStart(v[end]) && values[s.Other()][v[:end]] {
						ends[v[end:]]++
					}
				}
			}
			for name, texts := range map[string]map[string]int{"drop-beginning": beginnings, "drop-ending": ends} {
				for text, n := range texts {
					if n >= leastAlike {
						found = append(found, affix{p, s, name, text, n})
					}
				}
			}
		}
	}
	slices.SortFunc(found, func(a, b affix) int {
		return cmp.Or(cmp.Compare(b.values, a.values), cmp.Compare(a.part, b.part), cmp.Compare(a.side, b.side), cmp.Compare(a.name, b.name), cmp.Compare(a.text, b.text))
	})
	for _, a := range found[:min(len(found), 6)] {
		list = append(list, Change{Part: a.part, Readings: []reading.Reading{{Side: &a.side, Name: a.name, Argument: a.text}}})
	}
	return d.proven(list)
}
