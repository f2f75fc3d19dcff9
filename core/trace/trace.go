// Package trace tells the way of a record through a match: what each reading made of its key, which filter it met, which
// records of both sides carry the same key, in which tray it lies, and, where it found no partner, which keys of the other
// side come nearest.
package trace

import (
	"bytes"
	"cmp"
	"context"
	"slices"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/similar"
	"twinsieve/core/tray"
)

// How much is told of a key that many records carry, and how many keys are told to be near.
const (
	MostAlike = 10
	MostNear  = 3
)

// Record is the way of one record.
type Record struct {
	Side   tray.Side
	Record exception.Record
	Parts  []Part
	Filter *Filter // nil where its side has none
	Entry  exception.Entry
	Alike  Alike
	Near   []Near // of records without a partner
}

// Part is what became of one part of the key.
type Part struct {
	Column string
	Cell   record.Cell
	Taken  []reading.Taken // step by step
	Value  reading.Value   // in the end
}

// Filter is the filter of a record's side, and what it said.
type Filter struct {
	Text   string
	Wants  bool
	Failed string // why it could not be decided
}

// Alike is who else carries the key, on each side.
type Alike struct {
	Count   [2]int64
	Numbers [2][]uint32 // the first of them, in input order
}

// Near is a record of the other side whose key comes near.
type Near struct {
	Record exception.Record
	Tray   tray.Tray
	Parts  []NearPart
}

// NearPart is how a part of a near key compares.
type NearPart struct {
	Equal  bool
	Column string
	Cell   record.Cell
	Value  reading.Value
}

// Of tells the way of record number row of side s.
func Of(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, s tray.Side, row uint32) (*Record, error) {
	t := &Record{Side: s}
	err := record.Gather(ctx, tables[s], []uint32{row}, func(_ int, b *record.Batch, i int) {
		t.Record = exception.Record{Number: row, Origin: b.Origin(i), Cells: b.Cells(i)}
	})
	if err != nil {
		return nil, err
	}
	for _, k := range plan.Key {
		p := Part{Column: plan.Columns[s][k.Column[s]], Cell: t.Record.Cells[k.Column[s]]}
		p.Taken = k.Chain[s].Explain([]byte(p.Cell.Content()))
		p.Value = k.Chain[s].Reader().Cell([]byte(p.Cell.Content()))
		t.Parts = append(t.Parts, p)
	}
	if where := plan.Where[s]; where != nil {
		t.Filter = &Filter{Text: [2]string{plan.Definition.Where.Left, plan.Definition.Where.Right}[s]}
		wants, err := where.Evaluator().Holds(t.Record.Cells)
		if t.Filter.Wants = wants && err == nil; err != nil {
			t.Filter.Failed = err.Error()
		}
	}
	entries, err := exception.Read(ctx, plan, index, tables, []exception.Place{exception.PlaceOf(index, s, row)})
	if err != nil {
		return nil, err
	}
	t.Entry = entries[0]
	key := index.Sides[s].Keys[row]
	if key != match.None {
		for _, side := range tray.Sides {
			for n, k := range index.Sides[side].Keys {
				if k != key {
					continue
				}
				if t.Alike.Count[side]++; len(t.Alike.Numbers[side]) < MostAlike {
					t.Alike.Numbers[side] = append(t.Alike.Numbers[side], uint32(n))
				}
			}
		}
	}
	if index.Sides[s].Trays[row].Lonely() {
		t.Near, err = nearest(ctx, plan, index, tables, t)
	}
	return t, err
}

// alike is how alike the parts that are not equal must be on the whole for a key to be near.
const alike = 0.6

// nearest finds the keys of the other side that come nearest: those with the most equal parts, then those without a partner, then
// those whose other parts are most alike. A key that has nothing in common is not near, and where a part has no value to be held
// against another, or more than one part is another, only records without a partner are.
func nearest(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, t *Record) ([]Near, error) {
	o := t.Side.Other()
	readers := make([]*reading.Reader, len(plan.Key))
	for p, k := range plan.Key {
		readers[p] = k.Chain[o].Reader()
	}
	type place struct {
		row   uint32
		equal int
		taken bool    // it has a partner
		score float64 // an order to show things in, nothing that is decided
	}
	order := func(a, b place) int {
		return cmp.Or(cmp.Compare(b.equal, a.equal), cmp.Compare(truth(a.taken), truth(b.taken)), cmp.Compare(b.score, a.score), cmp.Compare(a.row, b.row))
	}
	var best []place
	columns := make([]reading.Column, len(plan.Key))
	for n := range tables[o].Starts() {
		b, err := tables[o].Batch(ctx, n)
		if err != nil {
			return nil, err
		}
		for p, k := range plan.Key {
			readers[p].Column(b.Columns[k.Column[o]], &columns[p])
		}
		for i := range b.Records() {
			row := uint32(b.First) + uint32(i)
			if index.Sides[o].Trays[row] == tray.Excluded {
				continue
			}
			at := place{row: row, taken: !index.Sides[o].Trays[row].Lonely()}
			held, least := 0, 1.0
			for p := range columns {
				mine, theirs := t.Parts[p].Value, columns[p].At(i)
				if mine.State == reading.Text && theirs.State == reading.Text && bytes.Equal(mine.Text, theirs.Text) {
					at.equal++
				}
			}
			if at.equal == 0 && len(columns) > 1 {
				continue
			}
			for p := range columns {
				mine, theirs := t.Parts[p].Value, columns[p].At(i)
				if mine.State != reading.Text || theirs.State != reading.Text || bytes.Equal(mine.Text, theirs.Text) {
					continue
				}
				kept, length := similar.Alike(mine.Text, theirs.Text)
				part := float64(kept) / float64(length)
				at.score += part
				least = min(least, part)
				held++
			}
			if least < alike || at.taken && (at.equal+held < len(columns) || at.equal < len(columns)-1) {
				continue
			}
			best = append(best, at)
			if len(best) > 1000 {
				best = nearestFirst(best, order)
			}
		}
	}
	best = nearestFirst(best, order)
	list := make([]Near, len(best))
	for n, at := range best {
		err := record.Gather(ctx, tables[o], []uint32{at.row}, func(_ int, b *record.Batch, i int) {
			list[n] = Near{Record: exception.Record{Number: at.row, Origin: b.Origin(i), Cells: b.Cells(i)}, Tray: index.Sides[o].Trays[at.row]}
		})
		if err != nil {
			return nil, err
		}
		for p, k := range plan.Key {
			part := NearPart{Column: plan.Columns[o][k.Column[o]], Cell: list[n].Record.Cells[k.Column[o]]}
			part.Value = k.Chain[o].Reader().Cell([]byte(part.Cell.Content()))
			mine := t.Parts[p].Value
			part.Equal = mine.State == reading.Text && part.Value.State == reading.Text && bytes.Equal(mine.Text, part.Value.Text)
			list[n].Parts = append(list[n].Parts, part)
		}
	}
	return list, nil
}

func truth(b bool) int {
	if b {
		return 1
	}
	return 0
}

func nearestFirst[T any](list []T, order func(a, b T) int) []T {
	slices.SortFunc(list, order)
	return list[:min(len(list), MostNear)]
}

// Find lists the records of a side whose key has each of the texts as one of its parts, as it came or as the part is read, at
// most so many. A text is looked for in each part; all is how many records there are.
func Find(ctx context.Context, plan *sieve.Plan, tables [2]record.Table, s tray.Side, texts []string, most int) (rows []uint32, all int64, err error) {
	type sought struct {
		cell string
		read []reading.Value // by part
	}
	var wanted []sought
	readers := make([]*reading.Reader, len(plan.Key))
	for p, k := range plan.Key {
		readers[p] = k.Chain[s].Reader()
	}
	for _, text := range texts {
		w := sought{cell: text}
		for p, k := range plan.Key {
			// What the other side writes is understood, too.
			v := readers[p].Cell([]byte(text))
			if v.State != reading.Text {
				v = k.Chain[s.Other()].Reader().Cell([]byte(text))
			}
			w.read = append(w.read, reading.Value{State: v.State, Text: slices.Clone(v.Text)})
		}
		wanted = append(wanted, w)
	}
	columns := make([]reading.Column, len(plan.Key))
	for n := range tables[s].Starts() {
		b, err := tables[s].Batch(ctx, n)
		if err != nil {
			return nil, 0, err
		}
		for p, k := range plan.Key {
			readers[p].Column(b.Columns[k.Column[s]], &columns[p])
		}
		for i := range b.Records() {
			has := func(w sought) bool {
				for p, k := range plan.Key {
					v := columns[p].At(i)
					if v.State == reading.Text && w.read[p].State == reading.Text && bytes.Equal(v.Text, w.read[p].Text) || b.Columns[k.Column[s]].Value(i) == w.cell {
						return true
					}
				}
				return false
			}
			if slices.ContainsFunc(wanted, func(w sought) bool { return !has(w) }) {
				continue
			}
			if all++; len(rows) < most {
				rows = append(rows, uint32(b.First)+uint32(i))
			}
		}
	}
	return rows, all, nil
}
