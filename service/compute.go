package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"twinsieve/core/expression"
	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/store"
)

// given is what a snapshot's source has given: the snapshot without its computed columns. It implements [record.Reader].
type given struct {
	ctx     context.Context
	table   record.Table
	columns int
	next    int
	most    int // records of a batch that are given; 0: all
}

func (g *given) Columns() []string { return g.table.Columns()[:g.columns] }
func (g *given) Rejects() int64    { return 0 }
func (g *given) Bytes() int64      { return 0 }

func (g *given) Next() (*record.Batch, error) {
	if g.next == len(g.table.Starts()) {
		return nil, io.EOF
	}
	b, err := g.table.Batch(g.ctx, g.next)
	if err != nil {
		return nil, err
	}
	g.next++
	if g.most > 0 && b.Records() > g.most {
		places := make([]int, g.most)
		for i := range places {
			places[i] = i
		}
		b = record.Pick(b, places)
	}
	return &record.Batch{First: b.First, Lines: b.Lines, Columns: b.Columns[:g.columns]}, nil
}

// given returns a snapshot's records as its source gave them. Computed columns stand behind those of the source.
func (v *Service) given(ctx context.Context, snap store.Snapshot) *given {
	recipe, _ := recipeOf(snap)
	lost := findingsOf(snap).Lost
	columns := slices.IndexFunc(snap.Columns, func(name string) bool {
		return slices.ContainsFunc(recipe.Choices.Computed, func(c expression.Column) bool { return c.Name == name }) &&
			!slices.ContainsFunc(lost, func(l intake.Lost) bool { return l.Column == name })
	})
	if columns < 0 {
		columns = len(snap.Columns)
	}
	return &given{ctx: ctx, table: v.store.Table(snap), columns: columns}
}

// badColumn says what is wrong with a computed column.
func badColumn(columns []expression.Column, err error) error {
	c := new(expression.ColumnError)
	if !errors.As(err, &c) {
		return err
	}
	at := slices.IndexFunc(columns, func(col expression.Column) bool { return col.Name == c.Column })
	return view.BadExpression.New(fmt.Sprintf("The computed column %q: %s.", c.Column, c.Err), view.Fault{Where: fmt.Sprintf("computed[%d]", max(at, 0)), What: c.Err.Error()})
}

// Compute begins to compute columns of a set from those of its source: the newest snapshot is followed by one with these
// computed columns and no others.
func (v *Service) Compute(ctx context.Context, set string, columns []expression.Column) (view.Job, error) {
	_, snap, err := v.set(ctx, set)
	if err != nil {
		return view.Job{}, err
	}
	recipe, ok := recipeOf(snap)
	if !ok {
		return view.Job{}, view.Invalid.New(fmt.Sprintf("The record set %q was loaded before it was kept how sets are read; load it anew.", set))
	}
	if _, err := expression.Compute(v.given(ctx, snap), columns); err != nil {
		return view.Job{}, badColumn(columns, err)
	}
	recipe.Choices.Computed = columns
	read := *recipe.ReadAs
	read.Computed = columns
	recipe.ReadAs = &read
	return v.jobs.start(ctx, "compute", set, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		return v.compute(ctx, j, set, snap, recipe)
	})
}

func (v *Service) compute(ctx context.Context, j *job, set string, snap store.Snapshot, recipe view.Recipe) (_ *view.JobResult, err error) {
	reader, err := expression.Compute(v.given(ctx, snap), recipe.Choices.Computed)
	if err != nil {
		return nil, badColumn(recipe.Choices.Computed, err)
	}
	w, err := v.newWriting(ctx, set, store.Snapshot{Columns: reader.Columns(), Source: snap.Source, Delimiter: snap.Delimiter}, recipe)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			v.drop(w)
		}
	}()
	w.MadeFrom(snap.Number) // what was loaded meanwhile is not followed by what was there before
	for {
		b, err := reader.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, unreadable(set, err)
		}
		if err := w.add(ctx, b); err != nil {
			return nil, err
		}
		j.progress("computing", b.First+int64(b.Records()), snap.Records)
	}
	if err := v.copyRejects(ctx, w.SnapshotWriter, snap); err != nil {
		return nil, err
	}
	findings := findingsOf(snap)
	findings.Uncomputed, findings.Lost, findings.Same = reader.Failures(), nil, ""
	result, err := w.seal(ctx, snap.Bytes, findings)
	if errors.Is(err, store.ErrChanged) {
		return nil, view.Changed.New(fmt.Sprintf("The record set %q has been loaded again meanwhile; compute its columns again.", set))
	}
	return result, err
}

// copyRejects gives a snapshot the rejects of another of the same source.
func (v *Service) copyRejects(ctx context.Context, w *store.SnapshotWriter, from store.Snapshot) error {
	for last := int64(0); ; {
		rows, err := v.store.Rejects(ctx, from.ID, last, 1000)
		if err != nil || len(rows) == 0 {
			return err
		}
		last = rows[len(rows)-1].Seq
		if err := w.AddRejects(ctx, rows); err != nil {
			return err
		}
	}
}

const (
	triedRecords = 1000 // that are looked at to show what a column would be
	triedShown   = 5
	triedTexts   = 16 << 20 // bytes that the columns may have for these
)

// TryColumns says what computed columns would be, from the first records of a set, and changes nothing. What is wrong with
// one is said with it.
func (v *Service) TryColumns(ctx context.Context, set string, columns []expression.Column) (*view.TriedColumns, error) {
	_, snap, err := v.set(ctx, set)
	if err != nil {
		return nil, err
	}
	source := v.given(ctx, snap)
	source.most = triedRecords
	out := &view.TriedColumns{Given: source.Columns(), Columns: []view.TriedColumn{}}
	if len(columns) > expression.MostComputed {
		return nil, view.Invalid.New(fmt.Sprintf("There are %d columns; a record set has at most %d computed ones.", len(columns), expression.MostComputed))
	}
	reader, err := expression.Compute(source, nil)
	if err != nil {
		return nil, err
	}
	reader.Most(triedTexts)
	for _, c := range columns {
		tried := view.TriedColumn{Column: c, Cells: []*string{}}
		err := reader.Add(c)
		if wrong := new(expression.ColumnError); errors.As(err, &wrong) {
			tried.Wrong = wrong.Err.Error()
			if at := new(expression.Error); errors.As(err, &at) {
				tried.Wrong, tried.At = at.What, at.At
			}
		} else if err != nil {
			return nil, err
		}
		out.Columns = append(out.Columns, tried)
	}
	for out.Looked < triedRecords {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		b, err := reader.Next()
		if err == io.EOF {
			break
		}
		if unreadable := new(record.Unreadable); errors.As(err, &unreadable) {
			return nil, view.Invalid.New("The columns cannot be shown: " + unreadable.Error() + ".")
		}
		if err != nil {
			return nil, err
		}
		n := 0
		for k := range out.Columns {
			if out.Columns[k].Wrong != "" {
				continue
			}
			col := b.Columns[source.columns+n]
			n++
			for i := 0; i < b.Records() && len(out.Columns[k].Cells) < triedShown; i++ {
				var text *string
				if col.IsValid(i) {
					value := strings.Clone(col.Value(i))
					text = &value
				}
				out.Columns[k].Cells = append(out.Columns[k].Cells, text)
			}
		}
		out.Looked += int64(b.Records())
	}
	for _, f := range reader.Failures() {
		at := slices.IndexFunc(out.Columns, func(c view.TriedColumn) bool { return c.Name == f.Column })
		out.Columns[at].Failures = &f
	}
	return out, nil
}
