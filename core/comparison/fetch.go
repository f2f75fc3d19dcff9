package comparison

import (
	"cmp"
	"context"
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"
	"golang.org/x/sync/errgroup"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// Cell is a cell of a row. Where the row has no record of the cell's side there is no partner, which is not the same as a
// blank.
type Cell struct {
	record.Cell
	NoPartner bool
}

// Fetch fetches the cells of rows, each batch once. Of comparisons whose rows are distinct whole records (groups is not nil),
// records that are equal may be written differently: then the left's text is shown, or the right's where the left has none, the
// least of several.
func Fetch(ctx context.Context, tables [2]record.Table, rows []Row, columns []Column, groups *Groups) ([][]Cell, error) {
	out := make([][]Cell, len(rows))
	cells := make([]Cell, len(rows)*len(columns))
	for n := range rows {
		out[n] = cells[n*len(columns) : (n+1)*len(columns) : (n+1)*len(columns)]
		for c, col := range columns {
			switch {
			case col.Presence && rows[n][col.Side] != None:
				out[n][c].Text = Yes
			case col.Presence:
				out[n][c].Text = No
			default:
				if s, one := col.Of(); one {
					out[n][c].NoPartner = rows[n][s] == None
				}
			}
		}
	}
	group, ctx := errgroup.WithContext(ctx)
	for _, s := range tray.Sides { // which fill in different cells
		group.Go(func() error { return fetchSide(ctx, tables[s], s, rows, columns, groups, out) })
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	return out, nil
}

type wanted struct {
	record uint32
	row    int
}

// scanFrom is how many records make it worth reading single columns from end to end rather than whole batches, which may be at
// hand already.
const scanFrom = 8192

func fetchSide(ctx context.Context, table record.Table, s tray.Side, rows []Row, columns []Column, groups *Groups, out [][]Cell) error {
	var shown, from []int // columns of the rows, and of the side, that are fetched
	for c, col := range columns {
		if col.From[s] >= 0 {
			shown, from = append(shown, c), append(from, col.From[s])
		}
	}
	if len(shown) == 0 {
		return nil
	}
	wants := wantedOf(s, rows, groups)
	numbers := make([]uint32, len(wants))
	for i, w := range wants {
		numbers[i] = w.record
	}
	// All cells share one text, so that many rows are a few pieces of memory, not many.
	type span struct {
		start, end int
		set, null  bool
	}
	spans := make([]span, len(rows)*len(shown))
	var text []byte
	visit := func(n int, cols []*array.String, i int) {
		of := spans[wants[n].row*len(shown):][:len(shown)]
		for c, col := range cols {
			cell, null, kept := col.Value(i), col.IsNull(i), &of[c]
			if kept.set && !lessCell(cell, null, text[kept.start:kept.end], kept.null) {
				continue
			}
			*kept = span{len(text), len(text) + len(cell), true, null}
			text = append(text, cell...)
		}
	}
	var err error
	if len(wants) >= scanFrom {
		err = record.GatherColumns(ctx, table, from, numbers, visit)
	} else {
		cols := make([]*array.String, len(from))
		err = record.Gather(ctx, table, numbers, func(n int, b *record.Batch, i int) {
			for c, at := range from {
				cols[c] = b.Columns[at]
			}
			visit(n, cols, i)
		})
	}
	if err != nil {
		return err
	}
	all := string(text)
	for n, kept := range spans {
		if kept.set {
			out[n/len(shown)][shown[n%len(shown)]].Cell = record.Cell{Text: all[kept.start:kept.end], Null: kept.null}
		}
	}
	return nil
}

// wantedOf are the records of a side that rows show, by number.
func wantedOf(s tray.Side, rows []Row, groups *Groups) (wants []wanted) {
	sorted := true
	last := uint32(0)
	add := func(record uint32, row int) {
		sorted = sorted && record >= last
		last = record
		wants = append(wants, wanted{record, row})
	}
	for n, row := range rows {
		switch {
		case row[s] == None:
		case groups != nil:
			for _, record := range groups.Alike(s, row[s]) {
				add(record, n)
			}
		default:
			add(row[s], n)
		}
	}
	if !sorted {
		slices.SortFunc(wants, func(a, b wanted) int { return cmp.Compare(a.record, b.record) })
	}
	return wants
}

// lessCell orders cells that are equal: by their text, a null before a text.
func lessCell(a string, nullA bool, b []byte, nullB bool) bool {
	if a != string(b) {
		return a < string(b)
	}
	return nullA && !nullB
}
