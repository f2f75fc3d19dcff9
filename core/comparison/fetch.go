package comparison

import (
	"cmp"
	"context"
	"slices"
	"strings"

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
	for _, s := range tray.Sides {
		if err := fetchSide(ctx, tables[s], s, rows, columns, groups, out); err != nil {
			return nil, err
		}
	}
	return out, nil
}

type wanted struct {
	record uint32
	row    int
}

func fetchSide(ctx context.Context, table record.Table, s tray.Side, rows []Row, columns []Column, groups *Groups, out [][]Cell) error {
	if !slices.ContainsFunc(columns, func(c Column) bool { return c.From[s] >= 0 }) {
		return nil
	}
	var wants []wanted
	for n, row := range rows {
		switch {
		case row[s] == None:
		case groups != nil:
			for _, record := range groups.Alike(s, row[s]) {
				wants = append(wants, wanted{record, n})
			}
		default:
			wants = append(wants, wanted{row[s], n})
		}
	}
	slices.SortFunc(wants, func(a, b wanted) int { return cmp.Or(cmp.Compare(a.record, b.record), cmp.Compare(a.row, b.row)) })
	numbers := make([]uint32, len(wants))
	for i, w := range wants {
		numbers[i] = w.record
	}
	filled := make([]bool, len(rows))
	return record.Gather(ctx, table, numbers, func(n int, b *record.Batch, i int) {
		row := wants[n].row
		for c, col := range columns {
			if col.From[s] < 0 {
				continue
			}
			from := b.Columns[col.From[s]]
			cell := record.Cell{Text: from.Value(i), Null: from.IsNull(i)}
			if !filled[row] || lessCell(cell, out[row][c].Cell) {
				out[row][c].Cell = record.Cell{Text: strings.Clone(cell.Text), Null: cell.Null}
			}
		}
		filled[row] = true
	})
}

// lessCell orders cells that are equal: by their text, a null before a text.
func lessCell(a, b record.Cell) bool {
	if a.Text != b.Text {
		return a.Text < b.Text
	}
	return a.Null && !b.Null
}
