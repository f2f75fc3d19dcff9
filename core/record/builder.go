package record

import (
	"bytes"
	"encoding/binary"
	"io"

	"github.com/apache/arrow-go/v18/arrow/bitutil"
)

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

// Line appends a whole record: the cells of text, which the delimiter divides. It reports false, and appends nothing,
// when text has not as many cells as there are columns.
//
// Most cells are short, and calling a copy for each costs more than copying: a cell of up to 16 bytes is copied as two
// words, together with bytes behind it that the next cell overwrites.
func (b *Builder) Line(text []byte, delimiter byte) bool {
	last := len(b.columns) - 1
	start := 0
	for c := range b.columns {
		end := len(text)
		if c < last {
			n := bytes.IndexByte(text[start:], delimiter)
			if n < 0 {
				b.undo(c)
				return false
			}
			end = start + n
		} else if bytes.IndexByte(text[start:], delimiter) >= 0 {
			b.undo(c)
			return false
		}
		col := &b.columns[c]
		at := len(col.text)
		if end-start <= 16 && cap(col.text)-at >= 16 && cap(text)-start >= 16 {
			from, to := text[start:start+16], col.text[at:at+16]
			binary.LittleEndian.PutUint64(to, binary.LittleEndian.Uint64(from))
			binary.LittleEndian.PutUint64(to[8:], binary.LittleEndian.Uint64(from[8:]))
			col.text = col.text[:at+end-start]
		} else {
			col.text = append(col.text, text[start:end]...)
		}
		col.offsets = append(col.offsets, int32(len(col.text)))
		if col.valid != nil {
			col.setValid(true)
		}
		if len(col.text) >= BatchBytes {
			b.full = true
		}
		start = end + 1
	}
	return true
}

// undo takes the cells of the record being built back out of the first columns.
func (b *Builder) undo(columns int) {
	for c := range columns {
		col := &b.columns[c]
		col.offsets = col.offsets[:len(col.offsets)-1]
		col.text = col.text[:col.offsets[len(col.offsets)-1]]
	}
}

// Null appends a null to column c of the record being built.
func (b *Builder) Null(c int) { b.Marker(c, nil) }

// Marker appends a null that keeps the text that stood for it.
func (b *Builder) Marker(c int, text []byte) {
	col := &b.columns[c]
	col.text = append(col.text, text...)
	if col.valid == nil {
		col.valid = make([]byte, bitutil.BytesForBits(BatchRecords))
		bitutil.SetBitsTo(col.valid, 0, int64(len(col.offsets)-1), true)
	}
	col.offsets = append(col.offsets, int32(len(col.text)))
	col.setValid(false)
	if len(col.text) >= BatchBytes {
		b.full = true
	}
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

// Last returns the records since the last batch as a batch, and io.EOF once there are none: what a reader answers when its
// source has ended.
func (b *Builder) Last() (*Batch, error) {
	if batch := b.Flush(); batch != nil {
		return batch, nil
	}
	return nil, io.EOF
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
