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
	cell    []byte // that is being read
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
func (r *ValueReader) Read(cells []record.Cell) []reading.Value { return r.ReadAll(cells, len(cells)) }

// ReadAll returns the values of several records, each with so many cells, one at least, as [ValueReader.Read] does, one record's after the other's. Their texts share one
// piece of memory.
func (r *ValueReader) ReadAll(cells []record.Cell, each int) []reading.Value {
	values := make([]reading.Value, 0, len(cells)/each*len(r.readers))
	var text []byte
	for own := range slices.Chunk(cells, each) {
		for i, reader := range r.readers {
			r.cell = append(r.cell[:0], own[r.plan.Values[i].Column[r.side]].Content()...)
			v := reader.Cell(r.cell)
			text = append(text, v.Text...)
			values = append(values, reading.Value{State: v.State, Text: v.Text})
		}
	}
	for i := range values { // only now is it known where the text lies
		n := len(values[i].Text)
		values[i].Text, text = text[:n:n], text[n:]
	}
	return values
}
