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
