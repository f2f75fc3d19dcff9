package service

import (
	"context"
	"fmt"
	"slices"
	"time"

	"twinsieve/core/effect"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// TryReading begins to find out what one reading of a definition does: to the values of its columns on both sides, and to what
// pairs. A negative number stands for all readings of the key part or field together.
func (v *Service) TryReading(ctx context.Context, d sieve.Definition, at view.ReadingPlace) (view.Job, error) {
	before, err := withoutReading(d, at)
	if err != nil {
		return view.Job{}, err
	}
	with, err := v.plan(ctx, d)
	if err != nil {
		return view.Job{}, err
	}
	without, err := v.plan(ctx, before)
	if err != nil {
		return view.Job{}, err
	}
	if err := v.store.ForgetJobs(ctx, "preview", time.Now().UTC().Add(-countsKept)); err != nil {
		return view.Job{}, problem(err, "")
	}
	return v.jobs.start(ctx, "preview", d.Name, "reading of "+d.Left+" and "+d.Right, func(ctx context.Context, j *job) (*view.JobResult, error) {
		out := &view.ReadingEffect{}
		tables := v.tables(with)
		for _, s := range tray.Sides {
			value, was := valueAt(with.Plan, at), valueAt(without.Plan, at)
			j.progress("reading values", 0, 0)
			e, err := effect.Of(ctx, tables[s], value.Column[s], was.Chain[s], value.Chain[s])
			if err != nil {
				return nil, err
			}
			out.Sides[s] = sideEffect(with.Columns[s][value.Column[s]], e)
		}
		for i, p := range [2]*planned{without, with} {
			index, err := v.matchAny(ctx, j, p)
			if err != nil {
				return nil, err
			}
			s := summary.Of(p.Plan, index, rejectsOf(p))
			out.Pairs[i] = view.PairedCounts{Keys: s.Keys.Shared, Rows: index.Totals.Product, Records: index.Totals.Semi, Matched: s.Tray(tray.Matched).Entries}
		}
		return &view.JobResult{Effect: out}, nil
	})
}

// withoutReading is a definition without the reading at a place.
func withoutReading(d sieve.Definition, at view.ReadingPlace) (sieve.Definition, error) {
	cut := func(list []reading.Reading) ([]reading.Reading, error) {
		switch {
		case at.Reading < 0:
			return nil, nil
		case at.Reading >= len(list):
			return nil, view.Invalid.New(fmt.Sprintf("There is no reading %d; there are %d.", at.Reading+1, len(list)))
		}
		return slices.Delete(slices.Clone(list), at.Reading, at.Reading+1), nil
	}
	var err error
	switch {
	case at.Of == "key" && at.Part >= 0 && at.Part < len(d.Key):
		d.Key = slices.Clone(d.Key)
		d.Key[at.Part].Readings, err = cut(d.Key[at.Part].Readings)
	case at.Of == "compare" && at.Part >= 0 && at.Part < len(d.Compare):
		d.Compare = slices.Clone(d.Compare)
		d.Compare[at.Part].Readings, err = cut(d.Compare[at.Part].Readings)
	default:
		err = view.Invalid.New(fmt.Sprintf("There is no part %d of %q; name a part of the key or a compared field.", at.Part+1, at.Of))
	}
	return d, err
}

func valueAt(plan *sieve.Plan, at view.ReadingPlace) sieve.PlanValue {
	if at.Of == "key" {
		return plan.Key[at.Part].PlanValue
	}
	return plan.Values[plan.Fields[at.Part].Value]
}

func sideEffect(column string, e *effect.Effect) view.SideEffect {
	out := view.SideEffect{Column: column, Values: e.Values, Changed: e.Changed, Emptied: e.Emptied, Unreadable: e.Unreadable, Distinct: e.Distinct, Collided: e.Collided,
		Samples: []view.ReadSample{}, Collisions: []view.Collision{}}
	for _, s := range e.Samples {
		out.Samples = append(out.Samples, view.ReadSample{Cell: s.Cell, Before: shownValue(s.Before), After: shownValue(s.After), Records: s.Records})
	}
	for _, c := range e.Collisions {
		out.Collisions = append(out.Collisions, view.Collision{After: c.After, Before: c.Before, Texts: c.Texts})
	}
	return out
}

func shownValue(v reading.Value) view.ReadValue {
	return view.ReadValue{State: map[reading.State]string{reading.Text: "text", reading.Blank: "blank", reading.Emptied: "emptied", reading.Unreadable: "unreadable"}[v.State], Text: string(v.Text)}
}
