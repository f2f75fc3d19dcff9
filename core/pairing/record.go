package pairing

import (
	"bytes"
	"cmp"
	"slices"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
)

// Record is what the pairing of one key looks at in a record.
type Record struct {
	Row    uint32          // number of the record in its set
	Values []reading.Value // the plan's values as read
	Keys   []string        // the key's texts before any reading
	Cells  []record.Cell   // the whole record
}

// Compare orders records of one side by content: by the values of the compared fields in the order of the fields, then
// by all their cells in column order.
// Blank comes before unreadable, and unreadable before text; a null before an empty text; texts are ordered by their
// bytes. Only records that are the same in every cell are ordered by their number.
func Compare(fields []sieve.PlanField, a, b *Record) int {
	return cmp.Or(compareValues(fields, a, b), compareCells(a, b), cmp.Compare(a.Row, b.Row))
}

// compareContent orders records of two sides, which may have other columns.
func compareContent(fields []sieve.PlanField, a, b *Record) int {
	return cmp.Or(compareValues(fields, a, b), slices.Compare(a.Keys, b.Keys), compareCells(a, b))
}

func compareCells(a, b *Record) int {
	return slices.CompareFunc(a.Cells, b.Cells, func(x, y record.Cell) int {
		switch {
		case x.Null && !y.Null:
			return -1
		case y.Null && !x.Null:
			return 1
		}
		return cmp.Compare(x.Text, y.Text)
	})
}

func compareValues(fields []sieve.PlanField, a, b *Record) int {
	for _, f := range fields {
		x, y := a.Values[f.Value], b.Values[f.Value]
		if c := cmp.Or(cmp.Compare(rank(x.State), rank(y.State)), bytes.Compare(x.Text, y.Text)); c != 0 {
			return c
		}
	}
	return 0
}

func rank(s reading.State) int {
	switch {
	case s.IsBlank():
		return 0
	case s == reading.Unreadable:
		return 1
	}
	return 2
}
