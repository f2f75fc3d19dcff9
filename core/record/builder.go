package record

import "github.com/apache/arrow-go/v18/arrow/bitutil"

// Builder collects records into batches. Cells go straight into the buffers that the batch's Arrow arrays will use.
type Builder struct {
	columns []columnBuilder
	lines   []int64
	next    int64 // number of the first record of the batch being built
	full    bool
}

type columnBuilder struct {
	text    []byte
	offsets []int32
	valid   []byte // nil until the first null
}

// NewBuilder returns a builder for records of the given number of columns.
func NewBuilder(columns int) *Builder {
	b := &Builder{columns: make([]columnBuilder, columns)}
	b.reset()
	return b
}

// reset gives every column fresh buffers, for the last batch keeps the old ones; they are sized by what it needed.
func (b *Builder) reset() {
	records := len(b.lines)
	for c := range b.columns {
		col := &b.columns[c]
		size := len(col.text) + len(col.text)/16
		*col = columnBuilder{text: make([]byte, 0, size), offsets: make([]int32, 1, records+1)}
	}
	b.lines = make([]int64, 0, records)
	b.full = false
}

// Cell appends a cell to column c of the record being built. Every column gets exactly one before [Builder.Close].
func (b *Builder) Cell(c int, text []byte) {
	col := &b.columns[c]
	col.text = append(col.text, text...)
	col.offsets = append(col.offsets, int32(len(col.text)))
	if col.valid != nil {
		col.setValid(true)
	}
	if len(col.text) >= BatchBytes {
		b.full = true
	}
}

// Null appends a null to column c of the record being built.
func (b *Builder) Null(c int) {
	col := &b.columns[c]
	if col.valid == nil {
		col.valid = make([]byte, bitutil.BytesForBits(BatchRecords))
		bitutil.SetBitsTo(col.valid, 0, int64(len(col.offsets)-1), true)
	}
	col.offsets = append(col.offsets, int32(len(col.text)))
	col.setValid(false)
}

func (c *columnBuilder) setValid(v bool) {
	bitutil.SetBitTo(c.valid, len(c.offsets)-2, v)
}

// Close ends the record, which started on the given line of its source (0: no lines), and returns a batch when one is full.
func (b *Builder) Close(line int64) *Batch {
	b.lines = append(b.lines, line)
	if b.full || len(b.lines) == BatchRecords {
		return b.Flush()
	}
	return nil
}

// Flush returns the records since the last batch as a batch, or nil when there are none.
func (b *Builder) Flush() *Batch {
	if len(b.lines) == 0 {
		return nil
	}
	batch := &Batch{First: b.next, Lines: b.lines}
	for c := range b.columns {
		col := &b.columns[c]
		batch.Columns = append(batch.Columns, stringArray(col.text, col.offsets, col.valid))
	}
	b.next += int64(len(b.lines))
	b.reset()
	return batch
}
