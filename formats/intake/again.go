package intake

import (
	"context"
	"io"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/record"
	"twinsieve/formats/delimited"
)

// Again reports whether what has been read from the file can be read from it again, record by record, so that nothing of it has to
// be kept: it is delimited text in UTF-8 as it is stored, and nothing is computed.
func (s *Source) Again() bool { return s.again != nil && s.computing == nil }

// Only lets the source keep these columns alone. Batches then have no array for the others. It is for sources that can be read [Source.Again].
func (s *Source) Only(columns []int) { s.again.Only(columns) }

// Recycle lets the source use the memory of a batch that it gave and that nobody needs any more. Other goroutines may call it.
func (s *Source) Recycle(b *record.Batch) {
	if s.again != nil {
		s.again.Recycle(b)
	}
}

// Lines returns records as they stand in the file, as [delimited.Reader.Lines] does. It is for sources that can be read [Source.Again].
func (s *Source) Lines() (*record.Lines, error) {
	if len(s.settled.Blanks) > 0 {
		return nil, nil
	}
	return s.again.Lines()
}

// Reuse lets the source use the memory of lines that it gave and that nobody needs any more. Other goroutines may call it.
func (s *Source) Reuse(l *record.Lines) { s.again.Reuse(l) }

// Table returns the records as a table that reads them from the file again, once Next has returned io.EOF. It is for sources that can be
// read [Source.Again]; the file must stay open, and as it is.
func (s *Source) Table(file io.ReaderAt) record.Table {
	t := s.again.Table(file)
	if len(s.settled.Blanks) == 0 {
		return t
	}
	return markedTable{t, record.NewMarkers(s.settled.Blanks)}
}

// markedTable is a table whose blank markers are blank.
type markedTable struct {
	*delimited.Table
	markers record.Markers
}

// Batch implements [record.Table].
func (t markedTable) Batch(ctx context.Context, i int) (*record.Batch, error) {
	b, err := t.Table.Batch(ctx, i)
	if err != nil {
		return nil, err
	}
	return t.markers.Apply(b), nil
}

// Some is [delimited.Table.Some].
func (t markedTable) Some(ctx context.Context, i int, columns []int) (*record.Batch, error) {
	b, err := t.Table.Some(ctx, i, columns)
	if err != nil {
		return nil, err
	}
	return t.markers.Apply(b), nil
}

// Column is [delimited.Table.Column].
func (t markedTable) Column(ctx context.Context, i, c int) (*array.String, error) {
	b, err := t.Some(ctx, i, []int{c})
	if err != nil {
		return nil, err
	}
	return b.Columns[c], nil
}

// Pick is [delimited.Table.Pick].
func (t markedTable) Pick(ctx context.Context, i int, places []int) (*record.Batch, []int, error) {
	b, at, err := t.Table.Pick(ctx, i, places)
	if err != nil {
		return nil, nil, err
	}
	return t.markers.Apply(b), at, nil
}
