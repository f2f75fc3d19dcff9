package service

import (
	"context"
	"errors"
	"io"

	"twinsieve/core/ahead"
	"twinsieve/core/comparison"
	"twinsieve/core/record"
	"twinsieve/formats/outform"
	"twinsieve/service/view"
	"twinsieve/store"
)

// ExportRows hands all rows of a comparison over in a format. What has to be made ready for it is waited for.
func (v *Service) ExportRows(ctx context.Context, a view.Ask, format string, exact bool) (*Export, error) {
	ctx = store.Through(ctx)
	format, err := checkFormat(format)
	if err != nil {
		return nil, err
	}
	l, err := v.readyNow(ctx, a)
	if err != nil {
		return nil, err
	}
	name := l.Definition.Name
	if name == "" {
		name = l.sets[0] + " and " + l.sets[1]
	}
	what := string(l.choice.Comparison)
	if l.Dropped || l.choice.Comparison == comparison.Separate {
		what += " " + l.choice.Side.String()
	}
	if l.Dropped {
		what += " dropped"
	}
	var columns []outform.Column
	for _, c := range l.shown(l.columns) {
		columns = append(columns, outform.Column{Name: c.Name, Number: c.Number})
	}
	if format == outform.Spreadsheet {
		reading, err := l.open()
		if err != nil {
			return nil, err
		}
		rows := reading.total()
		if err := errors.Join(fits(format, "rows", rows, len(columns)), reading.Close()); err != nil {
			return nil, err
		}
	}
	s, err := v.statement(ctx, a.Run)
	if err != nil {
		return nil, err
	}
	return &Export{Name: s.named(name+" "+what, format), Type: outform.MediaType(format), History: s.history, Write: func(w io.Writer) error {
		out, err := outform.New(format, w, columns, outform.Options{Exact: exact, Stated: s.pairs})
		if err != nil {
			return err
		}
		atOnce, err := v.entriesAtOnce(ctx, l.tables)
		if err != nil {
			return err
		}
		if err := l.each(ctx, atOnce, l.labelled(out.Write)); err != nil {
			return err
		}
		return out.Close()
	}}, nil
}

// readyNow waits until an ask's rows are ready.
func (v *Service) readyNow(ctx context.Context, a view.Ask) (*looking, error) {
	for {
		l, job, err := v.readySoon(ctx, a)
		if err != nil || job == nil {
			return l, err
		}
		end := *job
		err = v.Follow(ctx, job.ID, func(j view.Job) error {
			end = j
			return nil
		})
		if err != nil {
			if _, wrong := v.Cancel(context.WithoutCancel(ctx), job.ID); wrong != nil {
				err = errors.Join(err, wrong)
			}
			return nil, err
		}
		if end.Problem != nil {
			return nil, end.Problem
		}
	}
}

// each visits all rows, in order. So many are read at a time, while those before them are visited.
func (l *looking) each(ctx context.Context, atOnce int, visit func([]comparison.Cell) error) error {
	reading, err := l.open()
	if err != nil {
		return err
	}
	defer reading.Close()
	return ahead.Each(ctx, func(ctx context.Context, pass func([][]comparison.Cell) error) error {
		rows := make([]comparison.Row, atOnce)
		for first := int64(0); ; {
			n, err := reading.read(first, rows)
			if err != nil || n == 0 {
				return err
			}
			first += int64(n)
			cells, err := comparison.Fetch(ctx, l.tables, rows[:n], l.columns, l.distinct())
			if err != nil {
				return err
			}
			if err := pass(cells); err != nil {
				return err
			}
		}
	}, func(cells [][]comparison.Cell) error {
		for _, row := range cells {
			if err := visit(row); err != nil {
				return err
			}
		}
		return nil
	})
}

// labelled writes rows with the labels for where there is nothing.
func (l *looking) labelled(write func([]record.Cell) error) func([]comparison.Cell) error {
	cells := make([]record.Cell, len(l.columns))
	labels := l.Labels
	if labels == nil {
		labels = &view.Labels{}
	}
	return func(row []comparison.Cell) error {
		for c := range row {
			cells[c] = row[c].Cell
			switch {
			case row[c].NoPartner && labels.NoPartner != "":
				cells[c] = record.Cell{Text: labels.NoPartner}
			case row[c].NoPartner:
				cells[c] = record.Cell{Null: true}
			case row[c].Content() == "" && labels.Blank != "":
				cells[c] = record.Cell{Text: labels.Blank}
			}
		}
		return write(cells)
	}
}
