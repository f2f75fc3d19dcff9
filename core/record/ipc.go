package record

import (
	"bytes"
	"fmt"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
)

func int64Array(v []int64) *array.Int64 {
	return array.NewInt64Data(dataOf(arrow.PrimitiveTypes.Int64, len(v), arrow.Int64Traits.CastToBytes(v)))
}

// encodeBatch writes a whole batch without compression: for temporary files, where time counts more than space.
func encodeBatch(b *Batch) ([]byte, error) {
	fields := make([]arrow.Field, 0, len(b.Columns)+1)
	columns := make([]arrow.Array, 0, len(b.Columns)+1)
	for c, col := range b.Columns {
		fields = append(fields, arrow.Field{Name: fmt.Sprint(c), Type: arrow.BinaryTypes.String, Nullable: true})
		columns = append(columns, col)
	}
	fields = append(fields, arrow.Field{Name: "lines", Type: arrow.PrimitiveTypes.Int64})
	columns = append(columns, int64Array(b.Lines))
	schema := arrow.NewSchema(fields, nil)
	return encode(schema, array.NewRecordBatch(schema, columns, int64(b.Records())))
}

func decodeBatch(blob []byte, first int64) (*Batch, error) {
	rec, err := decode(blob)
	if err != nil {
		return nil, err
	}
	b := &Batch{First: first}
	for _, col := range rec.Columns() {
		switch col := col.(type) {
		case *array.String:
			b.Columns = append(b.Columns, col)
		case *array.Int64:
			b.Lines = col.Int64Values()
		}
	}
	return b, nil
}

func encode(schema *arrow.Schema, rec arrow.RecordBatch, opts ...ipc.Option) ([]byte, error) {
	var buf bytes.Buffer
	w := ipc.NewWriter(&buf, append(opts, ipc.WithSchema(schema))...)
	if err := w.Write(rec); err != nil {
		return nil, fmt.Errorf("encoding a column: %w", err)
	}
	if err := w.Close(); err != nil {
		return nil, fmt.Errorf("encoding a column: %w", err)
	}
	return buf.Bytes(), nil
}

func decode(blob []byte) (arrow.RecordBatch, error) {
	r, err := ipc.NewReader(bytes.NewReader(blob))
	if err != nil {
		return nil, fmt.Errorf("decoding a stored column: %w", err)
	}
	rec, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("decoding a stored column: %w", err)
	}
	return rec, nil
}
