package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"twinsieve/core/near"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/service/words"
	"twinsieve/store"
)

// nearListed is how many suggestions are listed.
const nearListed = 1000

// Near begins to look for records of a run that might belong together. least is the least score of a suggestion; 0: the usual.
func (v *Service) Near(ctx context.Context, run uint, least float64) (view.Job, error) {
	if least < 0 || least > 1 {
		return view.Job{}, view.Invalid.New(fmt.Sprintf("The least score %v is not between 0 and 1.", least))
	}
	r, err := v.report(ctx, run)
	if err != nil {
		return view.Job{}, err
	}
	if err := v.open(ctx, r); err != nil {
		return view.Job{}, err
	}
	if err := v.store.ForgetJobs(ctx, "near", time.Now().UTC().Add(-countsKept)); err != nil {
		return view.Job{}, problem(err, "")
	}
	return v.jobs.start(ctx, "near", r.head.Sieve, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		j.progress("looking for near matches", 0, 0)
		found, err := near.Of(ctx, r.plan, r.index, r.tables, near.Options{Least: least})
		if err != nil {
			return nil, err
		}
		out, err := v.nearOf(ctx, r, found)
		return &view.JobResult{Near: out}, err
	})
}

func (v *Service) nearOf(ctx context.Context, r *report, found *near.Suggestions) (*view.Near, error) {
	out := &view.Near{Run: r.row.ID, Sieve: r.head.Sieve, Records: found.Records, Looked: found.Looked, Pairs: []view.Suggested{}}
	decided := map[string]store.Acceptance{}
	hand := [2]map[int64]bool{{}, {}}
	row, err := v.store.SieveByID(ctx, r.row.SieveID)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if err == nil {
		out.Sieve = row.Name // of which pairs are accepted
		if decided, err = v.decidedKeys(ctx, row.ID); err != nil {
			return nil, err
		}
		if hand, err = v.pairedNumbers(ctx, row.ID); err != nil {
			return nil, err
		}
	}
	for at := 0; at < len(found.Pairs); at += nearListed {
		part := found.Pairs[at:min(at+nearListed, len(found.Pairs))]
		shown, err := r.suggested(ctx, part)
		if err != nil {
			return nil, err
		}
		for _, s := range shown {
			if _, ok := decided[pairName(s.Keys.Left, s.Keys.Right)]; ok || hand[0][s.Left.Number] || hand[1][s.Right.Number] {
				continue
			}
			if out.Found++; len(out.Pairs) < nearListed {
				out.Pairs = append(out.Pairs, s)
			}
		}
	}
	return out, nil
}

// pairedNumbers are the numbers of the records that have been paired by hand in a sieve.
func (v *Service) pairedNumbers(ctx context.Context, sieve uint) (numbers [2]map[int64]bool, err error) {
	numbers = [2]map[int64]bool{{}, {}}
	list, err := v.store.Acceptances(ctx, sieve)
	if err != nil {
		return numbers, err
	}
	for _, a := range list {
		if a.Kind != store.RecordsAccepted || a.EndedVersion > 0 {
			continue
		}
		b, err := bodyOf(a)
		if err != nil {
			return numbers, err
		}
		for s := range numbers {
			for _, one := range b.Records[s] {
				numbers[s][one.Number] = true
			}
		}
	}
	return numbers, nil
}

func pairName(left, right []string) string {
	return strings.Join(left, "\x00") + "\x01" + strings.Join(right, "\x00")
}

// suggested reads the records of suggestions.
func (r *report) suggested(ctx context.Context, pairs []near.Pair) ([]view.Suggested, error) {
	var records [2]map[uint32]view.Record
	for _, s := range tray.Sides {
		records[s] = map[uint32]view.Record{}
		var rows []uint32
		for _, p := range pairs {
			rows = append(rows, [2]uint32{p.Left, p.Right}[s])
		}
		slices.Sort(rows)
		err := record.Gather(ctx, r.tables[s], rows, func(n int, b *record.Batch, i int) {
			records[s][rows[n]] = recordOf(int64(rows[n]), b.Origin(i), b.Cells(i))
		})
		if err != nil {
			return nil, err
		}
	}
	var list []view.Suggested
	for _, p := range pairs {
		one := view.Suggested{Score: p.Score, Reasons: words.Near(r.plan, p.Reasons), Left: records[0][p.Left], Right: records[1][p.Right], Keyed: true}
		for _, s := range tray.Sides {
			rec := [2]*view.Record{&one.Left, &one.Right}[s]
			cells := cellsOf(rec)
			for _, k := range r.plan.Key {
				text := cells[k.Column[s]].Content()
				into := [2]*[]string{&one.Keys.Left, &one.Keys.Right}[s]
				*into = append(*into, text)
				if v := k.Chain[s].Reader().Cell([]byte(text)); v.State != reading.Text && !(v.State.IsBlank() && k.BlanksEqual) {
					one.Keyed = false
				}
			}
		}
		one.Keys.Score, one.Keys.Why = p.Score, strings.Join(one.Reasons, ", ")
		list = append(list, one)
	}
	return list, nil
}
