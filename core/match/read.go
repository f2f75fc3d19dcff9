package match

import (
	"context"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// feed gives the match all records of two tables.
func (m *Matching) feed(ctx context.Context, tables [2]record.Table) error {
	type task struct {
		side  tray.Side
		batch int
	}
	var tasks []task
	for i := range max(len(tables[0].Starts()), len(tables[1].Starts())) {
		for _, s := range tray.Sides {
			if i < len(tables[s].Starts()) {
				tasks = append(tasks, task{s, i})
			}
		}
	}
	columns := [2][]int{m.plan.Reads(tray.Left), m.plan.Reads(tray.Right)}
	total := tables[0].Records() + tables[1].Records()
	var next, done atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range m.opts.Workers {
		group.Go(func() error {
			f := m.Feeder()
			for {
				n := int(next.Add(1)) - 1
				if n >= len(tasks) {
					break
				}
				s := tasks[n].side
				batch, err := record.SomeOf(ctx, tables[s], tasks[n].batch, columns[s])
				if err != nil {
					return err
				}
				if err := f.Add(s, batch); err != nil {
					return err
				}
				m.opts.Progress(Progress{"reading keys", done.Add(int64(batch.Records())), total})
			}
			if err := f.Flush(); err != nil {
				return err
			}
			return ctx.Err()
		})
	}
	return group.Wait()
}

// outside are the trays of a batch's records of which some take no part.
type outside struct {
	first int64
	trays []tray.Tray
}

// Feeder gives a match batches of records. It belongs to one goroutine; there may be several, which may all give batches of
// both sides, in any order.
type Feeder struct {
	m     *Matching
	tally *tally
	sides [2]*sideReader
}

// Feeder returns a new feeder.
func (m *Matching) Feeder() *Feeder {
	f := &Feeder{m: m, tally: newTally(m.plan)}
	for _, s := range tray.Sides {
		f.sides[s] = m.sideReader(s, f.tally)
	}
	m.mu.Lock()
	m.feeders = append(m.feeders, f)
	m.mu.Unlock()
	return f
}

// Add gives the match a batch of side s, which has at least the columns that the plan reads. The batch is not needed afterwards.
func (f *Feeder) Add(s tray.Side, b *record.Batch) error {
	return f.sides[s].read(given{first: b.First, records: b.Records(), batch: b})
}

// AddLines is [Feeder.Add] for records that are no batch. A side with a filter needs batches.
func (f *Feeder) AddLines(s tray.Side, l *record.Lines) error {
	return f.sides[s].read(given{first: l.First, records: l.Records(), lines: l})
}

// given are records that are given to a match, as a batch or as lines.
type given struct {
	first   int64
	records int
	batch   *record.Batch
	lines   *record.Lines
}

func (g *given) carried() bool { return g.batch != nil && g.batch.Carried != nil }

// Flush hands over what the feeder has kept; it comes last.
func (f *Feeder) Flush() error {
	for _, s := range f.sides {
		if err := s.to.flush(); err != nil {
			return err
		}
	}
	return nil
}
