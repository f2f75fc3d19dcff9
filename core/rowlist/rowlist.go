// Package rowlist puts rows of a comparison into an order of their own: those that a filter keeps, sorted by columns.
//
// A [List] is the numbers of the records in each row, eight bytes a row, and no cell. It is built once, in passes over the
// columns that the filter and the sort name and no others; any page of it is then there at once. Rows that do not fit the
// budget, and the sorted pieces they are merged from, go to temporary files.
//
// Sorting is stable and by type: numbers by their exact value, dates by their day however they are written, texts by their
// bytes. Behind the values come those that cannot be read as the type, then blanks, then rows that have no partner there; a
// descending sort turns only the values. Asked for, blanks and rows without a partner come first.
//
// A filter is two-valued: a row for which it cannot be decided is not kept, and is counted.
package rowlist

import (
	"context"
	"fmt"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/comparison"
	"twinsieve/core/expression"
	"twinsieve/core/record"
	"twinsieve/core/sorted"
	"twinsieve/core/typing"
)

// Source is the rows that a list is made of, and where their cells are.
type Source struct {
	Rows    *comparison.Rows
	Tables  [2]record.Table
	Columns []comparison.Column // all that the rows have; filters and sorts go by their places in it
	Groups  *comparison.Groups  // of distinct whole records, else nil: see [comparison.Fetch]
}

// Key is a column that rows are sorted by.
type Key struct {
	Column      int            // its place among the source's columns
	Types       [2]typing.Type // as what each side's cells are read
	Descending  bool
	BlanksFirst bool
}

// Query says which rows are wanted and in which order.
type Query struct {
	Where *expression.Program // over the source's columns; nil: all rows
	Sort  []Key               // the first counts most; none: default order
}

// Options are how, not what, to compute. The zero value is good.
type Options struct {
	Workers  int    // 0: one for each processor
	Budget   int64  // bytes that may stay in memory; 0: 256 MiB
	TempDir  string // where temporary files go; "": the system's place
	Progress func(stage string, done, total int64)
}

// Left counts the rows that a filter left out.
type Left struct {
	Rows      int64 // of these:
	Lonely    int64 // without a partner
	Undecided int64 // for which the filter could not be decided
	Why       string
}

// Most is how many rows can be filtered or sorted: a list of them takes eight gigabytes.
const Most = 1_000_000_000

// TooMany says that there are more rows than can be filtered or sorted.
type TooMany struct{ Rows int64 }

// Error implements error.
func (e *TooMany) Error() string {
	return fmt.Sprintf("there are %d rows, and %d at most can be filtered or sorted; filter the sides before they are compared", e.Rows, int64(Most))
}

// pieceRows is how many rows are looked at together at most.
const pieceRows = 1 << 20

// Build makes a list. It is to be closed. It stops with the context's error when the context ends, and refuses more than [Most]
// rows with a [*TooMany].
func Build(ctx context.Context, src Source, q Query, opts Options) (_ *List, left Left, err error) {
	if opts.Workers <= 0 {
		opts.Workers = runtime.GOMAXPROCS(0)
	}
	if opts.Budget <= 0 {
		opts.Budget = 256 << 20
	}
	if opts.Progress == nil {
		opts.Progress = func(string, int64, int64) {}
	}
	if n := src.Rows.Len(); n > Most {
		return nil, left, &TooMany{n}
	}
	b := &builder{src: src, query: q, opts: opts, list: newList(opts.Budget/4, opts.TempDir)}
	defer func() {
		if err != nil {
			_ = b.list.Close()
		}
	}()
	b.columns()
	sorter := sorted.New(opts.Budget/2, opts.TempDir)
	defer sorter.Close()
	total := src.Rows.Len()
	each, err := b.rowBytes(ctx)
	if err != nil {
		return nil, left, err
	}
	size := min(pieceRows, max(opts.Budget/2/each, 1024))
	rows := make([]comparison.Row, size)
	for first := int64(0); first < total; first += size {
		if err := ctx.Err(); err != nil {
			return nil, left, err
		}
		n := src.Rows.Read(first, rows)
		if err := b.piece(ctx, rows[:n], sorter, &left); err != nil {
			return nil, left, err
		}
		opts.Progress("reading the rows", first+int64(n), total)
	}
	if len(q.Sort) > 0 {
		err = b.merge(ctx, sorter)
	}
	if err == nil {
		err = b.list.seal()
	}
	if err != nil {
		return nil, left, err
	}
	return b.list, left, nil
}

type builder struct {
	src   Source
	query Query
	opts  Options
	list  *List
	used  []comparison.Column
	place []int // of each of the source's columns among those used; -1: not used
}

// columns finds which columns have to be fetched.
func (b *builder) columns() {
	b.place = make([]int, len(b.src.Columns))
	for i := range b.place {
		b.place[i] = -1
	}
	use := func(c int) {
		if b.place[c] < 0 {
			b.place[c] = len(b.used)
			b.used = append(b.used, b.src.Columns[c])
		}
	}
	if b.query.Where != nil {
		for _, c := range b.query.Where.Columns() {
			use(c)
		}
	}
	for _, k := range b.query.Sort {
		use(k.Column)
	}
}

// rowBytes is about how much memory a row takes while it is looked at, judged by the first records.
func (b *builder) rowBytes(ctx context.Context) (int64, error) {
	each := int64(64)
	for _, col := range b.used {
		each += 64
		for s, from := range col.From {
			if from < 0 || b.src.Tables[s].Records() == 0 {
				continue
			}
			cells, err := record.ColumnOf(ctx, b.src.Tables[s], 0, from)
			if err != nil {
				return 0, err
			}
			each += 2 * int64(len(cells.ValueBytes())/cells.Len()) // as text, and in a sort key
		}
	}
	return each, nil
}

// share is what one worker makes of its part of a piece.
type share struct {
	left Left
	kept []comparison.Row
	run  *sorted.Run
}

// piece filters some rows and, where they are to be sorted, sorts them.
func (b *builder) piece(ctx context.Context, rows []comparison.Row, sorter *sorted.Sorter, left *Left) error {
	cells, err := comparison.Fetch(ctx, b.src.Tables, rows, b.used, b.src.Groups)
	if err != nil {
		return err
	}
	shares := make([]share, b.opts.Workers)
	each := (len(rows) + len(shares) - 1) / len(shares)
	group, ctx := errgroup.WithContext(ctx)
	for w := range shares {
		from, to := min(w*each, len(rows)), min((w+1)*each, len(rows))
		group.Go(func() error { return b.share(ctx, &shares[w], rows[from:to], cells[from:to], sorter) })
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for i := range shares {
		s := &shares[i]
		left.add(&s.left)
		if s.run != nil {
			if err := sorter.Add(s.run); err != nil {
				return err
			}
			continue
		}
		if err := b.list.add(s.kept); err != nil {
			return err
		}
	}
	return nil
}

func (b *builder) share(ctx context.Context, s *share, rows []comparison.Row, cells [][]comparison.Cell, sorter *sorted.Sorter) error {
	var where *expression.Evaluator
	if b.query.Where != nil {
		where = b.query.Where.Evaluator()
	}
	var encoder *encoder
	if len(b.query.Sort) > 0 {
		encoder = newEncoder(b.query.Sort, b.src.Columns, b.place)
		s.run = &sorted.Run{}
	}
	var row []comparison.Cell
	text := func(column int) string { return row[b.place[column]].Content() }
	for n := range rows {
		if n%4096 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		row = cells[n]
		if where != nil {
			wanted, err := where.WantsTexts(text)
			if err != nil || !wanted {
				s.left.count(rows[n], err)
				continue
			}
		}
		if encoder == nil {
			s.kept = append(s.kept, rows[n])
			continue
		}
		var payload [rowBytes]byte
		putRow(payload[:], rows[n])
		s.run.Add(encoder.encode(rows[n], row), payload[:])
	}
	if s.run != nil {
		s.run.Sort()
	}
	return nil
}

// merge puts all rows into the list in order.
func (b *builder) merge(ctx context.Context, sorter *sorted.Sorter) error {
	rows := make([]comparison.Row, 0, 4096)
	for c := sorter.Cursor(); ; {
		more, err := c.Next()
		if err != nil {
			return err
		}
		if !more {
			return b.list.add(rows)
		}
		_, payload := c.At()
		if rows = append(rows, rowAt(payload)); len(rows) == cap(rows) {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := b.list.add(rows); err != nil {
				return err
			}
			rows = rows[:0]
		}
	}
}

func (l *Left) count(row comparison.Row, err error) {
	l.Rows++
	if slices.Contains(row[:], comparison.None) {
		l.Lonely++
	}
	if err != nil {
		if l.Undecided++; l.Why == "" {
			l.Why = err.Error()
		}
	}
}

func (l *Left) add(o *Left) {
	l.Rows += o.Rows
	l.Lonely += o.Lonely
	l.Undecided += o.Undecided
	if l.Why == "" {
		l.Why = o.Why
	}
}
