package service

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"twinsieve/core/diagnose"
	"twinsieve/core/lookalike"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/service/words"
)

// foundListed is how many records of a cause are listed.
const foundListed = 200

// Diagnose begins to find out why records found no partner: in a run, or, where run is 0, with a definition, which need not be
// saved.
func (v *Service) Diagnose(ctx context.Context, run uint, d *sieve.Definition) (view.Job, error) {
	if err := v.store.ForgetJobs(ctx, "diagnose", time.Now().UTC().Add(-countsKept)); err != nil {
		return view.Job{}, problem(err, "")
	}
	switch {
	case run > 0:
		r, err := v.report(ctx, run)
		if err != nil {
			return view.Job{}, err
		}
		if err := v.open(ctx, r); err != nil {
			return view.Job{}, err
		}
		return v.jobs.start(ctx, "diagnose", r.head.Sieve, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
			return v.diagnose(ctx, j, r.plan, r.index, r.tables, r.head.Sides)
		})
	case d == nil:
		return view.Job{}, view.Invalid.New("Say what is to be diagnosed: the id of a run, or a definition.")
	}
	p, err := v.plan(ctx, *d)
	if err != nil {
		return view.Job{}, err
	}
	return v.jobs.start(ctx, "diagnose", d.Name, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		index, err := v.match(ctx, j, p)
		if err != nil {
			return nil, err
		}
		return v.diagnose(ctx, j, p.Plan, index, v.tables(p), p.sides())
	})
}

func (v *Service) diagnose(ctx context.Context, j *job, plan *sieve.Plan, index *match.Index, tables [2]record.Table, sides [2]view.Side) (*view.JobResult, error) {
	out, err := Explain(ctx, plan, index, tables, func(stage string) { j.progress(stage, 0, 0) })
	if err != nil {
		return nil, err
	}
	out.Sides = sides
	return &view.JobResult{Diagnosis: out}, nil
}

// Explain says why the records of a match that have no partner found none. It needs no service; the sides are not named.
func Explain(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, progress func(stage string)) (*view.Diagnosis, error) {
	found, err := diagnose.Of(ctx, plan, index, tables, progress)
	if err != nil {
		return nil, err
	}
	out := &view.Diagnosis{Records: found.Records, Looked: found.Looked, Causes: []view.Cause{}}
	var listed []*diagnose.Cause
	for i := range found.Causes {
		c := &found.Causes[i]
		all := c.Records[0] + c.Records[1]
		shown := view.Cause{ID: words.CauseID(c), Kind: string(c.Kind), Records: c.Records, Listed: []view.Found{},
			Says: fmt.Sprintf("%s %s", summary.Number(all), words.Cause(&plan.Definition, c, all == 1))}
		if shown.Remedy = words.Remedy(&plan.Definition, c); shown.Remedy != "" {
			applied := c.Apply(plan.Definition)
			shown.Applied = &applied
			if c.Proof.Doubtful() {
				shown.Doubt = fmt.Sprintf("these pairs are probably strangers: of %s in other columns, only %s agree", summary.Count(int64(c.Proof.Compared), "value"), summary.Number(int64(c.Proof.Agreeing)))
			}
		}
		c.Found = c.Found[:min(len(c.Found), foundListed)]
		out.Causes, listed = append(out.Causes, shown), append(listed, c)
	}
	keys, err := keysOf(ctx, plan, tables, listed)
	if err != nil {
		return nil, err
	}
	for i, c := range listed {
		for _, f := range c.Found {
			mine := keys[f.Side][f.Row]
			shown := view.Found{Side: f.Side.String(), Number: int64(f.Row) + 1, Line: mine.line, Key: mine.texts}
			if f.Partner != match.None {
				shown.Partner, shown.Other = int64(f.Partner)+1, keys[f.Side.Other()][f.Partner].texts
				shown.Looks = looks(plan, f.Side, shown.Key, shown.Other)
			}
			out.Causes[i].Listed = append(out.Causes[i].Listed, shown)
		}
	}
	return out, nil
}

// looks names the characters at which parts of two keys that look the same as they are read differ, the left side's first.
func looks(plan *sieve.Plan, s tray.Side, mine, other []string) (list []string) {
	if s == tray.Right {
		mine, other = other, mine
	}
	for p, k := range plan.Key {
		var read [2]string
		for side, text := range [2]string{mine[p], other[p]} {
			read[side] = string(k.Chain[side].Reader().Cell([]byte(text)).Text)
		}
		if place, ok := lookalike.Differ(read[0], read[1]); ok && place.Look {
			list = append(list, plan.Definition.Key[p].Columns.String()+", "+place.String())
		}
	}
	return list
}

type keyTexts struct {
	texts []string
	line  int64
}

// keysOf reads the keys of all records that causes list.
func keysOf(ctx context.Context, plan *sieve.Plan, tables [2]record.Table, causes []*diagnose.Cause) (keys [2]map[uint32]keyTexts, err error) {
	for _, s := range tray.Sides {
		var rows []uint32
		for _, c := range causes {
			for _, f := range c.Found {
				if f.Side == s {
					rows = append(rows, f.Row)
				} else if f.Partner != match.None {
					rows = append(rows, f.Partner)
				}
			}
		}
		slices.Sort(rows)
		rows = slices.Compact(rows)
		keys[s] = make(map[uint32]keyTexts, len(rows))
		err := record.Gather(ctx, tables[s], rows, func(n int, b *record.Batch, i int) {
			k := keyTexts{line: b.Line(i)}
			for _, part := range plan.Key {
				k.texts = append(k.texts, strings.Clone(b.Columns[part.Column[s]].Value(i)))
			}
			keys[s][rows[n]] = k
		})
		if err != nil {
			return keys, err
		}
	}
	return keys, nil
}

// repeatedListed is how many repeated keys are listed where nobody asks for more.
const repeatedListed = 20

// Repeated lists the repeated keys of a run, the one that takes part in most pairs first.
func (v *Service) Repeated(ctx context.Context, run uint, limit int) (*view.Repeated, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	return repeatedOf(ctx, r.plan, r.index, r.tables, pageSize(limit))
}

func repeatedOf(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, most int) (*view.Repeated, error) {
	list, all, err := match.Repeated(ctx, plan, index, tables, most)
	if list == nil {
		list = []match.RepeatedKey{}
	}
	return &view.Repeated{Keys: list, Total: all}, err
}
