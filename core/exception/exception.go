// Package exception lists what a match found, record by record and pair by pair, with what a person needs to see.
package exception

import (
	"slices"
	"sync"

	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Entry is one line of a report: a pair that matched or differs, or a record that has no partner.
type Entry struct {
	Tray   tray.Tray
	Side   tray.Side // side of a record without a partner; Left for pairs
	Number uint32    // number of the record on that side
	Sides  [2]*Record
	Fields []Field // outcome of each compared field, for pairs
	Causes []Cause // why the record has no key, for unkeyed records
	Group  *Group  // of a group that is compared by its totals: all its records; Sides are its first
	Hand   uint    // acceptance of a pairing by hand; 0: it is none
	Joined bool    // of a pair: its keys are read as different ones, and are the same by the crosswalk
	Failed string  // of an excluded record for which the filter could not be decided: why
	Said   string  // why it is in its tray, where somebody has said that already
}

// Record is a record as it came.
type Record struct {
	Number uint32
	record.Origin
	Cells []record.Cell
}

// Field is how one compared field came out in a pair.
type Field struct {
	Agrees     bool
	States     [2]reading.State // what kind of value each side has
	Difference string           // right minus left in plain form: a number, days for dates, or seconds for times; empty where there is none to take
	Totals     [2]string        // of a group's field that is summed: each side's total
}

// Cause is a key part that leaves a record unkeyed.
type Cause struct {
	Part  int // index into the plan's key
	State reading.State
}

// Key returns the texts of the entry's key before any reading, from the left record where there is one.
func (e *Entry) Key(plan *sieve.Plan) []string {
	key := make([]string, 0, len(plan.Key))
	for _, s := range tray.Sides {
		if r := e.Sides[s]; r != nil {
			for _, k := range plan.Key {
				key = append(key, r.Cells[k.Column[s]].Text)
			}
			return key
		}
	}
	return key
}

// Place is where an entry stands in an index, before its cells are read.
type Place struct {
	Tray   tray.Tray
	Side   tray.Side
	Number uint32
}

// Places lists the entries of the given trays: tray by tray, in each the left records in input order, then the right.
// A pair is one entry, at its left record, and so is a group that is compared by its totals.
func Places(index *match.Index, trays ...tray.Tray) []Place {
	var by [2][tray.Count][]Place
	var wanted [256]bool
	for _, t := range trays {
		wanted[t] = true
	}
	var sides sync.WaitGroup
	for _, s := range tray.Sides {
		sides.Go(func() {
			side, list := &index.Sides[s], &by[s]
			for row, t := range side.Trays {
				if wanted[t] && !(t.Paired() && (s == tray.Right || side.Partners[row] == match.None)) {
					list[t] = append(list[t], Place{t, s, uint32(row)})
				}
			}
		})
	}
	sides.Wait()
	all := 0
	for _, s := range tray.Sides {
		for _, t := range trays {
			all += len(by[s][t])
		}
	}
	places := make([]Place, 0, all)
	for _, t := range trays {
		for _, s := range tray.Sides {
			places = append(places, by[s][t]...)
		}
	}
	return places
}

// Page lists the entries of a tray at from or behind it, at most so many, in the order of [Places]. next is where the
// following page begins; more is false when there is none.
func Page(index *match.Index, from Place, most int) (page []Place, next Place, more bool) {
	for s := from.Side; s <= tray.Right; s++ {
		if s == tray.Right && from.Tray.Paired() {
			break
		}
		start := 0
		if s == from.Side {
			start = int(from.Number)
		}
		for row := start; row < len(index.Sides[s].Trays); row++ {
			if index.Sides[s].Trays[row] != from.Tray || from.Tray.Paired() && index.Sides[s].Partners[row] == match.None {
				continue
			}
			at := Place{from.Tray, s, uint32(row)}
			if len(page) == most {
				return page, at, true
			}
			page = append(page, at)
		}
	}
	return page, Place{}, false
}

// PlaceOf is where the entry stands that a record is part of: a pair at its left record, a group at its first left record.
func PlaceOf(index *match.Index, s tray.Side, row uint32) Place {
	side := &index.Sides[s]
	at := side.Trays[row]
	switch partner := side.Partners[row]; {
	case !at.Paired():
		return Place{at, s, row}
	case index.HandOf(s, row) != nil:
		return Place{at, tray.Left, index.HandOf(s, row).Rows[tray.Left][0]}
	case partner == match.None:
		key := side.Keys[row]
		return Place{at, tray.Left, uint32(slices.Index(index.Sides[tray.Left].Keys, key))}
	case s == tray.Right:
		return Place{at, tray.Left, partner}
	}
	return Place{at, s, row}
}

// Rows are the numbers of the records of side s that the entries at places hold, and of the others that are named, ascending.
func Rows(plan *sieve.Plan, index *match.Index, places []Place, others []uint32, s tray.Side) (rows []uint32) {
	held := make([]bool, len(index.Sides[s].Trays))
	for _, row := range others {
		held[row] = true
	}
	groups := map[uint32]bool{} // keys whose records are one group
	for _, p := range places {
		row := p.Number
		if p.Tray.Paired() && plan.Repeats == sieve.Totals {
			groups[index.Sides[p.Side].Keys[row]] = true
		}
		if p.Side != s {
			if row = index.Sides[p.Side].Partners[row]; row == match.None {
				continue
			}
		}
		held[row] = true
	}
	for _, hand := range index.Hand {
		for _, row := range hand.Rows[s] {
			held[row] = true
		}
	}
	for row, is := range held {
		if is || len(groups) > 0 && index.Sides[s].Trays[row].Paired() && groups[index.Sides[s].Keys[row]] {
			rows = append(rows, uint32(row))
		}
	}
	return rows
}
