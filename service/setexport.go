package service

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"twinsieve/core/record"
	"twinsieve/core/typing"
	"twinsieve/formats/outform"
	"twinsieve/formats/spreadsheet"
	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/store"
)

// ExportRejects hands the rejected lines of a record set's newest snapshot over in a format.
func (v *Service) ExportRejects(ctx context.Context, name, format string, exact bool) (*Export, error) {
	_, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	if format, err = checkFormat(format); err != nil {
		return nil, err
	}
	if err := fits(format, "rejects", snap.Rejects, 3); err != nil {
		return nil, err
	}
	s, err := v.statement(ctx, 0)
	if err != nil {
		return nil, err
	}
	columns := []outform.Column{{Name: "line", Number: true}, {Name: "reason"}, {Name: "text"}}
	return &Export{Name: s.named(name+" rejects", format), Type: outform.MediaType(format), History: s.history, Write: func(w io.Writer) error {
		out, err := outform.New(format, w, columns, outform.Options{Exact: exact, Stated: s.pairs})
		if err != nil {
			return err
		}
		for last := int64(0); ; {
			rows, err := v.store.Rejects(ctx, snap.ID, last, 1000)
			if err != nil {
				return err
			}
			if len(rows) == 0 {
				return out.Close()
			}
			last = rows[len(rows)-1].Seq
			for _, r := range rows {
				if err := out.Write([]record.Cell{{Text: number(r.Line)}, {Text: r.Reason}, {Text: r.Text}}); err != nil {
					return err
				}
			}
		}
	}}, nil
}

// ExportSet hands a record set's newest snapshot over in a format. Exact sets nothing before texts that a spreadsheet would
// run.
func (v *Service) ExportSet(ctx context.Context, name, format string, exact bool) (*Export, error) {
	ctx = store.Through(ctx)
	_, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	if format, err = checkFormat(format); err != nil {
		return nil, err
	}
	if err := fits(format, "records", snap.Records, len(snap.Columns)); err != nil {
		return nil, err
	}
	types := findingsOf(snap).Types
	var columns []outform.Column
	for i, c := range snap.Columns {
		columns = append(columns, outform.Column{Name: c, Number: i < len(types) && (types[i].Name == typing.Integer || types[i].Name == typing.Decimal)})
	}
	s, err := v.statement(ctx, 0)
	if err != nil {
		return nil, err
	}
	return &Export{Name: s.named(name, format), Type: outform.MediaType(format), History: s.history, Write: func(w io.Writer) error {
		out, err := outform.New(format, w, columns, outform.Options{Exact: exact, Stated: s.pairs})
		if err != nil {
			return err
		}
		table := v.store.Table(snap)
		for i := range table.Starts() {
			b, err := table.Batch(ctx, i)
			if err != nil {
				return err
			}
			for k := range b.Records() {
				if err := out.Write(b.Cells(k)); err != nil {
					return err
				}
			}
		}
		return out.Close()
	}}, nil
}

// fits refuses to write more into a sheet than it holds, before anything is written. what names the rows.
func fits(format, what string, rows int64, columns int) error {
	switch {
	case format != outform.Spreadsheet:
	case rows >= spreadsheet.MostRows:
		return view.Invalid.New(fmt.Sprintf("There are %s %s, and a sheet of a workbook has at most %s rows with that of the names; choose another format, such as csv.", summary.Number(rows), what, summary.Number(spreadsheet.MostRows)), view.Fault{Where: "format", What: "too many rows for a sheet"})
	case columns > spreadsheet.MostColumns:
		return view.Invalid.New(fmt.Sprintf("There are %d columns, and a sheet of a workbook has at most %d; choose another format, such as csv.", columns, spreadsheet.MostColumns), view.Fault{Where: "format", What: "too many columns for a sheet"})
	}
	return nil
}

// checkFormat refuses formats that are not written. None is CSV.
func checkFormat(format string) (string, error) {
	if format == "" {
		return outform.CSV, nil
	}
	if !slices.Contains(outform.Names, format) {
		return "", view.Invalid.New(fmt.Sprintf("%q is not a format that is written; write one of %s.", format, strings.Join(outform.Names, ", ")))
	}
	return format, nil
}
