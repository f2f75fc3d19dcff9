// Package service holds the use cases: load a record set, define a sieve, count, run, and read the report. Transactions
// and jobs live here; HTTP and the command line only pass on what people ask for.
package service

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/service/vault"
	"twinsieve/service/view"
	"twinsieve/store"
)

// Options are the service's settings.
type Options struct {
	Memory  int64  // budget of jobs, caches and indexes together, in bytes; 0: 1 GiB
	Workers int    // processors of a job; 0: all
	Upload  int64  // bytes that an upload may have; 0: 16 GiB
	Folder  string // from which files may be read by name; "": none
	KeyFile string // of the key that secrets are encrypted with; made when the first one is kept
	Log     *slog.Logger

	LookEvery time.Duration // how often schedules and the folder are looked at; 0: every five seconds

	WebhooksInside bool          // webhooks may go to the service's own network
	RetryWait      time.Duration // before a delivery is tried again the first time; 0: half a minute
}

// Service is the use cases over a store. Its methods may be called from several goroutines at once. Errors are
// *[view.Problem] wherever the caller can do something about them.
type Service struct {
	store   *store.Store
	options Options
	jobs    *jobs
	vault   *vault.Vault

	slow      slowness
	courier   courier
	clock     clock
	oneRun    oneAtATime
	live      live
	desks     desks
	uploads   uploads
	matches   matches
	trends    trends
	heads     heads
	groupings groupings

	looksAtAll bool // a run looks at all exceptions of before, whatever is kept of them; what tests hold the rest against

	mu      sync.Mutex
	indexes []loadedIndex // of the reports read last
}

// jobsAtOnce is how many heavy jobs work at one time; they share the memory budget.
const jobsAtOnce = 2

// indexesKept is how many sealed indexes stay in memory.
const indexesKept = 4

type loadedIndex struct {
	run     uint
	index   *match.Index
	carried [2]*record.Batches
}

// New returns the use cases over an open store.
func New(s *store.Store, o Options) *Service {
	if o.Memory <= 0 {
		o.Memory = 1 << 30
	}
	if o.Upload <= 0 {
		o.Upload = 16 << 30
	}
	if o.LookEvery <= 0 {
		o.LookEvery = 5 * time.Second
	}
	if o.RetryWait <= 0 {
		o.RetryWait = 30 * time.Second
	}
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	// The memory is divided: a half is for jobs, of which each that may work at once has the same share; a quarter for records that
	// have been read, and what no job takes of the half; and an eighth each for lists of reports, and for matches and indexes, that stay at hand.
	if err := s.WritePages(min(max(o.Memory/64, 4<<20), 64<<20)); err != nil {
		o.Log.Error("the pages that are written could not be given the memory that they may have", "error", err)
	}
	v := &Service{store: s, options: o, vault: vault.New(o.KeyFile)}
	v.matches.room = o.Memory / 16
	v.jobs = newJobs(s, o.Log, o.Memory)
	v.startCourier()
	v.startClock()
	return v
}

// Close cancels all jobs and waits for them.
func (v *Service) Close() {
	v.live.close()
	v.jobs.close()
	v.desks.ended.Wait()
	v.courier.ended.Wait()
	v.clock.ended.Wait()
	v.uploads.close()
}

// Ready returns an error while the service cannot answer.
func (v *Service) Ready(ctx context.Context) error { return v.store.Ready(ctx) }

// problem gives an error of the store the form in which people see it. what names the thing that was asked for.
func problem(err error, what string) error {
	var p *view.Problem
	switch {
	case err == nil:
		return nil
	case errors.As(err, &p):
		return p
	case errors.Is(err, store.ErrNotFound):
		return view.NotFound.New("There is no " + what + ".")
	case errors.Is(err, store.ErrFull):
		return view.DiskFull.New("The disk with the data directory is full; make room and try again. Nothing half done was kept.")
	case errors.Is(err, context.Canceled):
		return view.Cancelled.New("It was cancelled; nothing of it was kept.")
	}
	return err
}
