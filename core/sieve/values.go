package sieve

import (
	"slices"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// ValueReader reads what a plan compares and balances, from records of one side whose cells are at hand. Each goroutine needs its
// own.
type ValueReader struct {
	plan    *Plan
	side    tray.Side
	readers []*reading.Reader
}

// ValueReader returns a new reader of side s.
func (p *Plan) ValueReader(s tray.Side) *ValueReader {
	r := &ValueReader{plan: p, side: s}
	for _, v := range p.Values {
		r.readers = append(r.readers, v.Chain[s].Reader())
	}
	return r
}

// Read returns the record's values, one for each of the plan's. They are the caller's to keep.
func (r *ValueReader) Read(cells []record.Cell) []reading.Value {
	values := make([]reading.Value, len(r.readers))
	for i, reader := range r.readers {
		v := reader.Cell([]byte(cells[r.plan.Values[i].Column[r.side]].Content()))
		values[i] = reading.Value{State: v.State, Text: slices.Clone(v.Text)}
	}
	return values
}
