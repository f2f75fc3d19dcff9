package service

import (
	"context"
	"errors"
	"fmt"
	"time"

	"twinsieve/core/advise"
	"twinsieve/core/comparison"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/service/words"
	"twinsieve/store"
)

// Advise begins to find out which columns of two record sets could make two records the same.
func (v *Service) Advise(ctx context.Context, left, right string) (view.Job, error) {
	names := [2]string{left, right}
	var tables [2]record.Table
	for s, name := range names {
		side := tray.Side(s).String()
		_, snap, err := v.store.Set(ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			what := fmt.Sprintf("there is no record set %q; load it first", name)
			return view.Job{}, view.BadDefinition.New(fmt.Sprintf("The %s side: %s.", side, what), view.Fault{Where: side, What: what})
		}
		if err != nil {
			return view.Job{}, err
		}
		tables[s] = v.store.Table(snap)
	}
	if err := v.store.ForgetJobs(ctx, "advise", time.Now().UTC().Add(-countsKept)); err != nil {
		return view.Job{}, problem(err, "")
	}
	return v.jobs.start(ctx, "advise", left+" and "+right, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		a, err := advise.Of(ctx, tables[0], tables[1], advise.Options{Budget: v.options.Memory / (2 * jobsAtOnce), Progress: func(stage string) { j.progress(stage, 0, 0) }})
		if err != nil {
			return nil, err
		}
		return &view.JobResult{Advice: adviceOf(a, names)}, nil
	})
}

func adviceOf(a *advise.Advice, sets [2]string) *view.Advice {
	out := &view.Advice{Sets: sets, Records: a.Records, Looked: a.Looked, Pairs: []view.PairAdvice{}, Keys: []view.KeyAdvice{}}
	for _, p := range a.Pairs {
		part := words.KeyParts(a, []advise.Pair{p})[0]
		shown := view.PairAdvice{Part: part, Shared: p.Shared}
		for s := range tray.Sides {
			c := a.Columns[s][p.Columns[s]]
			shown.Sides[s] = view.ColumnEvidence{Column: c.Name, Type: c.Type, Distinct: c.Distinct, Unique: c.Unique, Blank: c.Blank, Found: share(p.Shared, c.Distinct)}
		}
		out.Pairs = append(out.Pairs, shown)
	}
	for i := range a.Keys {
		k := &a.Keys[i]
		out.Keys = append(out.Keys, view.KeyAdvice{Key: words.KeyParts(a, k.Parts), Relation: string(comparison.Related(k.Most)), Says: words.KeyAdvice(k, sets), Agrees: words.Agreeing(k),
			Warnings: words.KeyWarnings(a, k, sets), Distinct: k.Distinct, Repeated: k.Repeated, Shared: k.Shared, Partner: k.Partner, Product: k.Product})
	}
	return out
}

func share(part, all int64) float64 {
	if all == 0 {
		return 0
	}
	return float64(part) / float64(all)
}
