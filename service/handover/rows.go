// Package handover turns the entries of a report into rows that can be handed over: one row an entry, with where it
// stands, why it is there, and the cells of both sides as they came.
package handover

import (
	"fmt"
	"strconv"
	"strings"

	"twinsieve/core/agree"
	"twinsieve/core/exception"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/outform"
)

// Layout is the columns of a hand-over for a plan.
type Layout struct {
	Exact bool // in CSV, nothing is set before texts that a spreadsheet would run

	plan     *sieve.Plan
	measured []int                 // the fields that have differences: numbers and dates
	lone     [tray.Count][2]string // the reasons of records without a partner, by tray and side: they are most of a list
}

// NewLayout returns the layout for a plan.
func NewLayout(plan *sieve.Plan) *Layout {
	l := &Layout{plan: plan}
	for i, f := range plan.Fields {
		if f.Rule.Kind.Measured() {
			l.measured = append(l.measured, i)
		}
	}
	for _, s := range tray.Sides {
		for _, t := range tray.All {
			l.lone[t][s] = loneReason(plan, t, s)
		}
	}
	return l
}

// Columns are the names of the columns: the tray, the reason, the lines in both sources, the difference of each number or
// date that is compared, and all columns of both sides. A name that both sides have gets the record set's name in front.
func (l *Layout) Columns() []string {
	columns := []string{"tray", "reason", "left line", "right line"}
	for _, i := range l.measured {
		columns = append(columns, "difference in "+l.plan.Fields[i].Name)
	}
	taken := map[string]bool{}
	for _, c := range columns {
		taken[c] = true
	}
	prefixes := [2]string{l.plan.Definition.Left, l.plan.Definition.Right}
	if prefixes[0] == prefixes[1] {
		prefixes = [2]string{"left", "right"}
	}
	other := [2]map[string]bool{{}, {}}
	for _, s := range tray.Sides {
		for _, c := range l.plan.Columns[s] {
			other[s.Other()][c] = true
		}
	}
	for _, s := range tray.Sides {
		for _, c := range l.plan.Columns[s] {
			if other[s][c] || taken[c] {
				c = prefixes[s] + "." + c
			}
			for taken[c] {
				c += "'"
			}
			taken[c] = true
			columns = append(columns, c)
		}
	}
	return columns
}

// Typed are the columns with whether they hold numbers: lines, differences, and what is compared as a decimal.
func (l *Layout) Typed() (columns []outform.Column) {
	for _, name := range l.Columns() {
		columns = append(columns, outform.Column{Name: name})
	}
	at := 2
	number := func(i int) { columns[i].Number = true }
	number(at)
	number(at + 1)
	at += 2
	for range l.measured {
		number(at)
		at++
	}
	for _, s := range tray.Sides {
		for _, f := range l.plan.Fields {
			if f.Rule.Kind == agree.Decimal {
				number(at + l.plan.Values[f.Value].Column[s])
			}
		}
		at += len(l.plan.Columns[s])
	}
	return columns
}

// Rows calls visit with each row of an entry: of a group that is compared by its totals one for each record of the longer side,
// else one. The difference stands in the first. A row is valid until the next.
func (l *Layout) Rows(e *exception.Entry, row []string, visit func(row []string) error) ([]string, error) {
	return l.rows(e, row, func(_ *exception.Entry, row []string) error { return visit(row) })
}

// CellRows is [Layout.Rows] for formats that tell nothing from an empty text: what a side without a record has in its columns is null, as is a
// line, a difference or a cell that is not there. memory is what an earlier call has returned, or nil.
func (l *Layout) CellRows(e *exception.Entry, memory *Memory, visit func(row []record.Cell) error) (_ *Memory, err error) {
	if memory == nil {
		memory = &Memory{}
	}
	memory.row, err = l.rows(e, memory.row, func(one *exception.Entry, row []string) error {
		memory.cells = memory.cells[:0]
		for i, text := range row {
			memory.cells = append(memory.cells, record.Cell{Text: text, Null: text == "" && i > 1})
		}
		at := 4 + len(l.measured)
		for s := range one.Sides {
			for c := range l.plan.Columns[s] {
				if r := one.Sides[s]; r != nil {
					memory.cells[at+c].Null = r.Cells[c].Null
				}
			}
			at += len(l.plan.Columns[s])
		}
		return visit(memory.cells)
	})
	return memory, err
}

// Memory is what rows are made in.
type Memory struct {
	row   []string
	cells []record.Cell
}

func (l *Layout) rows(e *exception.Entry, row []string, visit func(one *exception.Entry, row []string) error) ([]string, error) {
	if e.Group == nil {
		row = l.Row(e, row)
		return row, visit(e, row)
	}
	one := *e
	for n := range max(len(e.Group.Records[0]), len(e.Group.Records[1])) {
		for s := range one.Sides {
			if one.Sides[s] = nil; n < len(e.Group.Records[s]) {
				one.Sides[s] = &e.Group.Records[s][n]
			}
		}
		row = l.Row(&one, row)
		if one.Fields = nil; one.Said == "" {
			one.Said = row[1]
		}
		if err := visit(&one, row); err != nil {
			return row, err
		}
	}
	return row, nil
}

// Row returns the row of an entry, in the memory of row where it has room.
func (l *Layout) Row(e *exception.Entry, row []string) []string {
	why := ""
	if e.Tray < tray.Count && e.Said == "" {
		why = l.lone[e.Tray][e.Side]
	}
	if why == "" {
		why = Reason(l.plan, e)
	}
	row = append(row[:0], e.Tray.String(), why)
	for _, s := range tray.Sides {
		line := ""
		if r := e.Sides[s]; r != nil && r.Line > 0 {
			line = strconv.FormatInt(r.Line, 10)
		}
		row = append(row, line)
	}
	for _, i := range l.measured {
		difference := ""
		if e.Fields != nil {
			difference = e.Fields[i].Difference
		}
		row = append(row, difference)
	}
	for _, s := range tray.Sides {
		for c := range l.plan.Columns[s] {
			cell := ""
			if r := e.Sides[s]; r != nil {
				cell = r.Cells[c].Text
			}
			row = append(row, cell)
		}
	}
	return row
}

// Reason says in a few words why an entry is in its tray.
func Reason(plan *sieve.Plan, e *exception.Entry) string {
	switch {
	case e.Said != "":
		return e.Said
	case e.Hand > 0:
		return "paired by hand; " + reason(plan, e)
	case e.Joined:
		return "the keys are the same by the crosswalk; " + reason(plan, e)
	}
	return reason(plan, e)
}

func reason(plan *sieve.Plan, e *exception.Entry) string {
	switch e.Tray {
	case tray.Matched:
		switch {
		case len(plan.Fields) == 0:
			return "the keys are equal"
		case e.Group != nil && e.Group.Count != [2]int64{1, 1}:
			return fmt.Sprintf("%d and %d records agree by their totals", e.Group.Count[0], e.Group.Count[1])
		}
		return "every compared field agrees"
	case tray.Differing:
		var parts []string
		for i, f := range e.Fields {
			if !f.Agrees {
				parts = append(parts, disagreement(plan, i, f))
			}
		}
		if e.Group != nil && e.Group.Count != [2]int64{1, 1} {
			parts[0] = fmt.Sprintf("of %d and %d records, %s", e.Group.Count[0], e.Group.Count[1], parts[0])
		}
		return strings.Join(parts, "; ")
	case tray.Missing, tray.Orphaned, tray.Surplus:
		return loneReason(plan, e.Tray, e.Side)
	case tray.Unkeyed:
		var parts []string
		for _, c := range e.Causes {
			column := plan.Columns[e.Side][plan.Key[c.Part].Column[e.Side]]
			parts = append(parts, column+" "+causeNames[c.State])
		}
		return strings.Join(parts, "; ")
	}
	if e.Failed != "" {
		return "left out, for the filter cannot be decided: " + e.Failed
	}
	return "left out by the filter"
}

// loneReason is the reason for a record of side s that found no partner, or empty where it is not in a tray of such.
func loneReason(plan *sieve.Plan, at tray.Tray, s tray.Side) string {
	names := plan.Definition.SideNames()
	switch at {
	case tray.Missing, tray.Orphaned:
		return "no " + names[s.Other()] + " record has this key"
	case tray.Surplus:
		return names[s] + " has more records of this key than " + names[s.Other()]
	}
	return ""
}

// disagreement says why a field does not agree: a side that has no value to compare, or how far apart the values are.
func disagreement(plan *sieve.Plan, field int, f exception.Field) string {
	v := plan.Values[plan.Fields[field].Value]
	for _, s := range tray.Sides {
		if says, ok := causeNames[f.States[s]]; ok {
			return plan.Columns[s][v.Column[s]] + " " + says
		}
	}
	if f.Difference != "" {
		return plan.Fields[field].Name + " differs by " + f.Difference + unitOf[plan.Fields[field].Rule.Kind]
	}
	return plan.Fields[field].Name + " differs"
}

// unitOf is what a difference is counted in, where it is no number.
var unitOf = map[agree.Kind]string{agree.Date: " days", agree.Time: " seconds"}

var causeNames = map[reading.State]string{
	reading.Blank:      "is blank",
	reading.Emptied:    "is blank after its readings",
	reading.Unreadable: "cannot be read as stated",
}
