package record

import (
	"io"
	"math"
	"slices"
	"sync"

	"github.com/apache/arrow-go/v18/arrow/bitutil"
)

// Builder collects records into batches. Cells go straight into the buffers that the batch's Arrow arrays will use.
type Builder struct {
	columns []columnBuilder
	skipped []bool // by column; nil: none
	lines   []int64
	next    int64 // number of the first record of the batch being built
	most    int   // records of a batch
	bytes   int   // of one column, with which a batch is full
	full    bool

	mu   sync.Mutex
	free []*buffers // of batches that nobody needs any more
}

// buffers are what a batch is made of.
type buffers struct {
	columns []columnBuilder
	lines   []int64
}

type columnBuilder struct {
	text    []byte
	offsets []int32
	valid   []byte // nil until the first null
}

// NewBuilder returns a builder for records of the given number of columns.
func NewBuilder(columns int) *Builder {
	b := &Builder{columns: make([]columnBuilder, columns), most: BatchRecords, bytes: BatchBytes}
	b.reset()
	return b
}

// From lets the builder make one batch again: that of so many records, however long, whose first has the given number. They have about
// so many bytes together.
func (b *Builder) From(first int64, records, bytes int) {
	b.next, b.most, b.bytes = first, records, math.MaxInt32
	for c := range b.columns {
		if !b.skips(c) {
			b.columns[c] = columnBuilder{text: make([]byte, 0, bytes/len(b.columns)+bytes/8), offsets: make([]int32, 1, records+1)}
		}
	}
	b.lines = make([]int64, 0, records)
}

// Number lets the next batch begin with the record of the given number.
func (b *Builder) Number(first int64) { b.next = first }

// Most lets a batch have so many records at most. It is for a builder that has no records since the last batch.
func (b *Builder) Most(records int) { b.most = records }

// reset gives every column fresh buffers, for the last batch keeps the old ones; they are those of a batch that was given back, or are
// sized by what the last one needed.
func (b *Builder) reset() {
	b.full = false
	b.mu.Lock()
	defer b.mu.Unlock()
	if n := len(b.free); n > 0 {
		old := b.free[n-1]
		b.free = b.free[:n-1]
		for c := range old.columns {
			col := &old.columns[c]
			b.columns[c] = columnBuilder{text: col.text[:0], offsets: append(col.offsets[:0], 0)}
		}
		b.lines = old.lines[:0]
		return
	}
	records := len(b.lines)
	for c := range b.columns {
		col := &b.columns[c]
		size := len(col.text) + len(col.text)/16
		*col = columnBuilder{text: make([]byte, 0, size), offsets: make([]int32, 1, records+1)}
	}
	b.lines = make([]int64, 0, records)
}

// Recycle lets the builder use the memory of a batch that it made and that nobody needs any more. Other goroutines may call it.
func (b *Builder) Recycle(batch *Batch) {
	if batch.made == nil {
		return
	}
	b.mu.Lock()
	b.free = append(b.free, batch.made)
	b.mu.Unlock()
}

// Only lets the builder keep these columns alone. Batches then have no array for the others.
func (b *Builder) Only(columns []int) {
	b.skipped = make([]bool, len(b.columns))
	for c := range b.skipped {
		b.skipped[c] = !slices.Contains(columns, c)
	}
}

func (b *Builder) skips(c int) bool { return b.skipped != nil && b.skipped[c] }

// Cell appends a cell to column c of the record being built. Every column gets exactly one before [Builder.Close].
func (b *Builder) Cell(c int, text []byte) {
	if b.skips(c) {
		return
	}
	col := &b.columns[c]
	col.text = append(col.text, text...)
	col.offsets = append(col.offsets, int32(len(col.text)))
	if col.valid != nil {
		col.setValid(true)
	}
	if len(col.text) >= b.bytes {
		b.full = true
	}
}

// Plain appends records whose cells stand one byte apart in text: ends says, record by record, where each cell ends. A carriage
// return at the end of a record's last cell is not part of it. line is that of the first record; the others follow it, one a line.
// The batch must have room for them: see [Builder.Room].
func (b *Builder) Plain(text []byte, ends []int32, line int64) {
	columns := len(b.columns)
	for c := range b.columns {
		if b.skips(c) {
			continue
		}
		b.columns[c].plain(text, ends, c, columns)
		if len(b.columns[c].text) >= b.bytes {
			b.full = true
		}
	}
	for i := range len(ends) / columns {
		b.lines = append(b.lines, line+int64(i))
	}
}

// plain appends the cells of one column. Most are short, and calling a copy for each costs more than copying: a cell of up to 32
// bytes is copied together with bytes behind it, which the next cell overwrites.
func (c *columnBuilder) plain(text []byte, ends []int32, column, columns int) {
	first, records := len(c.offsets), len(ends)/columns
	c.offsets = slices.Grow(c.offsets, records)[:first+records]
	offsets := c.offsets[first:]
	to, at := c.text[:cap(c.text)], len(c.text)
	start := 0
	for i, n := 0, column; n < len(ends) && i < len(offsets); i, n = i+1, n+columns {
		if n > 0 {
			start = int(ends[n-1]) + 1
		}
		end := int(ends[n])
		if column == columns-1 && end > start && text[end-1] == '\r' {
			end--
		}
		size := end - start
		if at+size+words > len(to) {
			c.text = slices.Grow(c.text[:at], size+words)
			to = c.text[:cap(c.text)]
		}
		if start+words <= len(text) && size <= words {
			src, dst := text[start:start+words], to[at:at+words]
			*(*[words / 2]byte)(dst) = *(*[words / 2]byte)(src) // which the compiler does without a call
			*(*[words / 2]byte)(dst[words/2:]) = *(*[words / 2]byte)(src[words/2:])
		} else {
			copy(to[at:], text[start:end])
		}
		at += size
		offsets[i] = int32(at)
	}
	c.text = c.text[:at]
	if c.valid != nil {
		bitutil.SetBitsTo(c.valid, int64(first-1), int64(records), true)
	}
}

// words is how many bytes are copied at once.
const words = 32

// Room is how many records the batch can still take, if none of their columns has more than so many bytes; at least one.
func (b *Builder) Room(bytes int) int {
	for c := range b.columns {
		if len(b.columns[c].text)+bytes >= b.bytes {
			return 1
		}
	}
	return b.most - len(b.lines)
}

// Null appends a null to column c of the record being built.
func (b *Builder) Null(c int) { b.Marker(c, nil) }

// Marker appends a null that keeps the text that stood for it.
func (b *Builder) Marker(c int, text []byte) {
	if b.skips(c) {
		return
	}
	col := &b.columns[c]
	col.text = append(col.text, text...)
	if col.valid == nil {
		col.valid = make([]byte, bitutil.BytesForBits(int64(b.most)))
		bitutil.SetBitsTo(col.valid, 0, int64(len(col.offsets)-1), true)
	}
	col.offsets = append(col.offsets, int32(len(col.text)))
	col.setValid(false)
	if len(col.text) >= b.bytes {
		b.full = true
	}
}

func (c *columnBuilder) setValid(v bool) {
	bitutil.SetBitTo(c.valid, len(c.offsets)-2, v)
}

// Close ends the record, which started on the given line of its source (0: no lines), and returns a batch when one is full.
func (b *Builder) Close(line int64) *Batch {
	b.lines = append(b.lines, line)
	return b.Full()
}

// Full returns the records since the last batch as a batch where that is full, else nil.
func (b *Builder) Full() *Batch {
	if b.full || len(b.lines) == b.most {
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
	batch := &Batch{First: b.next, Lines: b.lines, made: &buffers{slices.Clone(b.columns), b.lines}}
	for c := range b.columns {
		if b.skips(c) {
			batch.Columns = append(batch.Columns, nil)
			continue
		}
		col := &b.columns[c]
		batch.Columns = append(batch.Columns, stringArray(col.text, col.offsets, col.valid))
	}
	b.next += int64(len(b.lines))
	b.reset()
	return batch
}
