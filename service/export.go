package service

import (
	"context"
	"fmt"
	"io"
	"slices"

	"twinsieve/core/record"
	"twinsieve/formats/outform"
	"twinsieve/service/handover"
	"twinsieve/store"
)

// Export is a hand-over ready to be written.
type Export struct {
	Name    string // of the file
	Type    string // media type; "": what the route says
	History string // newest entry of the history that the hand-over states; "": it states none
	Write   func(io.Writer) error
}

// Export prepares the entries that a query chooses for handing over in a format, CSV where none is named; as a workbook, a page or a PDF
// it is the whole report with these entries. All that could be
// wrong with the request is wrong now, before anything is written. Exact sets nothing before texts that a spreadsheet
// would run.
func (v *Service) Export(ctx context.Context, run uint, q Query, format string, exact bool) (*Export, error) {
	ctx = store.Through(ctx)
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if format == documentSheet || format == documentPage || format == documentPDF {
		return v.exportDocument(ctx, r, q, format)
	}
	if format, err = checkFormat(format); err != nil {
		return nil, err
	}
	first, err := v.handed(ctx, r, q)
	if err != nil {
		return nil, err
	}
	history, err := v.newestStated(ctx)
	if err != nil {
		return nil, err
	}
	o, err := v.store.SignOff(ctx, run)
	if err != nil {
		return nil, err
	}
	state := signOffOf(o).Says
	part := "exceptions"
	if q.Tray != "" {
		part = q.Tray
	}
	layout := handover.NewLayout(r.plan)
	columns := layout.Typed()
	for _, name := range slices.Concat(workColumns[:], []string{"sign-off", "history"}) {
		for slices.ContainsFunc(columns, func(c outform.Column) bool { return c.Name == name }) {
			name += "'"
		}
		columns = append(columns, outform.Column{Name: name, Number: name == workColumns[workAmount]})
	}
	return &Export{Name: fmt.Sprintf("%s run %d %s.%s", r.head.Sieve, r.head.Number, part, format), Type: outform.MediaType(format), History: history, Write: func(w io.Writer) error {
		out, err := outform.New(format, w, columns, outform.Options{Exact: exact})
		if err != nil {
			return err
		}
		var memory *handover.Memory
		var cells []record.Cell
		err = v.eachHanded(ctx, r, q, first, func(h *handed) (err error) {
			memory, err = layout.CellRows(&h.Entry, memory, func(row []record.Cell) error {
				cells = textCells(textCells(append(cells[:0], row...), h.work[:]...), state, history)
				h.work[workAmount] = "" // of a group that has several rows, it is counted once
				return out.Write(cells)
			})
			return err
		})
		if err != nil {
			return err
		}
		return out.Close()
	}}, nil
}

// textCells are texts as cells, of which empty ones say that there is nothing.
func textCells(into []record.Cell, texts ...string) []record.Cell {
	for _, text := range texts {
		into = append(into, record.Cell{Text: text, Null: text == ""})
	}
	return into
}
