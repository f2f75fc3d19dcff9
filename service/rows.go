package service

import (
	"context"
	"errors"
	"fmt"
	"time"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/service/words"
)

// patience is how long a request for rows waits for what has to be made ready first, before it answers with the job.
const patience = 250 * time.Millisecond

// Rows returns a page of the rows of a comparison, from row first on. Where something has to be made ready that takes its time,
// it returns the job that does so; the same request then has its answer at once.
func (v *Service) Rows(ctx context.Context, a view.Ask, first int64, limit int) (*view.Rows, error) {
	if first < 0 {
		return nil, view.Invalid.New("The number of the first row is negative; the first row is 0.")
	}
	l, job, err := v.readySoon(ctx, a)
	if err != nil || job != nil {
		return &view.Rows{Job: job}, err
	}
	return v.page(ctx, l, first, limit)
}

// readySoon settles an ask and makes its rows ready. Where that takes long, it returns the job that is doing it.
func (v *Service) readySoon(ctx context.Context, a view.Ask) (*looking, *view.Job, error) {
	m, p, err := v.find(ctx, a)
	if err != nil {
		return nil, nil, err
	}
	var l *looking
	if m != nil {
		if l, err = v.settle(ctx, m, a.Look); err != nil {
			return nil, nil, v.withWorst(ctx, m, err)
		}
		if l.ready() {
			return l, nil, nil
		}
	}
	subject := "rows of " + a.Look.Comparison
	if err := v.store.ForgetJobs(ctx, "rows", time.Now().UTC().Add(-countsKept)); err != nil {
		return nil, nil, problem(err, "")
	}
	type outcome struct {
		l   *looking
		err error
	}
	done := make(chan outcome, 1)
	job, err := v.jobs.start(ctx, "rows", subject, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		l, err := v.prepare(ctx, j, m, p, a.Look)
		done <- outcome{l, err}
		return &view.JobResult{}, err
	})
	if err != nil {
		return nil, nil, err
	}
	timer := time.NewTimer(patience)
	defer timer.Stop()
	select {
	case o := <-done:
		return o.l, nil, o.err
	case <-timer.C:
	case <-ctx.Done(): // nobody has been told of the job, so nobody waits for it
		_, err := v.Cancel(context.WithoutCancel(ctx), job.ID)
		return nil, nil, errors.Join(ctx.Err(), err)
	}
	return nil, &job, nil
}

// prepare matches, settles and makes ready, whatever of that has not been done. m is nil where p has not been matched yet.
func (v *Service) prepare(ctx context.Context, j *job, m *matched, p *planned, look view.Look) (l *looking, err error) {
	if m == nil {
		if m, err = v.makeMatch(ctx, j, p); err != nil {
			return nil, err
		}
	}
	if l, err = v.settle(ctx, m, look); err != nil {
		return nil, v.withWorst(ctx, m, err)
	}
	return l, v.makeReady(ctx, j, l)
}

// withWorst adds the keys that multiply most to the problem that a comparison multiplies.
func (v *Service) withWorst(ctx context.Context, m *matched, err error) error {
	p := new(view.Problem)
	if !errors.As(err, &p) || !view.Multiplies.Is(p) || p.Faults[0].Where != "key" {
		return err
	}
	list, _, wrong := match.Repeated(ctx, m.Plan, m.index, m.tables, 5)
	if wrong != nil {
		return wrong
	}
	for _, k := range list {
		if pairs := k.Records[0] * k.Records[1]; pairs > 1 {
			p.Faults = append(p.Faults, view.Fault{Where: "key", What: fmt.Sprintf("%s: %s of %s with %s of %s give %s", shownKey(k.Key),
				countOf(k.Records[0]), m.sets[0], countOf(k.Records[1]), m.sets[1], summary.Count(pairs, "pair"))})
		}
	}
	return p
}

// page reads a page of rows that are ready.
func (v *Service) page(ctx context.Context, l *looking, first int64, limit int) (*view.Rows, error) {
	out := &view.Rows{All: l.shown(l.all), Columns: l.shown(l.columns), Rows: []view.Row{}, First: first, Count: l.count(), Warnings: l.warnings(),
		Snapshots: [2]int{l.snapshots[0].Number, l.snapshots[1].Number}}
	reading, err := l.open()
	if err != nil {
		return nil, err
	}
	defer reading.Close()
	rows := make([]comparison.Row, pageSize(limit))
	n, err := reading.read(first, rows)
	if err != nil {
		return nil, err
	}
	out.Total = reading.total()
	if l.where != nil {
		left := reading.held.left
		out.Left = &view.LeftOut{Rows: left.Rows, Lonely: left.Lonely, Undecided: left.Undecided, Why: left.Why}
	}
	if out.Rows, err = l.fetch(ctx, rows[:n]); err != nil {
		return nil, err
	}
	out.Sentence = words.Rows(l.looked())
	if l.aligned != nil {
		out.Aligned = comparison.Resolved(l.sheets, l.aligned).Pairs
	}
	return out, nil
}

// looked is what a sentence about the rows has to know.
func (l *looking) looked() words.Looked {
	t := &l.index.Totals
	out := words.Looked{Choice: l.choice, Sets: l.sets, Count: l.count(), Semi: t.Semi}
	for _, s := range tray.Sides {
		out.Kept[s] = t.Records[s] - t.Trays[s][tray.Excluded]
	}
	return out
}

// fetch reads the cells of rows.
func (l *looking) fetch(ctx context.Context, rows []comparison.Row) ([]view.Row, error) {
	cells, err := comparison.Fetch(ctx, l.tables, rows, l.columns, l.distinct())
	if err != nil {
		return nil, err
	}
	out := make([]view.Row, len(rows))
	for i, row := range rows {
		r := view.Row{Cells: make([]*string, len(l.columns))}
		if row[0] != comparison.None {
			r.Left = int64(row[0]) + 1
		}
		if row[1] != comparison.None {
			r.Right = int64(row[1]) + 1
		}
		for c := range cells[i] {
			switch cell := &cells[i][c]; {
			case cell.NoPartner, cell.Null && cell.Text == "":
			case cell.Null:
				r.Markers = append(r.Markers, c)
				fallthrough
			default:
				r.Cells[c] = &cell.Text
			}
		}
		out[i] = r
	}
	return out, nil
}

// shown gives columns the form in which people see them.
func (l *looking) shown(columns []comparison.Column) []view.RowColumn {
	out := []view.RowColumn{}
	for _, c := range columns {
		shown := view.RowColumn{Name: c.Name, Side: "both", Type: typing.Text}
		for _, a := range l.all {
			if a.From == c.From && a.Presence == c.Presence && a.Side == c.Side {
				shown.Column = a.Name
			}
		}
		if s, one := c.Of(); one {
			shown.Side = s.String()
		}
		if c.Presence {
			shown.Side = "presence"
		} else {
			t := l.typeOf(&c)
			shown.Type, shown.Number = t.String(), t.Numeric()
		}
		out = append(out, shown)
	}
	return out
}

// typeOf is as what a column's values read.
func (l *looking) typeOf(c *comparison.Column) typing.Type {
	types := l.types(c)
	if s, one := c.Of(); one {
		return types[s]
	}
	if types[0].Name == types[1].Name {
		return types[0]
	}
	return typing.Type{Name: typing.Decimal, Form: typing.Point} // an integer and a decimal
}

// warnings are what a person should look at.
func (l *looking) warnings() []string {
	out := []string{}
	if l.wholes != "" {
		for _, a := range l.aligned {
			if a.InDoubt != "" {
				out = append(out, fmt.Sprintf("%s is compared as text: how its %ss are written is in doubt. State its type where it is loaded.", l.sheets[0].Columns[a.Column[0]], a.InDoubt))
			}
		}
		for _, s := range tray.Sides {
			if n := l.whole().asText(s); n > 0 {
				out = append(out, fmt.Sprintf("%s of %s cannot be read as the type of %s column, and %s compared as text.", summary.Count(n, "value"), l.sets[s],
					map[bool]string{true: "its", false: "their"}[n == 1], map[bool]string{true: "is", false: "are"}[n == 1]))
			}
		}
	}
	for _, k := range l.sort {
		for s, t := range k.Types {
			if _, readable := t.Readings(); l.all[k.Column].From[s] >= 0 && !readable {
				out = append(out, fmt.Sprintf("%s is sorted as text: how its %ss are written is in doubt. State its type where it is loaded, or what it is sorted as.", l.all[k.Column].Name, t.Name))
			}
		}
	}
	if n := l.selves(); n > 0 && l.wholes == "" {
		out = append(out, words.Selves(l.sets[0], n))
	}
	return out
}

// selves is how many records pair with themselves, where both sides are one snapshot.
func (m *matched) selves() int64 {
	if m.snapshots[0].ID != m.snapshots[1].ID {
		return 0
	}
	return m.byKey().Selves()
}

// RowTotals begins to add up the number columns of rows.
func (v *Service) RowTotals(ctx context.Context, a view.Ask) (view.Job, error) {
	m, p, err := v.find(ctx, a)
	if err != nil {
		return view.Job{}, err
	}
	return v.jobs.start(ctx, "rows", "totals of "+a.Look.Comparison, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		l, err := v.prepare(ctx, j, m, p, a.Look)
		if err != nil {
			return nil, err
		}
		totals, err := l.totals(ctx)
		return &view.JobResult{Totals: totals}, err
	})
}
