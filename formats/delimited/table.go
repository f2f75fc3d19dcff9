package delimited

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"sync"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/record"
)

// Table is a text that has been read, as a [record.Table] that keeps nothing of it but where its batches begin: what is asked for
// is read from the file again. The file must not change meanwhile.
type Table struct {
	file    io.ReaderAt
	reader  *Reader // how the text is read
	starts  []int64
	batches []place
	records int64
	buffers sync.Pool // of *buffers
}

// buffers are what reading a batch needs.
type buffers struct {
	text []byte
	some []byte // lines of it
	ends []int32
}

// place is where a batch stands in its file.
type place struct {
	at, end int64 // bytes
	line    int64
	plain   bool // each line is a record, and nothing else is between them
	lines   int
	begins  []uint32 // of every line whose place in the batch is a multiple of noted: where it begins, counted from at
}

// noted is of how many lines it is noted where one begins, so that the others are found from there.
const noted = 4

// Table returns the records as a table, once Next has returned io.EOF. file is the text that the reader was given, from its
// first byte on.
func (r *Reader) Table(file io.ReaderAt) *Table {
	r.closeLines()
	t := &Table{file: file, reader: r, records: r.records}
	for _, b := range r.batches {
		t.starts, t.batches = append(t.starts, b.first), append(t.batches, b.place)
	}
	return t
}

// batchPlace is a place and the number of its first record.
type batchPlace struct {
	place
	first int64
}

// Columns implements [record.Table].
func (t *Table) Columns() []string { return t.reader.columns }

// Records implements [record.Table].
func (t *Table) Records() int64 { return t.records }

// Starts implements [record.Table].
func (t *Table) Starts() []int64 { return t.starts }

// recordsOf is how many records batch i has.
func (t *Table) recordsOf(i int) int {
	if i+1 < len(t.starts) {
		return int(t.starts[i+1] - t.starts[i])
	}
	return int(t.records - t.starts[i])
}

// Batch implements [record.Table].
func (t *Table) Batch(ctx context.Context, i int) (*record.Batch, error) { return t.read(ctx, i, nil) }

// Column returns column c of batch i.
func (t *Table) Column(ctx context.Context, i, c int) (*array.String, error) {
	b, err := t.read(ctx, i, []int{c})
	if err != nil {
		return nil, err
	}
	return b.Columns[c], nil
}

// Some returns batch i with these columns only.
func (t *Table) Some(ctx context.Context, i int, columns []int) (*record.Batch, error) {
	return t.read(ctx, i, columns)
}

func (t *Table) read(ctx context.Context, i int, columns []int) (*record.Batch, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	buffer, err := t.text(i)
	if err != nil {
		return nil, err
	}
	defer t.buffers.Put(buffer)
	return t.parse(buffer, buffer.text, t.starts[i], t.recordsOf(i), t.batches[i].line, columns)
}

// parse reads text as so many records, the first of which has the given number and stands on the given line.
func (t *Table) parse(buffer *buffers, text []byte, first int64, records int, line int64, columns []int) (*record.Batch, error) {
	opts := t.reader.opts
	opts.Reject, opts.Footer = nil, nil
	b := record.NewBuilder(len(t.reader.columns))
	if columns != nil {
		b.Only(columns)
	}
	b.From(first, records, len(text))
	r := &Reader{source: bytes.NewReader(nil), opts: opts, delimiter: t.reader.delimiter, columns: t.reader.columns, builder: b,
		buffer: text, ends: buffer.ends, end: len(text), ended: true, line: line, bytes: int64(len(text)), records: first}
	batch, err := r.Next()
	buffer.ends = r.ends
	if err == nil && batch.Records() == records {
		return batch, nil
	}
	return nil, errChanged
}

var errChanged = fmt.Errorf("the file has been changed while it was read; read it again")

// text is the text of batch i, in buffers that are to be given back.
func (t *Table) text(i int) (*buffers, error) {
	p := &t.batches[i]
	b, _ := t.buffers.Get().(*buffers)
	if b == nil {
		b = &buffers{}
	}
	size := int(p.end - p.at)
	b.text = slices.Grow(b.text[:0], size)[:size]
	if n, err := t.file.ReadAt(b.text, p.at); n < size {
		if err == io.EOF {
			err = errChanged
		}
		return nil, err
	}
	return b, nil
}

// Pick returns some records of batch i, whose places in it are in ascending order. Where each line is a record, only theirs are
// looked into. at says where in the batch each stands.
func (t *Table) Pick(ctx context.Context, i int, places []int) (b *record.Batch, at []int, err error) {
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	p := &t.batches[i]
	if !p.plain {
		b, err = t.Batch(ctx, i)
		return b, places, err
	}
	buffer, err := t.text(i)
	if err != nil {
		return nil, nil, err
	}
	defer t.buffers.Put(buffer)
	// Their lines are put one behind another, and read as a text of their own.
	some, rest, line := buffer.some[:0], buffer.text, 0
	at, lines := make([]int, len(places)), make([]int64, len(places))
	for n, place := range places {
		if near := place / noted * noted; near > line {
			rest, line = buffer.text[p.begins[place/noted]:], near
		}
		for ; line < place; line++ {
			rest = rest[bytes.IndexByte(rest, '\n')+1:]
		}
		some = append(some, rest[:bytes.IndexByte(rest, '\n')+1]...)
		at[n], lines[n] = n, p.line+int64(place)
	}
	buffer.some = some
	if b, err = t.parse(buffer, some, t.starts[i], len(places), lines[0], nil); err != nil {
		return nil, nil, err
	}
	b.Lines = lines
	return b, at, nil
}
