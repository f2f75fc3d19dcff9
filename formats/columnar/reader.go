// Package columnar reads records from files that hold them by column: Apache Parquet and Apache Arrow IPC.
//
// Every value is taken as the text that writes it exactly: an integer in digits, a decimal with as many digits behind the
// point as its type has, a floating-point number with the fewest digits that give it back, a date as YYYY-MM-DD, a time in
// ISO 8601, true and false as those words, bytes as the text that they are. A null is a null. Bytes that are no UTF-8 text
// make their record a reject; a column whose values have parts (a list, a structure, a map) makes the file unreadable, and
// is named. A record's line is its place in the file, counted from 1.
package columnar

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/file"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"twinsieve/core/record"
)

// Options are how to read a columnar file.
type Options struct {
	Reject func(record.Reject) // called for each reject; may be nil
}

// Reader reads records from a columnar file.
type Reader struct {
	opts    Options
	format  string
	size    int64
	names   []string
	records int64 // of the file, 0 when it does not say
	next    func() (arrow.RecordBatch, error)
	builder *record.Builder
	read    int64
	rejects int64

	batch  arrow.RecordBatch // being read
	texts  []cellText
	row    int
	buffer []byte
	ends   []int
}

// batchRecords is how many records are decoded at once: few, for their cells may be long.
const batchRecords = 4096

// IsParquet and IsArrow tell the formats from a file's first bytes.
func IsParquet(head []byte) bool { return bytes.HasPrefix(head, []byte("PAR1")) }

// IsArrow tells Arrow's file form and its stream form.
func IsArrow(head []byte) bool {
	return bytes.HasPrefix(head, []byte("ARROW1")) || isStream(head)
}

// isStream: a stream begins with a continuation mark and the size of its schema.
func isStream(head []byte) bool {
	return len(head) >= 8 && bytes.HasPrefix(head, []byte{0xFF, 0xFF, 0xFF, 0xFF}) && head[7] == 0
}

// NewParquet begins to read a Parquet file.
func NewParquet(source io.ReaderAt, size int64, opts Options) (r *Reader, err error) {
	defer guard("Parquet", &err)
	props := parquet.NewReaderProperties(decoding)
	props.BufferSize, props.BufferedStreamEnabled = 1<<20, true
	f, err := file.NewParquetReader(io.NewSectionReader(source, 0, size), file.WithReadProps(props))
	if err != nil {
		return nil, broken("Parquet", err)
	}
	if err := checkStoredSchema(f.MetaData().KeyValueMetadata()); err != nil {
		return nil, broken("Parquet", err)
	}
	p, err := pqarrow.NewFileReader(f, pqarrow.ArrowReadProperties{BatchSize: batchRecords}, decoding)
	if err != nil {
		return nil, broken("Parquet", err)
	}
	schema, err := p.Schema()
	if err != nil {
		return nil, broken("Parquet", err)
	}
	r = &Reader{opts: opts, format: "Parquet", size: size, records: f.NumRows()}
	if err := r.begin(schema); err != nil {
		return nil, err
	}
	batches, err := p.GetRecordReader(context.Background(), nil, nil)
	if err != nil {
		return nil, broken("Parquet", err)
	}
	r.next = func() (batch arrow.RecordBatch, err error) {
		defer guard("Parquet", &err)
		batch, err = batches.Read()
		if err != nil && err != io.EOF {
			err = broken("Parquet", err)
		}
		return batch, err
	}
	return r, nil
}

// NewArrow begins to read an Arrow IPC file or stream.
func NewArrow(source io.ReaderAt, size int64, opts Options) (r *Reader, err error) {
	defer guard("Arrow", &err)
	head := make([]byte, 8)
	if _, err := source.ReadAt(head, 0); err != nil {
		return nil, broken("Arrow", io.ErrUnexpectedEOF)
	}
	r = &Reader{opts: opts, format: "Arrow", size: size}
	var schema *arrow.Schema
	if isStream(head) {
		if err := checkStream(source, size); err != nil {
			return nil, broken("Arrow", err)
		}
		s, err := ipc.NewReader(io.NewSectionReader(source, 0, size), ipc.WithAllocator(decoding))
		if err != nil {
			return nil, broken("Arrow", err)
		}
		schema = s.Schema()
		r.next = s.Read
	} else {
		if err := checkFile(source, size); err != nil {
			return nil, broken("Arrow", err)
		}
		f, err := ipc.NewFileReader(io.NewSectionReader(source, 0, size), ipc.WithAllocator(decoding))
		if err != nil {
			return nil, broken("Arrow", err)
		}
		schema = f.Schema()
		at := 0
		r.next = func() (arrow.RecordBatch, error) {
			if at == f.NumRecords() {
				return nil, io.EOF
			}
			at++
			return f.RecordBatchAt(at - 1)
		}
	}
	read := r.next
	r.next = func() (batch arrow.RecordBatch, err error) {
		defer guard("Arrow", &err)
		batch, err = read()
		if err != nil && err != io.EOF {
			err = broken("Arrow", err)
		}
		return batch, err
	}
	return r, r.begin(schema)
}

func broken(format string, err error) error {
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return &record.Unreadable{What: "the " + format + " file is cut off; it did not arrive whole"}
	}
	return &record.Unreadable{What: fmt.Sprintf("the %s file is damaged: %s", format, err)}
}

// guard turns a panic over a damaged file, which the decoders allow themselves, into what it is.
func guard(format string, err *error) {
	if p := recover(); p != nil {
		*err = broken(format, fmt.Errorf("%v", p))
	}
}

func (r *Reader) begin(schema *arrow.Schema) error {
	for _, f := range schema.Fields() {
		if nested(f.Type) {
			return &record.Unreadable{Place: fmt.Sprintf("column %q", f.Name),
				What: fmt.Sprintf("its values are of type %s, which has parts; a cell is one value: take the parts apart, or leave the column out, where the file is made", f.Type)}
		}
		r.names = append(r.names, f.Name)
	}
	if len(r.names) == 0 {
		return &record.Unreadable{What: "the file has no columns"}
	}
	var err error
	if r.names, err = record.CheckColumns(r.names, 0); err != nil {
		return err
	}
	r.builder, r.texts = record.NewBuilder(len(r.names)), make([]cellText, len(r.names))
	return nil
}

func nested(t arrow.DataType) bool {
	switch of := t.(type) {
	case *arrow.DictionaryType:
		return nested(of.ValueType)
	case arrow.ExtensionType:
		return nested(of.StorageType())
	}
	_, ok := t.(arrow.NestedType)
	return ok
}

// Columns are the names of the columns.
func (r *Reader) Columns() []string { return r.names }

// Rejects is the number of rejects so far.
func (r *Reader) Rejects() int64 { return r.rejects }

// Bytes is about how many bytes have been used so far, reckoned by records.
func (r *Reader) Bytes() int64 {
	if r.records == 0 {
		return 0
	}
	return int64(float64(r.size) * float64(r.read) / float64(r.records))
}

// Next implements [record.Reader].
func (r *Reader) Next() (_ *record.Batch, err error) {
	defer guard(r.format, &err) // values are decoded when they are looked at
	for {
		if r.batch == nil || r.row == int(r.batch.NumRows()) {
			batch, err := r.next()
			if err == io.EOF {
				return r.builder.Last()
			}
			if err != nil {
				return nil, err
			}
			if err := r.take(batch); err != nil {
				return nil, err
			}
			continue
		}
		if b := r.record(); b != nil {
			return b, nil
		}
	}
}

func (r *Reader) take(batch arrow.RecordBatch) error {
	r.batch, r.row = batch, 0
	for c, col := range batch.Columns() {
		var err error
		if r.texts[c], err = textOf(col); err != nil {
			return &record.Unreadable{Place: fmt.Sprintf("column %q", r.names[c]), What: err.Error()}
		}
	}
	return nil
}

// record takes the next record of the batch being read.
func (r *Reader) record() *record.Batch {
	i := r.row
	r.row++
	r.read++
	r.buffer, r.ends = r.buffer[:0], r.ends[:0]
	for c, col := range r.batch.Columns() {
		if !isNull(col, i) {
			var ok bool
			if r.buffer, ok = r.texts[c](r.buffer, i); !ok {
				r.reject(fmt.Sprintf("column %q holds bytes that are no UTF-8 text", r.names[c]), i)
				return nil
			}
		}
		r.ends = append(r.ends, len(r.buffer))
	}
	start := 0
	for c, col := range r.batch.Columns() {
		if isNull(col, i) {
			r.builder.Null(c)
		} else {
			r.builder.Cell(c, r.buffer[start:r.ends[c]])
		}
		start = r.ends[c]
	}
	return r.builder.Close(r.read)
}

// isNull reports whether value i is null; of the type null, all are.
func isNull(col arrow.Array, i int) bool {
	if d, ok := col.(*array.Dictionary); ok && !col.IsNull(i) { // of which an entry may be null, too
		return isNull(d.Dictionary(), d.GetValueIndex(i))
	}
	return col.DataType().ID() == arrow.NULL || col.IsNull(i)
}

// reject rejects row i, of which the cells are told that have a text.
func (r *Reader) reject(reason string, i int) {
	var texts []string
	for c, col := range r.batch.Columns() {
		text := []byte(nil)
		if !isNull(col, i) {
			text, _ = r.texts[c](nil, i)
		}
		texts = append(texts, string(text))
	}
	r.rejects++
	if r.opts.Reject != nil {
		r.opts.Reject(record.NewReject(r.read, reason, []byte(strings.Join(texts, "\t"))))
	}
}
