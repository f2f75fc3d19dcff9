package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
	"twinsieve/core/tray"
	"twinsieve/service/handover"
	"twinsieve/service/paper"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// mostUnexceptional is how many matched or excluded entries get a sheet of a workbook.
const mostUnexceptional = 100_000

// checkWorkbook refuses a workbook of trays that no sheet holds.
func (v *Service) checkWorkbook(r *report, q Query) error {
	for _, t := range q.traysOf() {
		if err := fits(documentSheet, t.String()+" entries", r.head.Summary.Tray(t).Entries, 0); err != nil && q.Search == "" && !q.narrowed() {
			return err
		}
	}
	return nil
}

// writeWorkbook writes a workbook with a sheet for each tray.
func (v *Service) writeWorkbook(ctx context.Context, r *report, q Query, d *paper.Document, w io.Writer) (err error) {
	trays := q.traysOf()
	if q.Tray == "" && !q.narrowed() && q.Search == "" {
		gone := v.open(ctx, r) // these are read from the snapshots
		if p := new(view.Problem); gone != nil && !(errors.As(gone, &p) && view.NotFound.Is(p)) {
			return gone
		}
		for _, t := range []tray.Tray{tray.Matched, tray.Excluded} {
			switch n := r.head.Summary.Tray(t).Entries; {
			case n > 0 && gone != nil:
				d.Notes = append(d.Notes, fmt.Sprintf("The %s entries, %s, have no sheet here: their records are no longer kept.", t, summary.Number(n)))
			case n > mostUnexceptional:
				d.Notes = append(d.Notes, fmt.Sprintf("The %s entries, %s, have no sheet here; hand them over apart, such as in CSV.", t, summary.Number(n)))
			case n > 0:
				trays = append(trays, t)
			}
		}
	}
	book, err := paper.NewWorkbook(w, d)
	if err != nil {
		return err
	}
	layout := handover.NewLayout(r.plan)
	cells := r.sheetCells()
	for _, t := range trays {
		if err := v.writeSheet(ctx, r, q, t, book, layout, cells); err != nil {
			return err
		}
	}
	return book.Close()
}

func (v *Service) writeSheet(ctx context.Context, r *report, q Query, t tray.Tray, book *paper.Workbook, layout *handover.Layout, cells []sheetCell) error {
	part := q
	part.Tray = t.String()
	first, err := v.handed(ctx, r, part)
	if err != nil {
		return err
	}
	// The widths follow what the first page holds.
	var rows [][]string
	var row []string
	put := func(h *handed, visit func([]string) error) (err error) {
		work := h.work
		row, err = layout.Rows(&h.Entry, row, func(base []string) error {
			out := append(slices.Clone(base[1:2]), work[:]...) // the sheet is the tray
			for i, text := range base[2:] {
				out = append(out, text)
				if c := cells[i]; c.read != nil {
					out = append(out, c.read(text))
				}
			}
			work[workAmount] = "" // counted once
			return visit(out)
		})
		return err
	}
	for i := range first.list {
		if err := put(&first.list[i], func(row []string) error { rows = append(rows, row); return nil }); err != nil {
			return err
		}
	}
	fields := []paper.Field{{Name: "why"}}
	for _, name := range workColumns {
		fields = append(fields, paper.Field{Name: name, Number: name == workColumns[workAmount], Date: name == "found first"})
	}
	for i, c := range layout.Typed()[2:] {
		fields = append(fields, paper.Field{Name: c.Name, Number: c.Number && cells[i].read == nil})
		if cells[i].read != nil {
			fields = append(fields, paper.Field{Name: c.Name + " (normalised)", Number: cells[i].number, Date: cells[i].date})
		}
	}
	for i := range fields {
		for _, row := range rows {
			fields[i].Wide = max(fields[i].Wide, min(float64(len([]rune(row[i])))+2, 60))
		}
	}
	sheet, err := book.Sheet(t.String(), fields)
	if err != nil {
		return err
	}
	return v.eachHanded(ctx, r, part, first, func(h *handed) error { return put(h, sheet.Row) })
}

// sheetCell is what stands beside a column of a list in a workbook: what normalisation makes of its cells, as numbers or days to reckon with.
// The column itself has the cells as they came.
type sheetCell struct {
	number, date bool
	read         func(text string) string // nil: nothing stands beside it
}

// sheetCells are those of the columns behind the reason: lines, differences, and the cells of both sides.
func (r *report) sheetCells() []sheetCell {
	cells := make([]sheetCell, 2)
	for _, f := range r.plan.Fields {
		if f.Rule.Kind.Measured() {
			cells = append(cells, sheetCell{})
		}
	}
	reader := func(chain reading.Chain) func(string) string {
		read := chain.Reader()
		return func(text string) string {
			if v := read.Cell([]byte(text)); v.State == reading.Text {
				return string(v.Text)
			}
			return ""
		}
	}
	for _, s := range tray.Sides {
		start := len(cells)
		cells = append(cells, make([]sheetCell, len(r.plan.Columns[s]))...)
		for i, k := range r.plan.Key {
			if reading.Last(r.head.Definition.Key[i].Readings, s) == "date" {
				cells[start+k.Column[s]] = sheetCell{date: true, read: reader(k.Chain[s])}
			}
		}
		for _, f := range r.plan.Fields {
			value := r.plan.Values[f.Value]
			switch f.Rule.Kind {
			case agree.Decimal:
				cells[start+value.Column[s]] = sheetCell{number: true, read: reader(value.Chain[s])}
			case agree.Date:
				cells[start+value.Column[s]] = sheetCell{date: true, read: reader(value.Chain[s])}
			}
		}
	}
	return cells
}
