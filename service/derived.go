package service

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"twinsieve/core/comparison"
	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/store"
)

// setRows reads a snapshot as it is, computed columns included.
type setRows struct{ given }

func (*setRows) Close() error { return nil }

// openSet opens another record set as a source.
func (v *Service) openSet(ctx context.Context, name string) (*opened, error) {
	_, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	o := &opened{name: name, counted: true, records: snap.Records, close: func() {}}
	o.fresh = func(ctx context.Context, j *job) error { return v.freshSet(ctx, j, name) }
	o.begin = func(ctx context.Context, c intake.Choices, opts intake.Options) (*intake.Source, error) {
		_, snap, err := v.set(ctx, name)
		if err != nil {
			return nil, err
		}
		o.parents = []view.Parent{{Set: name, Snapshot: snap.Number, Hash: snap.Hash}}
		return intake.Rows(&setRows{given{ctx: ctx, table: v.store.Table(snap), columns: len(snap.Columns)}}, c, opts.Forgive)
	}
	return o, nil
}

// openResult opens rows of a sieve's run as a source. It fills in the sieve's number and name.
func (v *Service) openResult(ctx context.Context, ref *view.ResultRef) (*opened, error) {
	row, err := v.resultSieve(ctx, ref)
	if err != nil {
		return nil, err
	}
	ref.ID, ref.Sieve = row.ID, row.Name
	o := &opened{name: fmt.Sprintf("%s of %s", ref.Look.Comparison, row.Name), close: func() {}, run: ref.Run}
	working := quiet()
	o.fresh = func(ctx context.Context, j *job) (err error) {
		if working = j; ref.Run == 0 {
			o.run, err = v.freshRun(ctx, j, row.ID)
		}
		return err
	}
	o.begin = func(ctx context.Context, c intake.Choices, opts intake.Options) (*intake.Source, error) {
		if o.run == 0 {
			run, err := v.store.NewestOf(ctx, row.ID)
			if err != nil {
				return nil, problem(err, fmt.Sprintf("run of the sieve %q; run it first", row.Name))
			}
			o.run = run.ID
		}
		m, err := v.matchedRun(ctx, o.run, ref.Look.Swap)
		if err != nil {
			return nil, err
		}
		l, err := v.prepare(ctx, working, m, nil, ref.Look)
		if err != nil {
			return nil, err
		}
		l.keepPresence()
		if l.aligned != nil {
			ref.Look.Align = comparison.Resolved(l.sheets, l.aligned) // so that it means the same with next month's data
		}
		o.parents = nil
		for s, snap := range m.snapshots {
			o.parents = append(o.parents, view.Parent{Set: m.sets[s], Snapshot: snap.Number, Hash: snap.Hash})
		}
		reader, err := newRowsReader(ctx, l)
		if err != nil {
			return nil, err
		}
		return intake.Rows(reader, c, opts.Forgive)
	}
	return o, nil
}

func (v *Service) resultSieve(ctx context.Context, ref *view.ResultRef) (store.Sieve, error) {
	if ref.ID != 0 {
		row, err := v.store.SieveByID(ctx, ref.ID)
		if !errors.Is(err, store.ErrNotFound) {
			return row, err
		}
	}
	row, _, err := v.store.Sieve(ctx, ref.Sieve)
	return row, problem(err, fmt.Sprintf("sieve %q; save it first, so that its result can be made again", ref.Sieve))
}

// keepPresence adds the presence columns to those that are shown, so that "no partner" survives where rows become records.
func (l *looking) keepPresence() {
	for _, c := range l.all {
		if c.Presence && !slices.ContainsFunc(l.columns, func(o comparison.Column) bool { return o.Presence && o.Side == c.Side }) {
			l.columns = append(l.columns, c)
		}
	}
}

// rowsReader reads rows as records. It implements [intake.RowsReader].
type rowsReader struct {
	*openRows
	ctx   context.Context
	l     *looking
	first int64
	some  []comparison.Row
}

func newRowsReader(ctx context.Context, l *looking) (*rowsReader, error) {
	reading, err := l.open()
	return &rowsReader{openRows: reading, ctx: ctx, l: l, some: make([]comparison.Row, record.BatchRecords)}, err
}

func (r *rowsReader) Columns() (names []string) {
	for _, c := range r.l.columns {
		names = append(names, c.Name)
	}
	return names
}

func (r *rowsReader) Rejects() int64 { return 0 }
func (r *rowsReader) Bytes() int64   { return 0 }

// Next implements [record.Reader].
func (r *rowsReader) Next() (*record.Batch, error) {
	first := r.first
	n, err := r.read(first, r.some)
	if err != nil {
		return nil, err
	}
	cells, err := comparison.Fetch(r.ctx, r.l.tables, r.some[:n], r.l.columns, r.l.distinct())
	if err != nil {
		return nil, err
	}
	r.first += int64(n)
	b := record.NewBuilder(len(r.l.columns))
	for i, row := range cells {
		for c := range row {
			switch cell := &row[c]; {
			case cell.NoPartner, cell.Null && cell.Text == "":
				b.Null(c)
			case cell.Null:
				b.Marker(c, []byte(cell.Text))
			default:
				b.Cell(c, []byte(cell.Text))
			}
		}
		if full := b.Close(0); full != nil { // rows behind it are read again with the next batch
			r.first -= int64(n - i - 1)
			full.First = first
			return full, nil
		}
	}
	last, err := b.Last()
	if err == nil {
		last.First = first
	}
	return last, err
}
