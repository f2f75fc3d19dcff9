// Package match builds the match index: from one pass over the two sides, which left and which right records carry each
// key, which of them are paired, and in which tray each record lies.
//
// The work has four steps. Reading: batches of both sides are read in parallel, from tables or as they come; each record's key is
// read, hashed, and written with the values that will be compared into one of many partitions. Joining: partitions are worked in parallel;
// in each, records with equal hashes and equal key bytes come together. A key with one record on each side is settled
// at once, and so is any key where the sieve compares totals. Repeats: other keys with more are settled afterwards by package
// pairing, which looks at whole records. Numbering:
// keys are numbered in the order in which they first appear, left side first.
//
// Partitions stay in memory up to the budget; beyond it they go to a temporary file. Nothing in the result depends on
// the number of workers, the number of partitions, the budget or the hash.
//
// The index itself is always held in memory: nine bytes for each record. It counts towards the budget, and of that a quarter
// is left to partitions at least.
package match

import (
	"context"
	"fmt"
	"hash/maphash"
	"runtime"
	"sync"
	"sync/atomic"

	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Progress tells how far a match is.
type Progress struct {
	Stage       string // what is being done
	Done, Total int64  // in records for the reading, else in keys or partitions
}

// Options are how, not what, to compute. The zero value is good.
type Options struct {
	Workers  int                 // 0: one for each processor
	Budget   int64               // bytes that may stay in memory, those of the index among them; 0: 256 MiB
	TempDir  string              // where temporary files go; "": the system's place
	Progress func(Progress)      // called now and then, from any goroutine; may be nil
	Hash     func([]byte) uint64 // of key bytes; nil: the best that the processor has, seeded anew each time

	// Bring may be nil, or bring records near. It is called once, when every record has its place but those of repeated keys, with the numbers
	// of these in ascending order: they are read from the tables that it returns. The index is not to be kept.
	Bring func(ctx context.Context, index *Index, repeated [2][]uint32) ([2]record.Table, error)

	// NoKeys leaves out of the index which key a record has, for who only wants to know where each belongs. Where totals are compared it
	// is there all the same.
	NoKeys bool
}

// indexed is how many bytes of the index a record takes, while keys are being numbered, and unnumbered where they are not.
const (
	indexed    = 13
	unnumbered = 5
)

// DefaultBudget is the budget of Options that state none.
const DefaultBudget = 256 << 20

// Build matches the two sides by the plan. It stops with the context's error when the context ends, and with a
// [*RepeatedError] where a key repeats that may not, with a [*CurrencyError] where there are too many currencies, with a [*RecheckError] where evaluating
// records a second time gives another result. No temporary file outlives it.
func Build(ctx context.Context, plan *sieve.Plan, left, right record.Table, opts Options) (*Index, error) {
	m := Begin(plan, left.Records()+right.Records(), opts)
	defer m.Close()
	tables := [2]record.Table{left, right}
	if err := m.check(tables); err != nil {
		return nil, err
	}
	if err := m.feed(ctx, tables); err != nil {
		return nil, err
	}
	return m.Finish(ctx, tables)
}

// Matching is a match whose records are given to it batch by batch, as they are read: see [Begin].
type Matching struct {
	plan       *sieve.Plan
	inputs     [2]record.Table // once all has been read
	opts       Options
	partitions *partitions
	index      *Index
	classes    *Classes     // nil: no key is joined with another
	spilled    atomic.Int64 // bytes in temporary files, but for those of partitions

	mu      sync.Mutex
	feeders []*Feeder
	outside [2][]outside
	seed    maphash.Seed // of what is evaluated twice
}

// Begin begins a match of about so many records of both sides together. Its records are given to it by [Matching.Feeder]s; [Matching.Finish]
// gives the index. It is to be closed.
func Begin(plan *sieve.Plan, records int64, opts Options) *Matching {
	if opts.Workers <= 0 {
		opts.Workers = runtime.GOMAXPROCS(0)
	}
	if opts.Budget <= 0 {
		opts.Budget = DefaultBudget
	}
	if opts.Hash == nil {
		seed := maphash.MakeSeed()
		opts.Hash = func(key []byte) uint64 { return maphash.Bytes(seed, key) }
	}
	if opts.Progress == nil {
		opts.Progress = func(Progress) {}
	}
	each := int64(indexed)
	if opts.NoKeys = opts.NoKeys && plan.Repeats != sieve.Totals; opts.NoKeys {
		each = unnumbered
	}
	opts.Budget -= min(each*records, opts.Budget*3/4)
	m := &Matching{plan: plan, opts: opts, index: &Index{}, partitions: newPartitions(partitionCount(records, opts), records, opts), seed: maphash.MakeSeed()}
	if len(plan.Crosswalk.Keys) > 0 {
		m.classes = NewClasses(plan, plan.Crosswalk.Keys)
	}
	return m
}

// Close gives back what the match holds. No temporary file outlives it.
func (m *Matching) Close() { m.partitions.close() }

// Finish joins all records that have been given, and returns the index. The tables hold the same records, and are read where whole
// records count. Every feeder must have been flushed.
func (m *Matching) Finish(ctx context.Context, tables [2]record.Table) (*Index, error) {
	m.inputs = tables
	if err := m.check(tables); err != nil {
		return nil, err
	}
	var tallies []*tally
	for _, f := range m.feeders {
		tallies = append(tallies, f.tally)
	}
	for len(tallies) < m.opts.Workers {
		tallies = append(tallies, newTally(m.plan))
	}
	if err := m.tooMany(tallies); err != nil {
		return nil, err
	}
	m.partitions.room.Close()
	if err := m.recheck(ctx); err != nil {
		return nil, err
	}
	m.makeSides()
	repeats, err := m.join(ctx, tallies[:m.opts.Workers])
	if err != nil {
		return nil, err
	}
	if err := m.refuse(ctx, tallies); err != nil {
		return nil, err
	}
	rows := repeats.records()
	if m.opts.Bring != nil {
		if m.inputs, err = m.opts.Bring(ctx, m.index, rows); err != nil {
			return nil, err
		}
	}
	if err := m.settleRepeats(ctx, repeats, rows, tallies[:m.opts.Workers]); err != nil {
		return nil, err
	}
	if !m.opts.NoKeys {
		m.number(repeats.highest)
	}
	if err := m.applyHand(ctx, tallies[0]); err != nil {
		return nil, err
	}
	m.total(tallies)
	m.index.Spilled = m.partitions.spilled() + m.spilled.Load()
	return m.index, nil
}

// check refuses sides that are too large.
func (m *Matching) check(tables [2]record.Table) error {
	for _, s := range tray.Sides {
		if n := tables[s].Records(); n > record.MaxRecords {
			return fmt.Errorf("the %s side has %d records; a side may have %d at most", s, n, int64(record.MaxRecords))
		}
	}
	return nil
}

// makeSides makes room for the index, and puts the records that take no part where they lie.
func (m *Matching) makeSides() {
	var sides sync.WaitGroup
	for _, s := range tray.Sides {
		sides.Go(func() {
			side := newSide(m.inputs[s].Records(), !m.opts.NoKeys)
			for _, o := range m.outside[s] {
				copy(side.Trays[o.first:], o.trays)
			}
			m.index.Sides[s], m.outside[s] = side, nil
		})
	}
	sides.Wait()
}

// number gives every key its number by first appearance, left side first, instead of the number by partition.
func (m *Matching) number(highest uint32) {
	final := fill(make([]uint32, highest), None)
	next := uint32(0)
	for _, s := range tray.Sides {
		keys := m.index.Sides[s].Keys
		for i, k := range keys {
			if k == None {
				continue
			}
			if final[k] == None {
				final[k] = next
				next++
			}
			keys[i] = final[k]
		}
	}
}

// total adds up what each worker counted, and counts the trays.
func (m *Matching) total(tallies []*tally) {
	sum := newTally(m.plan)
	for _, t := range tallies {
		sum.merge(t)
	}
	sum.StaleHand = m.index.Totals.StaleHand
	m.index.Totals = sum.Totals
	if m.index.Totals.Crosswalk = m.plan.Crosswalk.Version; m.classes != nil {
		m.index.Totals.Stale = m.classes.Stale
	}
	m.index.Amounts = sum.sums()
	var sides sync.WaitGroup
	for _, s := range tray.Sides {
		sides.Go(func() {
			side, totals := &m.index.Sides[s], &m.index.Totals
			totals.Records[s] = m.inputs[s].Records()
			var in, paired [256]int64
			for row, t := range side.Trays {
				if in[t]++; side.Partners[row] != None {
					paired[t]++
				}
			}
			copy(totals.Trays[s][:], in[:])
			if s == tray.Left {
				totals.Pairs[tray.Matched], totals.Pairs[tray.Differing] = paired[tray.Matched], paired[tray.Differing]
			}
		})
	}
	sides.Wait()
}
