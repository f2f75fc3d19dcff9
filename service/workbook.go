package service

import (
	"context"
	"fmt"
	"io"
	"slices"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
	"twinsieve/core/tray"
	"twinsieve/service/handover"
	"twinsieve/service/paper"
	"twinsieve/service/summary"
)

// mostUnexceptional is how many matched or excluded entries get a sheet of a workbook.
const mostUnexceptional = 100_000

// writeWorkbook writes a workbook with a sheet for each tray.
func (v *Service) writeWorkbook(ctx context.Context, r *report, q Query, d *paper.Document, w io.Writer) (err error) {
	trays := q.traysOf()
	if q.Tray == "" && !q.narrowed() && q.Search == "" {
		for _, t := range []tray.Tray{tray.Matched, tray.Excluded} {
			switch n := r.head.Summary.Tray(t).Entries; {
			case n > mostUnexceptional:
				d.Notes = append(d.Notes, fmt.Sprintf("The %s entries, %s, have no sheet here; hand them over apart, such as in CSV.", t, summary.Number(n)))
			case n > 0:
				trays = append(trays, t)
			}
		}
	}
	book, err := paper.NewWorkbook(d)
	if err != nil {
		return err
	}
	defer func() {
		if closed := book.Close(); err == nil {
			err = closed
		}
	}()
	layout := handover.NewLayout(r.plan)
	cells := r.sheetCells()
	for _, t := range trays {
		if err := v.writeSheet(ctx, r, q, t, book, layout, cells); err != nil {
			return err
		}
	}
	return book.Write(w)
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
				if c := cells[i]; c.read != nil {
					text = c.read(text)
				}
				out = append(out, text)
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
		fields = append(fields, paper.Field{Name: c.Name, Number: c.Number || cells[i].number, Date: cells[i].date})
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
	err = v.eachHanded(ctx, r, part, first, func(h *handed) error { return put(h, sheet.Row) })
	if err != nil {
		return err
	}
	return sheet.Close()
}

// sheetCell is how a column of a list is written in a workbook: as the number or day that the sieve reads it as, where it reads it.
type sheetCell struct {
	number, date bool
	read         func(text string) string
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
			return text
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
