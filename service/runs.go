package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"sync"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/ahead"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/pace"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/service/words"
	"twinsieve/store"
)

// Count begins to count what a definition would give. It need not be saved. Of counts with the same draft only the
// newest goes on.
func (v *Service) Count(ctx context.Context, d sieve.Definition, draft string) (view.Job, error) {
	p, err := v.plan(ctx, d)
	if err != nil {
		return view.Job{}, err
	}
	return v.jobs.start(ctx, countJob, d.Name, draft, func(ctx context.Context, j *job) (*view.JobResult, error) {
		index, err := v.match(ctx, j, p)
		if err != nil {
			return nil, err
		}
		m := v.keepMatch(p, index) // so that rows can be looked at without matching again
		counts := &view.Counts{Sides: p.sides(), Summary: *summary.Of(p.Plan, index, rejectsOf(p)), Sentence: words.Sieve(&p.Definition), Selves: m.selves(), Warnings: []string{}}
		if counts.Selves > 0 {
			counts.Warnings = append(counts.Warnings, words.Selves(p.sets[0], counts.Selves))
		}
		repeated, err := repeatedOf(ctx, p.Plan, index, v.tables(p), repeatedListed)
		if err != nil {
			return nil, err
		}
		counts.Repeated = *repeated
		warnings, err := clashes(ctx, p.Plan, v.tables(p))
		if err != nil {
			return nil, err
		}
		counts.Warnings = append(counts.Warnings, warnings...)
		return &view.JobResult{Counts: counts}, nil
	})
}

func (v *Service) tables(p *planned) [2]record.Table {
	var tables [2]record.Table
	for s, snap := range p.snapshots {
		tables[s] = withCarried(v.store.Table(snap), p.carried[s])
	}
	return tables
}

func (v *Service) match(ctx context.Context, j *job, p *planned) (*match.Index, error) {
	index, err := v.matchAny(ctx, j, p)
	if err != nil {
		return nil, err
	}
	err = summary.Unread(ctx, p.Plan, index, v.tables(p))
	if fault := new(summary.UnreadError); errors.As(err, &fault) {
		return nil, view.BadDefinition.New(fault.Error()+".", view.Fault{Where: fault.Where, What: fault.What})
	}
	return index, err
}

// matchOptions let a match keep to a job's share of the memory, and tell the job how far it is.
func (v *Service) matchOptions(j *job) match.Options {
	return match.Options{Workers: v.options.Workers, Budget: v.options.Memory / (2 * jobsAtOnce), TempDir: v.store.TempDir(),
		Progress: func(p match.Progress) { j.progress(p.Stage, p.Done, p.Total) }}
}

// matchAny is match for a definition that may read nothing.
func (v *Service) matchAny(ctx context.Context, j *job, p *planned) (*match.Index, error) {
	j.mayExpect(matchLegs(p)...)
	tables := v.tables(p)
	index, err := match.Build(ctx, p.Plan, tables[0], tables[1], v.matchOptions(j))
	if repeated := new(match.RepeatedError); errors.As(err, &repeated) {
		what := err.Error() + "; give the key another part, or let repeats be paired or compared by their totals"
		return nil, view.BadDefinition.New(what+".", view.Fault{Where: "repeats", What: what})
	}
	if currencies := new(match.CurrencyError); errors.As(err, &currencies) {
		return nil, view.BadDefinition.New(err.Error()+".", view.Fault{Where: "currency", What: err.Error()})
	}
	return index, err
}

// Run begins to run a sieve over the newest snapshots of its record sets. Sets that are made from others, and the runs that they
// are made from, are brought up to date first.
func (v *Service) Run(ctx context.Context, name string) (view.Job, error) {
	row, text, err := v.store.Sieve(ctx, name)
	if err != nil {
		return view.Job{}, v.sieveProblem(ctx, err, name)
	}
	s, err := sieveOf(row, text)
	if err != nil {
		return view.Job{}, err
	}
	if _, err := v.plan(ctx, s.Definition); err != nil {
		return view.Job{}, err
	}
	return v.jobs.start(ctx, "run", name, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		row, s, err := v.sieveNow(ctx, row) // while the run waited, it may have got another name
		if err != nil {
			return nil, err
		}
		if err := v.freshSides(ctx, j, s.Definition); err != nil {
			return nil, err
		}
		return v.runNewest(ctx, j, row, s.Definition)
	}, func(ctx context.Context, p *view.Problem) {
		ended := store.JobFailed
		switch {
		case view.Cancelled.Is(p):
			ended = store.JobCancelled
		case view.Interrupted.Is(p):
			ended = store.JobInterrupted
		}
		told := map[string]any{"sieve": name, "ended": ended, "why": p.Detail, "by": store.ActorOf(ctx).Name}
		if err := v.store.Announce(ctx, store.EventRunEnded, told); err != nil && !errors.Is(err, store.ErrClosed) {
			v.options.Log.Error("the end of a run could not be told", "sieve", name, "error", err)
		}
		v.courier.hurry()
	})
}

// runNewest runs a sieve over the newest snapshots, once more where one of them has been removed before the run began.
func (v *Service) runNewest(ctx context.Context, j *job, row store.Sieve, d sieve.Definition) (*view.JobResult, error) {
	for {
		p, err := v.planOf(ctx, row, d)
		if err != nil {
			return nil, err
		}
		result, err := v.run(ctx, j, row, p)
		if !errors.Is(err, errSnapshotGone) {
			return result, err
		}
	}
}

// errSnapshotGone says that a snapshot which was the newest of its set has been followed by another and removed, before the run began.
var errSnapshotGone = errors.New("a snapshot has been removed")

// sieveNow is a sieve by its number.
func (v *Service) sieveNow(ctx context.Context, row store.Sieve) (store.Sieve, *view.Sieve, error) {
	now, text, err := v.store.SieveNow(ctx, row.ID)
	if err != nil {
		return now, nil, problem(err, fmt.Sprintf("sieve %q any more", row.Name))
	}
	s, err := sieveOf(now, text)
	return now, s, err
}

// header is what a run keeps of all that it was made from.
type header struct {
	Sieve      string           `json:"sieve"`
	Definition sieve.Definition `json:"definition"`
	Sides      [2]view.Side     `json:"sides"`
	Summary    *summary.Summary `json:"summary"`
	By         string           `json:"by,omitempty"` // who ran it
	Since      *view.Since      `json:"since,omitempty"`
}

// So many entries of a report are looked through in one step, and written in one transaction, unless somebody's change waits.
const (
	entriesInOneStep = 2000
	entriesWritten   = 2000
)

func (v *Service) run(ctx context.Context, j *job, row store.Sieve, p *planned) (_ *view.JobResult, err error) {
	defer v.oneRun.lock(row.ID)()
	w, err := v.store.NewRun(ctx, row, p.snapshots[0], p.snapshots[1])
	if errors.Is(err, store.ErrChanged) {
		return nil, errSnapshotGone
	}
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil { // nobody sees what there is of it, so nobody waits until it is gone
			v.jobs.ended.Go(func() {
				if err := w.Drop(v.jobs.all); err != nil && v.jobs.all.Err() == nil {
					v.options.Log.Error("the remains of a run could not be removed", "sieve", row.Name, "error", err)
				}
			})
		}
	}()
	last, err := v.lastExceptions(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	report := func(exceptions float64) []pace.Leg {
		return []pace.Leg{{Stage: readingBefore, Units: last}, {Stage: recognising, Units: min(last, exceptions)},
			{Stage: writingReport, Units: exceptions}, {Stage: sealingReport, Units: exceptions}}
	}
	expected := last
	if last == 0 {
		expected = float64(p.records()) / firstExceptions
	}
	j.expect(slices.Concat(matchLegs(p), report(expected))...)
	follow := func(ctx context.Context) (*following, error) {
		if last > 0 {
			j.progress(readingBefore, 0, 0)
		}
		return v.follow(ctx, row.ID, w, p)
	}
	var f *following
	defer func() {
		if err != nil { // else it has been closed
			err = errors.Join(err, f.close())
		}
	}()
	if p.Definition.Carry { // what is carried in takes part in the match
		if f, err = follow(ctx); err != nil {
			return nil, err
		}
	}
	index, err := v.match(ctx, j, p)
	if err != nil {
		return nil, err
	}
	j.expect(report(float64(summary.Of(p.Plan, index, rejectsOf(p)).Exceptions))...)
	group, writing := errgroup.WithContext(ctx)
	group.Go(func() error { return w.AddIndex(writing, index) })
	var since *view.Since
	group.Go(func() (err error) {
		if f == nil { // now that the match has given back its memory
			if f, err = follow(writing); err != nil {
				return err
			}
		}
		since, err = v.writeEntries(writing, j, w, f, p, index)
		return err
	})
	if err := group.Wait(); err != nil {
		return nil, err
	}
	head, err := json.Marshal(header{row.Name, p.Definition, p.sides(), summary.Of(p.Plan, index, rejectsOf(p)), store.ActorOf(ctx).Name, since})
	if err != nil {
		return nil, err
	}
	j.progress(sealingReport, 0, 0)
	run, err := w.Seal(ctx, string(head), index)
	if err != nil {
		return nil, err
	}
	v.courier.hurry()
	if f.desk != nil {
		v.setOut(run.ID, f.seen, f.desk) // it is the report that people look at next
	}
	if err := v.store.KeepUnder(v.jobs.all, f.rekept); err != nil { // else the next run looks at them once more
		v.options.Log.Error("exceptions that are gone could not be kept under other hashes", "run", run.ID, "error", err)
	}
	if err := w.Follow(v.jobs.all); err != nil { // the report is there, cancelled or not; what is left of this is done by the next start
		v.options.Log.Error("what exceptions show could not be brought up to date", "run", run.ID, "error", err)
	}
	return &view.JobResult{Run: run.ID}, nil
}

// Stages of a run.
const (
	readingBefore   = "reading what was open before"
	recognising     = "recognising exceptions"
	readingRest     = "reading exceptions that are not as they were"
	recognisingRest = "recognising exceptions that are not as they were"
	writingReport   = "writing the report"
	sealingReport   = "sealing the report"
)

// sealedTouched is how much more there is to be sealed of an exception of which the run has found something else than before.
const sealedTouched = 20

// firstExceptions is how many records there are to one exception, as is thought before a sieve has ever run.
const firstExceptions = 20

// lastExceptions is how many exceptions a sieve's last run has found; 0 where there was none.
func (v *Service) lastExceptions(ctx context.Context, sieveID uint) (float64, error) {
	row, err := v.store.NewestOf(ctx, sieveID)
	if errors.Is(err, store.ErrNotFound) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	run, err := runOf(row)
	if err != nil {
		return 0, err
	}
	return float64(run.Summary.Exceptions), nil
}

// matchLegs are the stages of a match.
func matchLegs(p *planned) []pace.Leg {
	n := float64(p.records())
	return []pace.Leg{{Stage: "reading keys", Units: n}, {Stage: "matching", Units: n}, {Stage: "repeated keys", Units: n}}
}

// records is how many records both sides have.
func (p *planned) records() int64 { return p.snapshots[0].Records + p.snapshots[1].Records }

// writeEntries writes a run's report: its exceptions, then those of before that are there no more. It returns what has become of
// those of before.
func (v *Service) writeEntries(ctx context.Context, j *job, w *store.RunWriter, f *following, p *planned, index *match.Index) (*view.Since, error) {
	var trays []tray.Tray
	for _, t := range tray.All {
		if t.Exception() {
			trays = append(trays, t)
		}
	}
	places := exception.Places(index, trays...)
	if err := f.recognise(ctx, j, v, p, index, places); err != nil {
		return nil, err
	}
	if n := int64(len(places)); n > f.room {
		f.desk, f.room = nil, 0 // it will not fit, so no room is taken for what does
	} else {
		f.desk = slices.Grow(f.desk, len(places))
	}
	j.expect(pace.Leg{Stage: writingReport, Units: float64(len(places))}, pace.Leg{Stage: sealingReport, Units: float64(len(places)) + sealedTouched*float64(f.touched())})
	if err := v.writePlaces(ctx, j, w, f, p, index, places); err != nil {
		return nil, err
	}
	if err := v.writeRejects(ctx, w, f, p, len(places)); err != nil {
		return nil, err
	}
	if err := f.gone(ctx, p, index, v, w); err != nil {
		return nil, err
	}
	return f.since, ctx.Err()
}

// writePlaces writes the entries at places. While some are written, the next ones are packed, those behind them brought into their form, and those behind these read.
func (v *Service) writePlaces(ctx context.Context, j *job, w *store.RunWriter, f *following, p *planned, index *match.Index, places []exception.Place) error {
	type placed struct {
		store.Placed
		entries int
	}
	written := 0
	return ahead.Each(ctx, func(ctx context.Context, pass func(placed) error) error {
		return ahead.Each(ctx, func(ctx context.Context, pass func([]store.Found) error) error {
			formers := sync.Pool{New: func() any { return newFormer(f, p.Plan) }}
			done := 0
			return v.eachRead(ctx, p, index, places, func(entries []exception.Entry) error {
				for part := range slices.Chunk(entries, entriesWritten) {
					rows, err := v.form(&formers, done, part)
					if err != nil {
						return err
					}
					done += len(rows)
					if err := pass(rows); err != nil {
						return err
					}
				}
				return nil
			})
		}, func(rows []store.Found) error { return pass(placed{f.place(w, rows), len(rows)}) })
	}, func(part placed) error {
		if err := w.Write(ctx, part.Placed); err != nil {
			return err
		}
		written += part.entries
		j.progress(writingReport, int64(written), int64(len(places)))
		return nil
	})
}

// form gives exceptions from a place of a run on the form in which the store keeps them.
func (v *Service) form(formers *sync.Pool, place int, list []exception.Entry) ([]store.Found, error) {
	rows := make([]store.Found, len(list))
	return rows, v.inParts(len(list), func(from, to int) error {
		w := formers.Get().(*former)
		defer formers.Put(w)
		return w.form(place+from, list[from:to], rows[from:to])
	})
}

// Runs returns a page of the runs, the newest first.
func (v *Service) Runs(ctx context.Context, before string, limit int) (*view.Runs, error) {
	from, err := cursor(before)
	if err != nil {
		return nil, err
	}
	size := pageSize(limit)
	rows, err := v.store.Runs(ctx, uint(from), size)
	if err != nil {
		return nil, err
	}
	var ids []uint
	for _, row := range rows {
		ids = append(ids, row.ID)
	}
	states, err := v.states(ctx, ids...)
	if err != nil {
		return nil, err
	}
	page := &view.Runs{Runs: []view.Run{}}
	for _, row := range rows {
		run, err := runOf(row)
		if err != nil {
			return nil, err
		}
		run.State = states[row.ID]
		page.Runs = append(page.Runs, *run)
	}
	if len(rows) == size {
		page.Next = strconv.FormatUint(uint64(rows[size-1].ID), 10)
	}
	return page, nil
}

// RunHead returns the head of a run's report.
func (v *Service) RunHead(ctx context.Context, id uint) (*view.Run, error) {
	row, err := v.store.Run(ctx, id)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("run %d", id))
	}
	states, err := v.states(ctx, id)
	if err != nil {
		return nil, err
	}
	run, err := runOf(row)
	if err != nil {
		return nil, err
	}
	run.State = states[id]
	return run, nil
}

// states are how far reports are on their way to being signed.
func (v *Service) states(ctx context.Context, runs ...uint) (map[uint]string, error) {
	list, err := v.store.SignOffs(ctx, runs)
	if err != nil {
		return nil, err
	}
	states := map[uint]string{}
	for _, run := range runs {
		states[run] = store.ReportDraft
	}
	for _, o := range list {
		states[o.RunID] = o.State
	}
	return states, nil
}

func runOf(row store.Run) (*view.Run, error) {
	var h header
	if err := json.Unmarshal([]byte(row.Header), &h); err != nil {
		return nil, err
	}
	return &view.Run{ID: row.ID, Number: row.Number, Sieve: h.Sieve, Version: row.Version, Definition: h.Definition, Sides: h.Sides,
		Summary: *h.Summary, Started: row.Started, Finished: row.Finished, Sentence: words.Sieve(&h.Definition), By: h.By, Since: h.Since}, nil
}
