package service

import (
	"slices"

	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/service/view"
)

// readBack makes an entry of what people see of it.
func readBack(e *view.Entry) *exception.Entry {
	out := &exception.Entry{Tray: e.Tray, Side: sideOf(e), Said: e.Reason}
	for s, r := range [2]*view.Record{e.Left, e.Right} {
		if r == nil {
			continue
		}
		out.Sides[s] = recordBack(r)
	}
	for _, f := range e.Fields {
		field := exception.Field{Agrees: f.Agrees, Difference: f.Difference}
		if f.Totals != nil {
			field.Totals = *f.Totals
		}
		out.Fields = append(out.Fields, field)
	}
	if g := e.Group; g != nil {
		out.Group = &exception.Group{Count: g.Records}
		for s, listed := range g.Listed {
			for i := range listed {
				out.Group.Records[s] = append(out.Group.Records[s], *recordBack(&listed[i]))
			}
		}
	}
	return out
}

func recordBack(r *view.Record) *exception.Record {
	rec := &exception.Record{Number: uint32(r.Number - 1), Origin: record.Origin{Line: r.Line, Run: r.Run}}
	for i, c := range r.Cells {
		if c == nil {
			rec.Cells = append(rec.Cells, record.Cell{Null: true})
		} else {
			rec.Cells = append(rec.Cells, record.Cell{Text: *c, Null: slices.Contains(r.Markers, i)})
		}
	}
	return rec
}

// sideOf is the side of an entry without a partner; left of others.
func sideOf(e *view.Entry) tray.Side {
	if e.Side == tray.Right.String() {
		return tray.Right
	}
	return tray.Left
}
