package handover

import (
	"fmt"
	"strings"

	"twinsieve/core/exception"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Steps says how an entry came to be where it is: where its records stand, how their keys are read, and what followed.
func Steps(plan *sieve.Plan, e *exception.Entry) []string {
	var steps []string
	names := [2]string{plan.Definition.Left, plan.Definition.Right}
	var places []string
	for _, s := range tray.Sides {
		if r := e.Sides[s]; r != nil {
			place := fmt.Sprintf("record %d of %s", r.Number+1, names[s])
			if r.Run > 0 {
				place = fmt.Sprintf("a record of %s that is carried from run %d", names[s], r.Run)
			}
			if r.Line > 0 {
				place += fmt.Sprintf(", on line %d of its source", r.Line)
			}
			places = append(places, place)
		}
	}
	steps = append(steps, strings.Join(places, "; "))
	for _, k := range plan.Key {
		var reads []string
		for _, s := range tray.Sides {
			if r := e.Sides[s]; r != nil {
				reads = append(reads, readAs(plan.Columns[s][k.Column[s]], k.Chain[s], r.Cells[k.Column[s]].Text))
			}
		}
		steps = append(steps, strings.Join(reads, "; "))
	}
	return append(steps, Reason(plan, e))
}

func readAs(column string, chain reading.Chain, cell string) string {
	v := chain.Reader().Cell([]byte(cell))
	switch {
	case v.State == reading.Blank:
		return column + " is blank"
	case v.State == reading.Emptied:
		return fmt.Sprintf("%s %q is blank after its readings", column, cell)
	case v.State == reading.Unreadable:
		return fmt.Sprintf("%s %q cannot be read as stated", column, cell)
	case string(v.Text) == cell:
		return fmt.Sprintf("%s is %q", column, cell)
	}
	return fmt.Sprintf("%s %q is read as %q", column, cell, v.Text)
}
