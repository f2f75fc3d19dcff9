package outform

import (
	"io"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/compress"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"twinsieve/core/record"
)

// columnarWriter writes rows by column, some thousand at a time. Every column is of texts, so that each cell stays as it is.
type columnarWriter struct {
	schema  *arrow.Schema
	builder *record.Builder
	write   func(arrow.RecordBatch) error
	close   func() error
}

func columnarSchema(columns []Column, opts Options) *arrow.Schema {
	var fields []arrow.Field
	for _, c := range columns {
		fields = append(fields, arrow.Field{Name: c.Name, Type: arrow.BinaryTypes.String, Nullable: true})
	}
	var names, values []string
	for _, s := range opts.Stated {
		names, values = append(names, s[0]), append(values, s[1])
	}
	said := arrow.NewMetadata(names, values)
	return arrow.NewSchema(fields, &said)
}

func newArrow(w io.Writer, columns []Column, opts Options) (Writer, error) {
	schema := columnarSchema(columns, opts)
	out := ipc.NewWriter(w, ipc.WithSchema(schema), ipc.WithLZ4())
	return &columnarWriter{schema, record.NewBuilder(len(columns)), out.Write, out.Close}, nil
}

func newParquet(w io.Writer, columns []Column, opts Options) (Writer, error) {
	schema := columnarSchema(columns, opts)
	out, err := pqarrow.NewFileWriter(schema, keepOpen{w}, parquet.NewWriterProperties(parquet.WithCompression(compress.Codecs.Zstd)), pqarrow.NewArrowWriterProperties(pqarrow.WithStoreSchema()))
	if err != nil {
		return nil, err
	}
	return &columnarWriter{schema, record.NewBuilder(len(columns)), out.WriteBuffered, out.Close}, nil
}

// keepOpen hides that a writer can be closed, which the format's writer would do.
type keepOpen struct{ io.Writer }

func (c *columnarWriter) Write(cells []record.Cell) error {
	for i, cell := range cells {
		if cell.Null && cell.Text == "" {
			c.builder.Null(i)
		} else {
			c.builder.Cell(i, []byte(cell.Text))
		}
	}
	return c.put(c.builder.Close(0))
}

func (c *columnarWriter) put(b *record.Batch) error {
	if b == nil {
		return nil
	}
	columns := make([]arrow.Array, len(b.Columns))
	for i, col := range b.Columns {
		columns[i] = col
	}
	return c.write(array.NewRecordBatch(c.schema, columns, int64(b.Records())))
}

func (c *columnarWriter) Close() error {
	if err := c.put(c.builder.Flush()); err != nil {
		return err
	}
	return c.close()
}
