package service

import (
	"context"
	"errors"
	"slices"
	"time"

	"twinsieve/core/comparison"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
	"twinsieve/service/view"
)

// CountWhole begins to count set logic over the whole records of a definition's sets. Columns that do not fit are no failure: the
// result says which. Of counts with the same draft only the newest goes on.
func (v *Service) CountWhole(ctx context.Context, d sieve.Definition, align comparison.Alignment, draft string) (view.Job, error) {
	p, err := v.plan(ctx, d)
	if err != nil {
		return view.Job{}, err
	}
	if err := v.store.ForgetJobs(ctx, "count", time.Now().UTC().Add(-countsKept)); err != nil {
		return view.Job{}, problem(err, "")
	}
	return v.jobs.start(ctx, "count", "whole records of "+d.Left+" and "+d.Right, draft, func(ctx context.Context, j *job) (*view.JobResult, error) {
		m, err := v.makeMatch(ctx, j, p)
		if err != nil {
			return nil, err
		}
		out := &view.WholeCounts{Counts: []comparison.Count{}, Aligned: []comparison.AlignedPair{}, Misfits: []string{}, Suggested: suggested(d)}
		l, err := v.settle(ctx, m, view.Look{Comparison: string(comparison.Union), Align: align})
		if p := new(view.Problem); errors.As(err, &p) && view.BadLook.Is(p) {
			for _, f := range p.Faults {
				out.Misfits = append(out.Misfits, f.What)
			}
			return &view.JobResult{Whole: out}, nil
		}
		if err != nil {
			return nil, err
		}
		if err := v.makeReady(ctx, j, l); err != nil {
			return nil, err
		}
		w := l.whole()
		out.Counts, out.Aligned = w.counts, comparison.Resolved(l.sheets, l.aligned).Pairs
		for _, s := range tray.Sides {
			out.Unread[s] = w.asText(s)
		}
		return &view.JobResult{Whole: out}, nil
	})
}

// asText is how many values of a side cannot be read as their type, and are compared as their text.
func (w *whole) asText(s tray.Side) (n int64) {
	for _, part := range w.groups.Index().Totals.Parts[s] {
		n += part.Unreadable
	}
	return n
}

// suggested are the pairs of columns that a definition names, as a beginning of an alignment.
func suggested(d sieve.Definition) []comparison.AlignedPair {
	pairs := []comparison.AlignedPair{}
	add := func(c sieve.Columns, as string) {
		l, r := c.On()
		if slices.ContainsFunc(pairs, func(p comparison.AlignedPair) bool { return p.Left == l || p.Right == r }) {
			return
		}
		pairs = append(pairs, comparison.AlignedPair{Left: l, Right: r, As: as})
	}
	for _, k := range d.Key {
		as := typing.Text
		for _, r := range k.Readings {
			switch r.Name {
			case "date":
				as = typing.Date
			case "number":
				as = typing.Decimal
			}
		}
		add(k.Columns, as)
	}
	for _, f := range d.Compare {
		switch f.As {
		case typing.Decimal, typing.Date, typing.Boolean:
			add(f.Columns, f.As)
		default:
			add(f.Columns, typing.Text)
		}
	}
	return pairs
}
