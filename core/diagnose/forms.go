package diagnose

import (
	"slices"
	"strings"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// columnChanges are readings that a part's values as a whole ask for: dates or numbers that are written in another form than
// the sieve states, or of which it does not say that they are any.
func (d *diagnoser) columnChanges() (list []Change) {
	for p := range d.plan.Key {
		if !d.isText(p) {
			for _, s := range tray.Sides {
				list = append(list, d.otherLayout(p, s)...)
			}
			continue
		}
		var types [2]typing.Finding
		for _, s := range tray.Sides {
			f := typing.NewFinder()
			for _, c := range d.lonely[s] {
				if v := c.values[p]; v.State == reading.Text {
					f.Add(v.Text, 1)
				}
			}
			types[s] = f.Find()
		}
		list = append(list, typedChange(p, types)...)
	}
	return list
}

// typedChange reads both sides as dates, or as numbers, where both are written so and not alike.
func typedChange(part int, types [2]typing.Finding) []Change {
	if types[0].Type == types[1].Type && types[0].Name == typing.Date {
		return nil
	}
	var readings []reading.Reading
	for _, s := range tray.Sides {
		r := reading.Reading{Side: &s}
		switch t := types[s]; {
		case t.Name == typing.Date && types[s.Other()].Name == typing.Date && t.Form != "":
			r.Name, r.Argument = "date", t.Form
		case t.Name == typing.Decimal && isNumber(types[s.Other()]) && t.Form != "":
			r.Name, r.Argument = "number", t.Form
		case t.Name == typing.Integer && types[s.Other()].Name == typing.Decimal:
			r.Name = "number"
		default:
			return nil
		}
		readings = append(readings, r)
	}
	return []Change{{Part: part, Readings: readings}}
}

func isNumber(t typing.Finding) bool { return t.Name == typing.Integer || t.Name == typing.Decimal }

// otherLayout reads a side's dates in one more layout: the one that reads most of those that cannot be read, where no other
// reads as many and means other days.
func (d *diagnoser) otherLayout(part int, s tray.Side) []Change {
	list := d.plan.Definition.Key[part].Readings
	at := slices.IndexFunc(list, func(r reading.Reading) bool { return r.Name == "date" && (r.Side == nil || *r.Side == s) })
	if at < 0 {
		return nil
	}
	days := map[string][]string{} // by layout, what it reads, in the order of the records
	most := 0
	for _, layout := range typing.DateLayouts() {
		chain, err := reading.Compile([]reading.Reading{{Name: "date", Argument: layout}}, s, nil)
		if err != nil {
			continue
		}
		r := chain.Reader()
		for _, c := range d.lonely[s] {
			if c.values[part].State != reading.Unreadable {
				continue
			}
			if v := r.Cell([]byte(strings.TrimSpace(c.cells[part]))); v.State == reading.Text {
				days[layout] = append(days[layout], string(v.Text))
			}
		}
		most = max(most, len(days[layout]))
	}
	best := ""
	for _, layout := range typing.DateLayouts() {
		switch {
		case most == 0 || len(days[layout]) < most:
		case best == "":
			best = layout
		case !slices.Equal(days[best], days[layout]):
			return nil
		}
	}
	if best == "" {
		return nil
	}
	more := list[at]
	more.Side = &s
	more.Argument += " or " + best
	if _, err := reading.Parse(more.String()); err != nil {
		return nil // the two layouts would read one text in two ways
	}
	return []Change{{Part: part, Replace: "date", Readings: []reading.Reading{more}}}
}
