package service

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"twinsieve/core/pace"
	"twinsieve/service/view"
	"twinsieve/store"
)

// jobs runs jobs, a few at a time, and tells whoever follows them how far they are.
type jobs struct {
	store *store.Store
	log   *slog.Logger
	turns *turns
	book  *pace.Book // how long the stages of jobs take
	all   context.Context
	stop  context.CancelFunc
	ended sync.WaitGroup

	giving sync.Mutex // held while memory is given back
	memory allotment

	mu     sync.Mutex
	active map[string]*job
	drafts map[string]*job // the newest count of each draft
}

// job is a job that has not ended.
type job struct {
	mu      sync.Mutex
	view    view.Job
	by      uint // the person who started it
	cancel  context.CancelFunc
	since   time.Time // beginning of the stage
	journey *pace.Journey
	changed chan struct{}
	over    chan struct{} // closed when it has ended
}

func newJobs(s *store.Store, log *slog.Logger, memory int64) *jobs {
	j := &jobs{store: s, log: log, turns: newTurns(jobsAtOnce), book: pace.NewBook(usualPaces), active: map[string]*job{}, drafts: map[string]*job{}}
	j.all, j.stop = context.WithCancel(context.Background())
	j.memory = allotment{memory: memory, records: s.Cache}
	j.memory.divide()
	return j
}

func (js *jobs) close() {
	js.stop()
	js.ended.Wait()
}

// countJob is the kind of jobs that count, and countsKept how long the result of one can be asked for again.
const (
	countJob   = "count"
	countsKept = time.Hour
)

// work does a job. It reports its progress to the job, and returns what it has brought about.
type work func(ctx context.Context, j *job) (*view.JobResult, error)

// start begins a job and returns it as it stands. Of jobs with the same draft only the newest goes on. failed is told when it does not get there.
func (js *jobs) start(ctx context.Context, kind, subject, draft string, do work, failed ...func(context.Context, *view.Problem)) (view.Job, error) {
	if js.all.Err() != nil {
		return view.Job{}, errors.New("the service is stopping")
	}
	turn, err := js.turns.queue(store.ActorOf(ctx).ID, kind == countJob)
	if err != nil {
		return view.Job{}, err
	}
	run, cancel := context.WithCancel(store.Through(store.As(js.all, store.ActorOf(ctx)))) // who starts a job makes its changes
	j := &job{by: store.ActorOf(ctx).ID, cancel: cancel, changed: make(chan struct{}), over: make(chan struct{}), since: time.Now(), journey: pace.NewJourney(js.book, time.Now())}
	j.view = view.Job{ID: rand.Text(), Kind: kind, Subject: subject, State: store.JobQueued, Started: time.Now().UTC()}
	js.mu.Lock()
	if draft != "" { // nobody ends what another has begun
		draft = fmt.Sprint(store.ActorOf(ctx).ID, " ", draft)
	}
	if before := js.drafts[draft]; draft != "" && before != nil {
		before.cancel()
	}
	if draft != "" {
		js.drafts[draft] = j
	}
	js.active[j.view.ID] = j
	js.mu.Unlock()
	if err := js.put(ctx, j.snapshot()); err != nil {
		cancel()
		js.turns.leave(turn)
		js.forget(j, draft)
		return view.Job{}, err
	}
	first := j.snapshot()
	js.ended.Go(func() { js.run(run, turn, j, draft, do, failed) })
	return first, nil
}

func (js *jobs) run(ctx context.Context, turn *waiting, j *job, draft string, do work, failed []func(context.Context, *view.Problem)) {
	defer j.cancel()
	var result *view.JobResult
	var begun time.Time // zero where its turn has not come
	err := js.turns.wait(ctx, turn)
	if err == nil {
		begun = time.Now()
		js.memory.begin()
		j.update(func(v *view.Job) {
			v.State = store.JobRunning
			j.journey = pace.NewJourney(js.book, time.Now()) // which begins when its turn comes
		})
		result, err = js.guard(ctx, j, do)
		if err == nil {
			j.update(func(*view.Job) { j.journey.End(time.Now()) })
		}
		js.memory.end()
		js.turns.done(turn)
	}
	now := time.Now().UTC()
	var end view.Job
	j.update(func(v *view.Job) {
		v.Finished, v.Stage, v.Rate, v.Left = &now, "", 0, 0
		switch {
		case err == nil:
			v.State, v.Result, v.Fraction = store.JobDone, result, 1
		case js.all.Err() != nil:
			v.State, v.Problem = store.JobInterrupted, view.Interrupted.New("The service was stopped while this was under way; nothing of it was kept. Start it again.")
		case ctx.Err() != nil:
			v.State, v.Problem = store.JobCancelled, view.Cancelled.New("It was cancelled; nothing of it was kept.")
		default:
			v.State, v.Problem = store.JobFailed, asProblem(err)
			js.log.Error("job failed", "job", v.ID, "kind", v.Kind, "subject", v.Subject, "error", err)
		}
		end = *v
	})
	close(j.over)
	// The state in the store is what a later start of the service reads.
	if err := js.put(context.WithoutCancel(ctx), end); err != nil && !errors.Is(err, store.ErrClosed) {
		js.log.Error("the end of a job could not be written", "job", end.ID, "error", err)
	}
	if end.Problem != nil {
		for _, tell := range failed {
			tell(context.WithoutCancel(ctx), end.Problem)
		}
	}
	js.forget(j, draft)
	if ctx.Err() != nil && !begun.IsZero() && now.Sub(begun) > shortJob && js.all.Err() == nil {
		js.ended.Go(js.giveBack)
	}
	if end.Kind == countJob { // those of before that nobody asks for any more, now that nobody waits
		if err := js.store.ForgetJobs(js.all, countJob, now.Add(-countsKept)); err != nil && js.all.Err() == nil {
			js.log.Error("counts of before could not be removed", "error", err)
		}
	}
}

// shortJob is how long a job works that does not hold much memory.
const shortJob = time.Second

// giveBack gives the memory back to the system that a large job which was cancelled has held: nobody may need it soon, and the garbage collector would keep it until then.
func (js *jobs) giveBack() {
	js.giving.Lock() // one after the other, for each takes all processors
	defer js.giving.Unlock()
	debug.FreeOSMemory()
}

// guard turns a panic in a job into its failure, so that one job never ends the others.
func (js *jobs) guard(ctx context.Context, j *job, do work) (result *view.JobResult, err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("internal error: %v", p)
		}
	}()
	return do(ctx, j)
}

func (js *jobs) forget(j *job, draft string) {
	js.mu.Lock()
	defer js.mu.Unlock()
	delete(js.active, j.view.ID)
	if js.drafts[draft] == j {
		delete(js.drafts, draft)
	}
}

func (js *jobs) put(ctx context.Context, v view.Job) error {
	row := store.Job{ID: v.ID, Kind: v.Kind, Subject: v.Subject, State: v.State, Started: v.Started, Finished: v.Finished}
	if v.Problem != nil {
		text, err := json.Marshal(v.Problem)
		if err != nil {
			return err
		}
		row.Error = string(text)
	}
	if v.Result != nil {
		text, err := json.Marshal(v.Result)
		if err != nil {
			return err
		}
		row.Result = string(text)
	}
	return js.store.PutJob(ctx, row)
}

func asProblem(err error) *view.Problem {
	var p *view.Problem
	if errors.As(problem(err, "such thing"), &p) {
		return p
	}
	return view.Failed.New(err.Error())
}

func (j *job) snapshot() view.Job {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.view
}

// update changes the job's view and wakes whoever follows it.
func (j *job) update(change func(*view.Job)) {
	j.mu.Lock()
	defer j.mu.Unlock()
	change(&j.view)
	close(j.changed)
	j.changed = make(chan struct{})
}

// usualPaces are the seconds that a unit of each stage takes on a usual machine, until a job has shown how long it takes on this one: of
// a byte, a cell, a record or an exception.
var usualPaces = map[string]float64{
	"reading the file": 10e-9, "profiling": 0.09e-6, "reading keys": 0.15e-6, "matching": 0.09e-6, "repeated keys": 0.04e-6,
	readingBefore: 1.7e-6, recognising: 3e-6, readingRest: 7e-6, recognisingRest: 2e-6, writingReport: 4.7e-6, sealingReport: 0.9e-6,
}

// expect says which stages are to come, and how much there is of each.
func (j *job) expect(legs ...pace.Leg) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.journey != nil {
		j.journey.Expect(legs...)
	}
}

// mayExpect is expect where nothing is expected yet.
func (j *job) mayExpect(legs ...pace.Leg) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.journey != nil && !j.journey.Expects() {
		j.journey.Expect(legs...)
	}
}

// progress says how far the job is in a stage.
func (j *job) progress(stage string, done, total int64) {
	now := time.Now()
	j.update(func(v *view.Job) {
		if v.Stage != stage {
			v.Stage, j.since = stage, now
			v.Done, v.Rate = 0, 0
		}
		if done < v.Done || j.journey == nil {
			return // reported late by another worker
		}
		v.Done, v.Total = done, total
		if seconds := now.Sub(j.since).Seconds(); seconds > 0.2 {
			v.Rate = float64(done) / seconds
		}
		v.Fraction, v.Left, _ = j.journey.At(stage, done, total, now)
	})
}

// Job returns a job as it stands, ended or not.
func (v *Service) Job(ctx context.Context, id string) (view.Job, error) {
	if j := v.jobs.find(id); j != nil {
		return j.snapshot(), nil
	}
	row, err := v.store.Job(ctx, id)
	if err != nil {
		return view.Job{}, problem(err, "job "+id)
	}
	return jobOf(row)
}

func (js *jobs) find(id string) *job {
	js.mu.Lock()
	defer js.mu.Unlock()
	return js.active[id]
}

func jobOf(row store.Job) (view.Job, error) {
	v := view.Job{ID: row.ID, Kind: row.Kind, Subject: row.Subject, State: row.State, Started: row.Started, Finished: row.Finished}
	if row.Error != "" {
		if err := json.Unmarshal([]byte(row.Error), &v.Problem); err != nil {
			return v, err
		}
	}
	if row.Result != "" {
		if err := json.Unmarshal([]byte(row.Result), &v.Result); err != nil {
			return v, err
		}
	}
	switch v.State {
	case store.JobDone:
		v.Fraction = 1
	case store.JobInterrupted:
		if v.Problem == nil {
			v.Problem = view.Interrupted.New("The service ended while this was under way; nothing of it was kept. Start it again.")
		}
	}
	return v, nil
}

// Jobs lists the newest jobs.
func (v *Service) Jobs(ctx context.Context) (*view.Jobs, error) {
	rows, err := v.store.Jobs(ctx, 100)
	if err != nil {
		return nil, err
	}
	list := &view.Jobs{Jobs: []view.Job{}}
	for _, row := range rows {
		j, err := jobOf(row)
		if err != nil {
			return nil, err
		}
		if active := v.jobs.find(row.ID); active != nil {
			j = active.snapshot()
		}
		if j.Result != nil && j.Result.Counts != nil {
			j.Result = nil // whoever wants a count's result asks for the job
		}
		list.Jobs = append(list.Jobs, j)
	}
	return list, nil
}

// betweenChanges is how long a follower of a job is left alone after each change.
const betweenChanges = 50 * time.Millisecond

// Follow calls tell with the job as it stands, then after each change, until it has ended or the context does.
func (v *Service) Follow(ctx context.Context, id string, tell func(view.Job) error) error {
	j := v.jobs.find(id)
	if j == nil {
		end, err := v.Job(ctx, id)
		if err != nil {
			return err
		}
		return tell(end)
	}
	for {
		j.mu.Lock()
		now, changed := j.view, j.changed
		j.mu.Unlock()
		if err := tell(now); err != nil || now.Ended() {
			return err
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return ctx.Err()
		}
		// Changes may come thousands a second; a follower wants some, and the end at once.
		select {
		case <-time.After(betweenChanges):
		case <-j.over:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Cancel cancels a job. A job that has ended stays as it is.
func (v *Service) Cancel(ctx context.Context, id string) (view.Job, error) {
	if j := v.jobs.find(id); j != nil {
		if by := store.ActorOf(ctx); by.Role == string(view.Reader) && by.ID != j.by {
			return view.Job{}, view.NotAllowed.New("A reader can cancel only what they have started themselves.")
		}
		j.cancel()
		return j.snapshot(), nil
	}
	return v.Job(ctx, id)
}

// quiet is a job that nobody follows, for what is done at once.
func quiet() *job { return &job{changed: make(chan struct{}), cancel: func() {}} }
