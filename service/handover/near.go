package handover

import (
	"context"
	"runtime"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Options are how, not what, to read. The zero value is good.
type Options struct {
	Workers  int                     // 0: one for each processor
	Budget   int64                   // bytes of records that may stay in memory
	TempDir  string                  // where a temporary file goes; "": the system's place
	Progress func(done, total int64) // told of the entries that have been written; may be nil
}

// Records are the records of entries, near at hand: however a list is read, each of their batches has been read once.
type Records struct {
	tables   [2]record.Table
	excerpts [2]*record.Excerpt
	workers  int
	progress func(done, total int64)
}

// Near brings the records of the entries at places near, and others that are named by side. It is to be closed.
func Near(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, places []exception.Place, others [2][]uint32, opts Options) (*Records, error) {
	r := &Records{tables: tables, workers: opts.Workers, progress: opts.Progress}
	if r.progress == nil {
		r.progress = func(int64, int64) {}
	}
	if r.workers <= 0 {
		r.workers = runtime.GOMAXPROCS(0)
	}
	sides, reading := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		if spool, ok := tables[s].(*record.Spool); ok && spool.Spilled() == 0 {
			continue // they are near
		}
		sides.Go(func() error {
			x, err := record.NewExcerpt(reading, tables[s], exception.Rows(plan, index, places, others[s], s), max(r.workers/2, 1), opts.Budget/2, opts.TempDir)
			if err == nil {
				r.tables[s], r.excerpts[s] = x, x
			}
			return err
		})
	}
	if err := sides.Wait(); err != nil {
		r.Close()
		return nil, err
	}
	return r, nil
}

// Tables are the tables of both sides, for who reads these records and seldom others.
func (r *Records) Tables() [2]record.Table { return r.tables }

// Close gives back what is kept of the records.
func (r *Records) Close() {
	for _, x := range r.excerpts {
		if x != nil {
			_ = x.Close() // a temporary file, which goes in any case
		}
	}
}
