package service

import (
	"context"
	"fmt"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
	"twinsieve/service/summary"
)

// clashLook is how many values of a part are looked at on each side: as many as show what they are, and no more, for counts are made after each
// change of a definition.
const clashLook = 2000

// clashes finds parts of the key whose values can hardly be equal, for as they are read they are of types that share no text: a
// date on one side and none on the other. The first values of each side are looked at.
func clashes(ctx context.Context, plan *sieve.Plan, tables [2]record.Table) (warnings []string, err error) {
	for p, k := range plan.Key {
		var found [2]typing.Finding
		for _, s := range tray.Sides {
			finder := typing.NewFinder()
			if len(tables[s].Starts()) > 0 {
				col, err := record.ColumnOf(ctx, tables[s], 0, k.Column[s])
				if err != nil {
					return nil, err
				}
				r := k.Chain[s].Reader()
				for i, seen := 0, 0; i < col.Len() && seen < clashLook; i++ {
					if col.IsNull(i) {
						continue
					}
					if v := r.Cell([]byte(col.Value(i))); v.State == reading.Text {
						finder.Add(v.Text, 1)
						seen++
					}
				}
			}
			found[s] = finder.Find()
		}
		if found[0].Values == 0 || found[1].Values == 0 || !neverEqual(found[0], found[1]) {
			continue
		}
		says := func(s tray.Side) string {
			f, of := found[s], "of"
			if f.Values == clashLook {
				of = "of the first"
			}
			return fmt.Sprintf("%s is %s in %s %s %s values", plan.Columns[s][k.Column[s]], f.Type, summary.Number(f.Read), of, summary.Number(f.Values))
		}
		warnings = append(warnings, fmt.Sprintf("%s: as they are read, hardly a value of the one side can equal one of the other: %s, and %s; state how each side is to be read", plan.Definition.Key[p].Columns, says(tray.Left), says(tray.Right)))
	}
	return warnings, nil
}

// neverEqual reports whether texts of two types have nothing in common: nearly all values of both are of their type, and one type's
// texts are never the other's.
func neverEqual(a, b typing.Finding) bool {
	if a.Read*10 < a.Values*9 || b.Read*10 < b.Values*9 {
		return false
	}
	family := func(f typing.Finding) string {
		switch f.Name {
		case typing.Integer, typing.Decimal:
			return "number"
		case typing.Date:
			return "date " + f.Form
		}
		return f.Name
	}
	x, y := family(a), family(b)
	return x != y && x != typing.Text && y != typing.Text
}
