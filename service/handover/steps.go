package handover

import (
	"strconv"

	"twinsieve/core/exception"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Steps says how an entry came to be where it is: where its records stand, how their keys are read, and what followed, which is its [Reason].
func Steps(plan *sieve.Plan, e *exception.Entry, reason string) []string {
	steps := make([]string, 0, len(plan.Key)+2)
	names := plan.Definition.SideNames()
	var text []byte // of the step that is being written
	for _, s := range tray.Sides {
		r := e.Sides[s]
		if r == nil {
			continue
		}
		if len(text) > 0 {
			text = append(text, "; "...)
		}
		if r.Run > 0 {
			text = append(append(append(text, "a record of "...), names[s]...), " that is carried from run "...)
			text = strconv.AppendInt(text, r.Run, 10)
		} else {
			text = strconv.AppendInt(append(text, "record "...), int64(r.Number)+1, 10)
			text = append(append(text, " of "...), names[s]...)
		}
		if r.Line > 0 {
			text = strconv.AppendInt(append(text, ", on line "...), r.Line, 10)
			text = append(text, " of its source"...)
		}
	}
	steps = append(steps, string(text))
	for _, k := range plan.Key {
		text = text[:0]
		for _, s := range tray.Sides {
			if r := e.Sides[s]; r != nil {
				if len(text) > 0 {
					text = append(text, "; "...)
				}
				text = appendReadAs(text, plan.Columns[s][k.Column[s]], k.Chain[s], r.Cells[k.Column[s]].Text)
			}
		}
		steps = append(steps, string(text))
	}
	return append(steps, reason)
}

// appendReadAs says how a cell is read.
func appendReadAs(text []byte, column string, chain reading.Chain, cell string) []byte {
	text = append(text, column...)
	switch v := chain.Reader().Cell([]byte(cell)); {
	case v.State == reading.Blank:
		return append(text, " is blank"...)
	case v.State == reading.Emptied:
		return append(strconv.AppendQuote(append(text, ' '), cell), " is blank after its readings"...)
	case v.State == reading.Unreadable:
		return append(strconv.AppendQuote(append(text, ' '), cell), " cannot be read as stated"...)
	case string(v.Text) == cell:
		return strconv.AppendQuote(append(text, " is "...), cell)
	default:
		text = append(strconv.AppendQuote(append(text, ' '), cell), " is read as "...)
		return strconv.AppendQuote(text, string(v.Text))
	}
}
