package service

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"twinsieve/core/again"
	"twinsieve/core/exact"
	"twinsieve/service/view"
	"twinsieve/store"
)

// trendRuns is how many runs a trend goes back.
const trendRuns = 24

// Trend says how a sieve's exceptions went from run to run.
func (v *Service) Trend(ctx context.Context, name string) (*view.Trend, error) {
	row, _, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, v.sieveProblem(ctx, err, name)
	}
	runs, err := v.store.RunsOf(ctx, row.ID, trendRuns)
	if err != nil {
		return nil, err
	}
	slices.Reverse(runs)
	newest, err := v.store.NewestEvent(ctx)
	if err != nil {
		return nil, err
	}
	out := &view.Trend{Runs: make([]view.TrendRun, len(runs))}
	err = v.sideBySide(len(runs), func(i int) error {
		t, err := v.trends.of(ctx, v.store, runs[i].ID, newest.Seq)
		if err == nil {
			out.Runs[i] = t.view(runs, i)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	return out, v.settled(ctx, row.ID, out.Runs)
}

// settled fills in how many exceptions of a sieve were explained or settled since the run before each, and how long that took.
func (v *Service) settled(ctx context.Context, sieve uint, runs []view.TrendRun) error {
	if len(runs) == 0 {
		return nil
	}
	took := make([][]time.Duration, len(runs))
	err := v.store.Settled(ctx, sieve, time.Time{}, func(opened, settled time.Time) {
		at, _ := slices.BinarySearchFunc(runs, settled, func(r view.TrendRun, t time.Time) int { return r.At.Compare(t) })
		at = min(at, len(runs)-1) // what was settled since the last run counts with it
		took[at] = append(took[at], settled.Sub(opened))
	})
	if err != nil {
		return err
	}
	for i, times := range took {
		if n := len(times); n > 0 {
			slices.Sort(times)
			runs[i].Settled, runs[i].Days = int64(n), times[n/2].Hours()/24
		}
	}
	return nil
}

// runTrend is what the trend counts of a run's entries. Only which of them are open can change: of each it is known whether it is, so that what people change costs no more than that.
type runTrend struct {
	run uint

	mu     sync.Mutex
	loaded bool
	seen   int64               // entry of the history up to which it is current
	trays  map[string]int64    // of those that are there; those that are not are absent
	opened map[time.Time]int64 // when they were found first
	open   []uint64            // a bit for each place
	isOpen int64               // how many of them
	sums   map[string]*openSum // of those that are open and have an amount, by currency
}

// openSum is the sum of the sizes of some amounts, and how many these are.
type openSum struct {
	exact.Sum
	amounts int64
}

// trends are those of the runs that were asked for last.
type trends struct {
	mu   sync.Mutex
	kept []*runTrend // the newest last
}

// trendsKept is of how many runs it is kept: of a few sieves.
const trendsKept = 10 * trendRuns

// of is the trend of a run as it is up to an entry of the history, or a later one.
func (ts *trends) of(ctx context.Context, s *store.Store, run uint, newest int64) (*runTrend, error) {
	ts.mu.Lock()
	at := slices.IndexFunc(ts.kept, func(t *runTrend) bool { return t.run == run })
	t := &runTrend{run: run}
	if at >= 0 {
		t = ts.kept[at]
		ts.kept = slices.Delete(ts.kept, at, at+1)
	}
	ts.kept = append(ts.kept, t)
	ts.kept = slices.Delete(ts.kept, 0, max(0, len(ts.kept)-trendsKept))
	ts.mu.Unlock()
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.loaded {
		return t, t.follow(ctx, s, newest)
	}
	if err := t.load(ctx, s); err != nil {
		return nil, err
	}
	t.loaded, t.seen = true, newest
	return t, nil
}

// drop forgets the trend of a run.
func (ts *trends) drop(run uint) {
	ts.mu.Lock()
	defer ts.mu.Unlock()
	ts.kept = slices.DeleteFunc(ts.kept, func(t *runTrend) bool { return t.run == run })
}

// load counts all entries.
func (t *runTrend) load(ctx context.Context, s *store.Store) error {
	t.trays, t.opened, t.open, t.isOpen, t.sums = map[string]int64{}, map[time.Time]int64{}, nil, 0, map[string]*openSum{}
	first, when := "", time.Time{} // many were opened by one run
	return s.EachTrendEntry(ctx, t.run, func(e *store.TrendEntry) (err error) {
		change := again.Change(e.Change)
		if e.Opened != first {
			if when, err = e.FoundFirst(); err != nil {
				return err
			}
			first = e.Opened
		}
		switch {
		case change == again.Cleared:
		case change.Here():
			t.trays[e.Tray]++
			t.opened[when]++
		default:
			t.trays[string(again.Absent)]++
			t.opened[when]++
		}
		if e.Open() {
			t.turn(e, true)
		}
		return nil
	})
}

// turn makes an entry open, or no more so. One of what the run has found cleared is none of its exceptions, also where a later run has opened it again.
func (t *runTrend) turn(e *store.TrendEntry, open bool) {
	if again.Change(e.Change) == again.Cleared {
		return
	}
	word, bit := int(e.Seq/64), uint64(1)<<(e.Seq%64)
	for len(t.open) <= word {
		t.open = append(t.open, 0)
	}
	if (t.open[word]&bit != 0) == open {
		return
	}
	t.open[word] ^= bit
	step := int64(1)
	if !open {
		step = -1
	}
	t.isOpen += step
	if e.Amount == "" {
		return
	}
	sum := t.sums[e.Currency]
	if sum == nil {
		sum = &openSum{}
		t.sums[e.Currency] = sum
	}
	size := strings.TrimPrefix(e.Amount, "-")
	if !open {
		size = "-" + size
	}
	sum.Add([]byte(size))
	if sum.amounts += step; sum.amounts == 0 {
		delete(t.sums, e.Currency)
	}
}

// follow takes in what has become of entries since.
func (t *runTrend) follow(ctx context.Context, s *store.Store, newest int64) error {
	if t.seen >= newest {
		return nil
	}
	if err := s.TrendChanges(ctx, t.run, t.seen, func(e *store.TrendEntry) { t.turn(e, e.Open()) }); err != nil {
		return err
	}
	t.seen = newest
	return nil
}

// view is what people see of it, as the place at in a list of runs.
func (t *runTrend) view(runs []store.Run, at int) view.TrendRun {
	t.mu.Lock()
	defer t.mu.Unlock()
	r := runs[at]
	out := view.TrendRun{Run: r.ID, Number: r.Number, At: r.Finished, Trays: maps.Clone(t.trays), Ages: make([]int64, 4), Open: t.isOpen, Amounts: []view.CurrencyAmount{}}
	for opened, entries := range t.opened {
		// Its age is how many runs lie between the one that found it first and this one.
		age := at - slices.IndexFunc(runs, func(r store.Run) bool { return !r.Started.Before(opened) })
		out.Ages[min(max(age, 0), 3)] += entries
	}
	for _, currency := range slices.Sorted(maps.Keys(t.sums)) {
		out.Amounts = append(out.Amounts, view.CurrencyAmount{Currency: currency, Amount: exact.Text(t.sums[currency].Total())})
	}
	return out
}
