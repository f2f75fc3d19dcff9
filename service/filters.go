package service

import (
	"context"
	"errors"

	"twinsieve/core/comparison"
	"twinsieve/core/expression"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
	"twinsieve/service/view"
)

// TryFilter says whether a filter could be, and which columns it can name: over the rows of what is asked, or, with a side, over
// the records of that side before they are compared.
func (v *Service) TryFilter(ctx context.Context, a view.Ask, side, where string) (*view.TriedFilter, error) {
	m, p, err := v.find(ctx, a)
	if err != nil {
		return nil, err
	}
	if m == nil {
		m = &matched{planned: p, tables: v.tables(p)}
	}
	l := &looking{Look: a.Look, matched: m, sheets: m.sheets(ctx)}
	out := &view.TriedFilter{Columns: []string{}, Types: []string{}}
	add := func(name string, t typing.Type) {
		out.Columns, out.Types = append(out.Columns, name), append(out.Types, t.String())
	}
	switch side {
	case "left", "right":
		s := tray.Left
		if side == "right" {
			s = tray.Right
		}
		for i, name := range l.sheets[s].Columns {
			add(name, l.sheets[s].Types[i])
		}
	case "":
		name, err := comparison.Parse(a.Look.Comparison)
		if err != nil {
			return nil, badLook("comparison", "%s", err)
		}
		l.choice = comparison.Choice{Comparison: name, Dropped: a.Look.Dropped}
		if a.Look.Side == "right" {
			l.choice.Side = tray.Right
		}
		l.Columns = nil
		if err := l.settleColumns(); err != nil {
			return nil, err
		}
		for _, c := range l.all {
			t := typing.Type{Name: typing.Text}
			if !c.Presence {
				t = l.typeOf(&c)
			}
			add(c.Name, t)
		}
	default:
		return nil, view.Invalid.New("The side of a filter is left, right, or nothing for the rows of a comparison.")
	}
	if where == "" {
		return out, nil
	}
	_, err = compileFilter(where, out.Columns)
	if fault := new(expression.Error); errors.As(err, &fault) {
		out.Wrong, out.At = fault.What, fault.At
		if side == "" {
			out.Wrong = l.elsewhere(errors.New(fault.What), l.hidden(err)...)
		}
		return out, nil
	}
	return out, err
}
