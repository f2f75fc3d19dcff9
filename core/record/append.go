package record

import (
	"context"
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"
)

// Append returns a table of the records of first, and behind them those of second, which has the same columns.
func Append(first, second Table) Table {
	t := &appended{parts: [2]Table{first, second}, starts: slices.Clone(first.Starts())}
	for _, start := range second.Starts() {
		t.starts = append(t.starts, first.Records()+start)
	}
	return t
}

type appended struct {
	parts  [2]Table
	starts []int64
}

func (t *appended) Columns() []string { return t.parts[0].Columns() }
func (t *appended) Records() int64    { return t.parts[0].Records() + t.parts[1].Records() }
func (t *appended) Starts() []int64   { return t.starts }

// part is the part that holds batch i, and which batch of it that is.
func (t *appended) part(i int) (Table, int) {
	if n := len(t.parts[0].Starts()); i >= n {
		return t.parts[1], i - n
	}
	return t.parts[0], i
}

// Batch implements [Table].
func (t *appended) Batch(ctx context.Context, i int) (*Batch, error) {
	part, at := t.part(i)
	b, err := part.Batch(ctx, at)
	if err != nil || part == t.parts[0] {
		return b, err
	}
	moved := *b // batches may be shared, and never change
	moved.First = t.starts[i]
	return &moved, nil
}

// Some gives some columns of a batch without the others, where the part can.
func (t *appended) Some(ctx context.Context, i int, columns []int) (*Batch, error) {
	part, at := t.part(i)
	b, err := SomeOf(ctx, part, at, columns)
	if err != nil || part == t.parts[0] {
		return b, err
	}
	moved := *b
	moved.First = t.starts[i]
	return &moved, nil
}

// Column gives one column of a batch without the others, where the part can.
func (t *appended) Column(ctx context.Context, i, c int) (*array.String, error) {
	part, at := t.part(i)
	return ColumnOf(ctx, part, at, c)
}
