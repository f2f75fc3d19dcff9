package service

import (
	"context"

	"twinsieve/core/rowlist"
	"twinsieve/core/typing"
	"twinsieve/service/view"
)

// totals adds up the number columns that are shown, over all rows.
func (l *looking) totals(ctx context.Context) (*view.Totals, error) {
	var places []int
	var types [][2]typing.Type
	out := &view.Totals{Columns: []view.ColumnTotal{}}
	for _, c := range l.columns {
		if c.Presence || !l.typeOf(&c).Numeric() {
			continue
		}
		for at, a := range l.all {
			if a.From == c.From && !a.Presence {
				places = append(places, at)
			}
		}
		types = append(types, l.types(&c))
		out.Columns = append(out.Columns, view.ColumnTotal{Column: c.Name})
	}
	if len(places) == 0 {
		return out, nil
	}
	reading, err := l.open()
	if err != nil {
		return nil, err
	}
	defer reading.Close()
	var list *rowlist.List
	if reading.held != nil {
		list = reading.held.list
	}
	sums, err := rowlist.Totals(ctx, l.source(), l.grouped(), l.choice, list, places, types)
	if err != nil {
		return nil, err
	}
	for i, s := range sums {
		c := &out.Columns[i]
		c.Sum, c.Values, c.Blank, c.Unreadable = s.Sum, s.Values, s.Blank, s.Unreadable
	}
	return out, nil
}
