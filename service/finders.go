package service

import (
	"twinsieve/core/record"
	"twinsieve/core/typing"
)

// finders find the type of each column.
type finders []*typing.Finder

// add tells the finders of the first records of a batch.
func (fs finders) add(b *record.Batch, records int) {
	for c, col := range b.Columns {
		offsets, text := col.ValueOffsets(), col.ValueBytes()
		for i := range min(records, col.Len()) {
			if cell := text[offsets[i]:offsets[i+1]]; len(cell) > 0 && col.IsValid(i) {
				fs[c].Add(cell, 1)
			}
		}
	}
}
