package sieve

import (
	"slices"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// Layouts says how the values of a side's column are written, as it was found or stated of the column. ok is false where readings that are
// given nothing read them already, or where it is not known.
type Layouts func(s tray.Side, column string) (r reading.Reading, ok bool)

// WithLayouts returns the definition in which every amount, and every field that is compared as decimal or as date, says how its values are
// written, where it does not say so itself: as they were found to be. So next month's data does not change what it means.
func (d Definition) WithLayouts(found Layouts) Definition {
	d.Compare = slices.Clone(d.Compare)
	for i, f := range d.Compare {
		switch kind, _ := agree.ParseKind(f.As); kind {
		case agree.Decimal:
			d.Compare[i].Readings = withLayouts(f.Columns, f.Readings, "number", found)
		case agree.Date:
			d.Compare[i].Readings = withLayouts(f.Columns, f.Readings, "date", found)
		}
	}
	d.Amounts = slices.Clone(d.Amounts)
	for i, a := range d.Amounts {
		d.Amounts[i].Readings = withLayouts(a.Columns, a.Readings, "number", found)
	}
	return d
}

// withLayouts adds the reading of a name to those of a pair, for the sides whose own readings leave a value as it is written.
func withLayouts(c Columns, list []reading.Reading, name string, found Layouts) []reading.Reading {
	names := [2]string{}
	names[0], names[1] = c.On()
	var more []reading.Reading
	for _, s := range tray.Sides {
		if last := reading.Last(list, s); last != "" && last != "trim" {
			continue
		}
		if r, ok := found(s, names[s]); ok && r.Name == name {
			r.Side = &s
			more = append(more, r)
		}
	}
	if len(more) == 2 && more[0].Argument == more[1].Argument {
		more = more[:1]
		more[0].Side = nil
	}
	return append(slices.Clone(list), more...)
}

// Layout is the reading of a type's values, where one that is given nothing does not read them: numbers with a comma, and dates in another
// order than that of ISO 8601. grouped says that the numbers have marks between thousands.
func Layout(t typing.Type, grouped bool) (r reading.Reading, ok bool) {
	switch {
	case t.Name == typing.Decimal && t.Form != "" && (t.Form != typing.Point || grouped):
		return reading.Reading{Name: "number", Argument: t.Form}, true
	case t.Name == typing.Date && t.Form != "" && t.Form != reading.ISODate:
		return reading.Reading{Name: "date", Argument: t.Form}, true
	}
	return r, false
}
