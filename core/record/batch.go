// Package record holds record sets by column.
//
// A record set is a sequence of records under named columns. Every cell is text, exactly as it came, or null; what the
// text means is decided later, by readings. Records are held in [Batch]es of Apache Arrow string arrays, and a whole set
// is a [Table]: batches that can be read any number of times, in any order and from several goroutines. Where the batches
// live is the table's business: [Spool] keeps them in memory up to a budget and in a temporary file beyond it; the
// store keeps them in its data file.
//
// Records are numbered from 0 in input order. Where a set has come from a text file, each record knows its line.
package record

import (
	"context"
	"fmt"
	"slices"
	"sort"
	"strings"
	"sync/atomic"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/bitutil"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"golang.org/x/sync/errgroup"
)

// The limits of one batch. A batch is cut as soon as either is reached, so that a page decodes only what it shows.
const (
	BatchRecords = 16 << 10 // records
	BatchBytes   = 4 << 20  // bytes of text in one column
)

// MaxRecords is the largest number of records that one side may have: the keys of two such sides can be numbered in 32 bits, and the rows
// of every comparison of them, at most their product and their sum, be counted in 63.
const MaxRecords = 2_000_000_000

// Batch is a run of consecutive records, held by column. A batch is never changed once made.
type Batch struct {
	First   int64           // number of the first record
	Columns []*array.String // one per column of the set, all of one length; nil for those that were not asked for
	Lines   []int64         // line of the source on which each record starts, counted from 1; nil when there are no lines
	Carried []int64         // number of the run that each record is carried from; nil: they are the set's own

	made *buffers // by a builder
}

// Origin is where a record has come from.
type Origin struct {
	Line int64 // of the source on which it starts, counted from 1; 0: it has none
	Run  int64 // number of the run that it is carried from, in whose snapshot it was last; 0: it is the set's own
}

// Records is the number of records in the batch.
func (b *Batch) Records() int {
	for _, c := range b.Columns {
		if c != nil {
			return c.Len()
		}
	}
	return len(b.Lines)
}

// Bytes is about how much memory the batch holds.
func (b *Batch) Bytes() int64 {
	n := int64(8 * len(b.Lines))
	for _, c := range b.Columns {
		if c != nil {
			n += int64(len(c.ValueBytes())) + 4*int64(c.Len()+1)
		}
	}
	return n
}

// Built reports whether the batch was made by a [Builder]: then it holds no memory but its own, however it is kept.
func (b *Batch) Built() bool { return b.made != nil }

// Origin returns where the batch's record i has come from.
func (b *Batch) Origin(i int) Origin {
	o := Origin{Line: b.Line(i)}
	if b.Carried != nil {
		o.Run = b.Carried[i]
	}
	return o
}

// Line returns the source line of the batch's record i, or 0 when it has none.
func (b *Batch) Line(i int) int64 {
	if b.Lines == nil {
		return 0
	}
	return b.Lines[i]
}

// Cells returns the cells of the batch's record i, as copies that outlive the batch.
func (b *Batch) Cells(i int) []Cell {
	cells := make([]Cell, len(b.Columns))
	b.CellsOf([]int{i}, cells)
	OwnTexts(cells)
	return cells
}

// CellsOf reads the records that stand at the given places in the batch into cells, record by record; there are as many as they have. Their texts are
// the batch's: who keeps one keeps all of it.
func (b *Batch) CellsOf(at []int, cells []Cell) {
	columns := len(b.Columns)
	for c, col := range b.Columns {
		nulls := col.NullN() > 0
		for k, i := range at {
			cells[k*columns+c] = Cell{col.Value(i), nulls && col.IsNull(i)}
		}
	}
}

// OwnTexts makes the texts of cells copies. They share one text, so that many cells are one piece of memory, not many.
func OwnTexts(cells []Cell) {
	size := 0
	for i := range cells {
		size += len(cells[i].Text)
	}
	var text strings.Builder
	text.Grow(size)
	for i := range cells {
		text.WriteString(cells[i].Text)
	}
	rest := text.String()
	for i := range cells {
		n := len(cells[i].Text)
		cells[i].Text, rest = rest[:n], rest[n:]
	}
}

// Cell is one cell as it came: its text, and whether it is null. A null from a source that knows nulls has no text; a
// cell that is one of its set's blank markers is a null that keeps the text it came with.
type Cell struct {
	Text string
	Null bool
}

// Content is what the cell says: its text, and nothing where it is null.
func (c Cell) Content() string {
	if c.Null {
		return ""
	}
	return c.Text
}

// Table is a record set that can be read again and again. Its methods may be called from several goroutines at once.
type Table interface {
	// Columns are the column names, each different from the others.
	Columns() []string
	// Records is the number of records.
	Records() int64
	// Starts are the numbers of each batch's first record, ascending.
	Starts() []int64
	// Batch returns batch i.
	Batch(ctx context.Context, i int) (*Batch, error)
}

// Gather visits the records with the given numbers, which must be in ascending order and may repeat. Each batch that
// holds one is read once. The visit's batch is valid after the visit, too, and need not have other records than those visited.
func Gather(ctx context.Context, t Table, rows []uint32, visit func(n int, b *Batch, i int)) error {
	return GatherBatches(ctx, t, rows, func(n int, b *Batch, at []int) {
		for k, i := range at {
			visit(n+k, b, i)
		}
	})
}

// GatherBatches is [Gather] with one visit for all records that are in one batch: those from the nth of rows on, and at says where in
// it each of them stands. at is valid until the visit ends. While one batch is visited, the next ones are read.
func GatherBatches(ctx context.Context, t Table, rows []uint32, visit func(n int, b *Batch, at []int)) error {
	parts, err := stretches(t, rows)
	if err != nil {
		return err
	}
	starts := t.Starts()
	var room []int
	if _, picks := t.(picker); picks {
		for _, p := range parts {
			if room, err = gatherOne(ctx, t, p, starts[p.batch], rows, room, visit); err != nil {
				return err
			}
		}
		return nil
	}
	batches := make([]int, len(parts))
	for k, p := range parts {
		batches[k] = p.batch
	}
	return readAhead(ctx, t, batches, func(k int, b *Batch) {
		room = parts[k].places(rows, starts[parts[k].batch], room)
		visit(parts[k].from, b, room)
	})
}

// GatherParallel is [GatherBatches] by several workers, each with a visit of its own: different batches are visited at once,
// in no order.
func GatherParallel(ctx context.Context, t Table, rows []uint32, workers int, visit func() func(n int, b *Batch, at []int)) error {
	starts := t.Starts()
	parts, err := stretches(t, rows)
	if err != nil {
		return err
	}
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range min(max(workers, 1), len(parts)) {
		group.Go(func() error {
			visit := visit()
			var room []int
			for {
				k := int(next.Add(1)) - 1
				if k >= len(parts) {
					return nil
				}
				var err error
				if room, err = gatherOne(ctx, t, parts[k], starts[parts[k].batch], rows, room, visit); err != nil {
					return err
				}
			}
		})
	}
	return group.Wait()
}

// stretch is which of some rows one batch holds.
type stretch struct{ batch, from, end int }

// stretches are those of rows, which are in ascending order.
func stretches(t Table, rows []uint32) (list []stretch, err error) {
	starts := t.Starts()
	for n := 0; n < len(rows); {
		row := int64(rows[n])
		if row >= t.Records() {
			return nil, fmt.Errorf("record %d of a set of %d was asked for", row, t.Records())
		}
		s := stretch{batchOf(starts, row), n, len(rows)}
		if s.batch+1 < len(starts) {
			s.end = n + sort.Search(len(rows)-n, func(k int) bool { return int64(rows[n+k]) >= starts[s.batch+1] })
		}
		list, n = append(list, s), s.end
	}
	return list, nil
}

// places are where the rows stand in their batch, which begins at record start, in the memory of room where that suffices.
func (s stretch) places(rows []uint32, start int64, room []int) []int {
	at := slices.Grow(room[:0], s.end-s.from)
	for _, row := range rows[s.from:s.end] {
		at = append(at, int(int64(row)-start))
	}
	return at
}

// gatherOne visits the rows of a stretch, whose batch begins at record start. room is memory that may be used, and is returned.
func gatherOne(ctx context.Context, t Table, s stretch, start int64, rows []uint32, room []int, visit func(n int, b *Batch, at []int)) ([]int, error) {
	at := s.places(rows, start, room)
	var b *Batch
	var err error
	if p, ok := t.(picker); ok {
		if b, at, err = p.Pick(ctx, s.batch, at); err != nil {
			return nil, err
		}
	} else if b, err = t.Batch(ctx, s.batch); err != nil {
		return nil, err
	}
	visit(s.from, b, at)
	return at, nil
}

// picker is a table that reads some records of a batch more easily than all. They are given by their places in the batch, in
// ascending order, which may repeat. The batch that is returned has these and maybe others; at says where in it each stands; it may be
// places itself.
type picker interface {
	Pick(ctx context.Context, batch int, places []int) (b *Batch, at []int, err error)
}

// batchOf is the batch that holds a record.
func batchOf(starts []int64, row int64) int {
	return sort.Search(len(starts), func(k int) bool { return starts[k] > row }) - 1
}

// GatherColumns is [Gather] for some columns: the visit is given these, in the order of columns, and where the record is in
// them. Of a table that can, no other column is read, which pays where the records are many.
func GatherColumns(ctx context.Context, t Table, columns []int, rows []uint32, visit func(n int, columns []*array.String, i int)) error {
	starts := t.Starts()
	read := make([]*array.String, len(columns))
	for n := 0; n < len(rows); {
		row := int64(rows[n])
		if row >= t.Records() {
			return fmt.Errorf("record %d of a set of %d was asked for", row, t.Records())
		}
		at := batchOf(starts, row)
		end := t.Records()
		if at+1 < len(starts) {
			end = starts[at+1]
		}
		for i, c := range columns {
			var err error
			if read[i], err = ColumnOf(ctx, t, at, c); err != nil {
				return err
			}
		}
		for ; n < len(rows) && int64(rows[n]) < end; n++ {
			visit(n, read, int(int64(rows[n])-starts[at]))
		}
	}
	return nil
}

// stringArray wraps text and its offsets as an Arrow array without copying. valid is nil when no cell is null. How many are null is counted at once, for
// an array that counts it when it is asked writes that down, and many may ask at the same time.
func stringArray(text []byte, offsets []int32, valid []byte) *array.String {
	n, nulls := len(offsets)-1, 0
	var bitmap *memory.Buffer
	if valid != nil {
		bitmap, nulls = memory.NewBufferBytes(valid), n-bitutil.CountSetBits(valid, 0, n)
	}
	data := array.NewData(arrow.BinaryTypes.String, n, []*memory.Buffer{
		bitmap, memory.NewBufferBytes(arrow.Int32Traits.CastToBytes(offsets)), memory.NewBufferBytes(text),
	}, nil, nulls, 0)
	return array.NewStringData(data)
}

// dataOf wraps the bytes of n fixed-width values without copying.
func dataOf(t arrow.DataType, n int, b []byte) *array.Data {
	return array.NewData(t, n, []*memory.Buffer{nil, memory.NewBufferBytes(b)}, nil, 0, 0)
}

// columnTable is a table that can give one column of a batch without the others.
type columnTable interface {
	Column(ctx context.Context, i, c int) (*array.String, error)
}

// someTable is a table that can give some columns of a batch at once, without the others.
type someTable interface {
	Some(ctx context.Context, i int, columns []int) (*Batch, error)
}

// SomeOf returns a table's batch i with at least the given columns; it may have no others. Tables that can, read no others.
func SomeOf(ctx context.Context, t Table, i int, columns []int) (*Batch, error) {
	if t, ok := t.(someTable); ok {
		return t.Some(ctx, i, columns)
	}
	return t.Batch(ctx, i)
}

// ColumnOf returns column c of a table's batch i. Tables that can, read no other column for it.
func ColumnOf(ctx context.Context, t Table, i, c int) (*array.String, error) {
	if t, ok := t.(columnTable); ok {
		return t.Column(ctx, i, c)
	}
	b, err := t.Batch(ctx, i)
	if err != nil {
		return nil, err
	}
	return b.Columns[c], nil
}

// Pick returns some records of a batch, by their places in it.
func Pick(b *Batch, places []int) *Batch {
	to := NewBuilder(len(b.Columns))
	to.From(b.First, len(places)+1, 0)
	if b.Carried != nil {
		panic("record: carried records are picked")
	}
	for _, i := range places {
		for c, col := range b.Columns {
			if text := []byte(col.Value(i)); col.IsNull(i) {
				to.Marker(c, text)
			} else {
				to.Cell(c, text)
			}
		}
		to.Close(b.Line(i))
	}
	return to.Flush()
}
