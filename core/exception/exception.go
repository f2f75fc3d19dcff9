// Package exception lists what a match found, record by record and pair by pair, with what a person needs to see.
package exception

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"twinsieve/core/exact"
	"twinsieve/core/expression"
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
	var key []string
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
	all := 0
	for _, s := range tray.Sides {
		side := &index.Sides[s]
		for row, t := range side.Trays {
			if wanted[t] && !(t.Paired() && (s == tray.Right || side.Partners[row] == match.None)) {
				by[s][t] = append(by[s][t], Place{t, s, uint32(row)})
				all++
			}
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

// Rows are the numbers of the records of side s that the entries at places hold, ascending.
func Rows(plan *sieve.Plan, index *match.Index, places []Place, s tray.Side) (rows []uint32) {
	held := make([]bool, len(index.Sides[s].Trays))
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

// Read reads the entries at places, in the order of places. All of them are in memory at once, so a long list is read a
// part at a time. Of a group only the first [MostMembers] records of a side are listed.
func Read(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, places []Place) ([]Entry, error) {
	return read(ctx, plan, index, tables, places, MostMembers)
}

// ReadWhole is [Read] with all records of every group.
func ReadWhole(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, places []Place) ([]Entry, error) {
	return read(ctx, plan, index, tables, places, -1)
}

func read(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, places []Place, most int) ([]Entry, error) {
	entries := make([]Entry, len(places))
	for n, p := range places {
		entries[n] = Entry{Tray: p.Tray, Side: p.Side, Number: p.Number}
	}
	for _, s := range tray.Sides {
		type want struct {
			row   uint32
			entry int
		}
		var wants []want
		for n, p := range places {
			row := p.Number
			if p.Side != s {
				if row = index.Sides[p.Side].Partners[row]; row == match.None {
					continue
				}
			}
			wants = append(wants, want{row, n})
		}
		slices.SortFunc(wants, func(a, b want) int { return int(int64(a.row) - int64(b.row)) })
		rows := make([]uint32, len(wants))
		for i, w := range wants {
			rows[i] = w.row
		}
		// All cells of the side share one text, so that many records are a few pieces of memory, not many.
		columns := len(tables[s].Columns())
		records := make([]Record, len(wants))
		cells := make([]record.Cell, len(wants)*columns)
		ends := make([]int, 0, len(cells))
		const typical = 96 // bytes of a record, so that the text seldom grows
		var text strings.Builder
		text.Grow(typical * len(wants))
		err := record.Gather(ctx, tables[s], rows, func(n int, b *record.Batch, i int) {
			records[n] = Record{rows[n], b.Origin(i), cells[n*columns : (n+1)*columns : (n+1)*columns]}
			entries[wants[n].entry].Sides[s] = &records[n]
			for c, col := range b.Columns {
				text.WriteString(col.Value(i))
				ends = append(ends, text.Len())
				records[n].Cells[c].Null = col.IsNull(i)
			}
		})
		if err != nil {
			return nil, err
		}
		all, start := text.String(), 0
		for i, end := range ends {
			cells[i].Text = all[start:end]
			start = end
		}
	}
	if plan.Repeats == sieve.Totals || len(index.Hand) > 0 {
		if err := readGroups(ctx, plan, index, tables, entries, most); err != nil {
			return nil, err
		}
	}
	judge := newJudge(plan)
	for n := range entries {
		judge.judge(&entries[n])
		if e := &entries[n]; index.Totals.Crosswalk > 0 && e.Tray.Paired() && e.Group == nil {
			e.Joined = judge.joined(e)
		}
	}
	return entries, nil
}

// Judge fills in, for an entry whose records are there, which fields agree and what makes a record unkeyed.
func Judge(plan *sieve.Plan, e *Entry) { newJudge(plan).judge(e) }

// judge says again, for an entry shown, what the match found: which fields agree, and what makes a record unkeyed.
type judge struct {
	plan   *sieve.Plan
	values [2][]*reading.Reader
	key    [2][]*reading.Reader
	where  [2]*expression.Program
	cells  [2][]byte // the cells being read
}

func (j *judge) filter(s tray.Side) *expression.Program {
	if j.where[s] == nil {
		j.where[s] = j.plan.Where[s].Copy()
	}
	return j.where[s]
}

func newJudge(plan *sieve.Plan) *judge {
	j := &judge{plan: plan}
	for _, s := range tray.Sides {
		for _, v := range plan.Values {
			j.values[s] = append(j.values[s], v.Chain[s].Reader())
		}
		for _, k := range plan.Key {
			j.key[s] = append(j.key[s], k.Chain[s].Reader())
		}
	}
	return j
}

func (j *judge) judge(e *Entry) {
	switch {
	case e.Group != nil:
		// A group's fields are those of all its records.
	case e.Tray.Paired():
		for _, f := range j.plan.Fields {
			l, r := j.value(e, tray.Left, f.Value), j.value(e, tray.Right, f.Value)
			out := Field{Agrees: f.Rule.Agree(l, r), States: [2]reading.State{l.State, r.State}}
			if d, ok := f.Rule.Difference(l, r); ok {
				out.Difference = exact.Text(d)
			}
			e.Fields = append(e.Fields, out)
		}
	case e.Tray == tray.Excluded && j.plan.Where[e.Side] != nil:
		if _, err := j.filter(e.Side).Holds(e.Sides[e.Side].Cells); err != nil {
			e.Failed = err.Error()
		}
	case e.Tray == tray.Unkeyed:
		for p, k := range j.plan.Key {
			v := j.key[e.Side][p].Cell([]byte(e.Sides[e.Side].Cells[k.Column[e.Side]].Content()))
			if v.State == reading.Unreadable || v.State.IsBlank() && !k.BlanksEqual {
				e.Causes = append(e.Causes, Cause{p, v.State})
			}
		}
	}
}

// joined reports whether a pair's keys are read as different ones.
func (j *judge) joined(e *Entry) bool {
	for p, k := range j.plan.Key {
		l := j.key[0][p].Cell([]byte(e.Sides[0].Cells[k.Column[0]].Content()))
		r := j.key[1][p].Cell([]byte(e.Sides[1].Cells[k.Column[1]].Content()))
		if l.State == reading.Text != (r.State == reading.Text) || !bytes.Equal(l.Text, r.Text) {
			return true
		}
	}
	return false
}

// value is a record's value as read, until the side's next one is.
func (j *judge) value(e *Entry, s tray.Side, value int) reading.Value {
	j.cells[s] = append(j.cells[s][:0], e.Sides[s].Cells[j.plan.Values[value].Column[s]].Content()...)
	return j.values[s][value].Cell(j.cells[s])
}
