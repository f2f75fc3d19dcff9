package rowlist

import (
	"context"

	"twinsieve/core/comparison"
	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// Total is the sum of a number column over rows. A blank counts as zero, and a value that cannot be read is in no sum.
type Total struct {
	Sum        string // in plain form
	Values     int64  // cells that were added
	Blank      int64
	Unreadable int64
}

// Totals adds up the given columns over all rows of a comparison, or over those of a list where there is one. A column is read
// once for each side, however many rows a record is in. types are as what each side's cells of each column are read.
func Totals(ctx context.Context, src Source, g *comparison.Groups, c comparison.Choice, list *List, columns []int, types [][2]typing.Type) ([]Total, error) {
	weights, err := weightsOf(ctx, src, g, c, list)
	if err != nil {
		return nil, err
	}
	totals := make([]Total, len(columns))
	for n, at := range columns {
		var sum exact.Sum
		for s, from := range src.Columns[at].From {
			if from < 0 {
				continue
			}
			side := tray.Side(s)
			readings, _ := types[n][s].Readings()
			chain, err := reading.Compile(readings, side, nil)
			if err != nil {
				return nil, err
			}
			reader, table := chain.Reader(), src.Tables[s]
			var out reading.Column
			for i, first := range table.Starts() {
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				col, err := record.ColumnOf(ctx, table, i, from)
				if err != nil {
					return nil, err
				}
				reader.Column(col, &out)
				for k := range out.Len() {
					times := weights[s](uint32(first) + uint32(k))
					if times == 0 {
						continue
					}
					switch v := out.At(k); {
					case v.State == reading.Text:
						sum.AddTimes(v.Text, times)
						totals[n].Values += times
					case v.State == reading.Unreadable:
						totals[n].Unreadable += times
					default:
						totals[n].Blank += times
					}
				}
			}
		}
		totals[n].Sum = exact.Text(sum.Total())
	}
	return totals, nil
}

// weightsOf says, by side, in how many rows a record is.
func weightsOf(ctx context.Context, src Source, g *comparison.Groups, c comparison.Choice, list *List) (weights [2]func(row uint32) int64, err error) {
	if list == nil {
		for _, s := range tray.Sides {
			weights[s] = func(row uint32) int64 {
				if !c.Dropped {
					return g.Appears(c, s, row)
				}
				if s == c.Side && g.Drops(c, s, row) {
					return 1
				}
				return 0
			}
		}
		return weights, nil
	}
	var times [2][]uint32
	for _, s := range tray.Sides {
		times[s] = make([]uint32, src.Tables[s].Records())
		weights[s] = func(row uint32) int64 { return int64(times[s][row]) }
	}
	rows := make([]comparison.Row, 1<<16)
	for first := int64(0); ; {
		n, err := list.Read(first, rows)
		if err != nil || n == 0 {
			return weights, err
		}
		for _, row := range rows[:n] {
			for s, record := range row {
				if record != comparison.None {
					times[s][record]++
				}
			}
		}
		if first += int64(n); ctx.Err() != nil {
			return weights, ctx.Err()
		}
	}
}
