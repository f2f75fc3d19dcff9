// Package match builds the match index: from one pass over the two sides, which left and which right records carry each
// key, which of them are paired, and in which tray each record lies.
//
// The work has four steps. Reading: batches of both sides are read in parallel; each record's key is read, hashed, and
// written with the values that will be compared into one of many partitions. Joining: partitions are worked in parallel;
// in each, records with equal hashes and equal key bytes come together. A key with one record on each side is settled
// at once, and so is any key where the sieve compares totals. Repeats: other keys with more are settled afterwards by package
// pairing, which looks at whole records. Numbering:
// keys are numbered in the order in which they first appear, left side first.
//
// Partitions stay in memory up to the budget; beyond it they go to a temporary file. Nothing in the result depends on
// the number of workers, the number of partitions, the budget or the hash.
//
// The index itself is always held in memory: nine bytes for each record.
package match

import (
	"context"
	"fmt"
	"runtime"

	"github.com/cespare/xxhash/v2"

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
	Budget   int64               // bytes of partitions that may stay in memory; 0: 256 MiB
	TempDir  string              // where temporary files go; "": the system's place
	Progress func(Progress)      // called now and then, from any goroutine; may be nil
	Hash     func([]byte) uint64 // of key bytes; nil: xxHash
}

// DefaultBudget is the budget of Options that state none.
const DefaultBudget = 256 << 20

// Build matches the two sides by the plan. It stops with the context's error when the context ends, and with a
// [*RepeatedError] where a key repeats that may not, with a [*CurrencyError] where there are too many currencies. No temporary file outlives it.
func Build(ctx context.Context, plan *sieve.Plan, left, right record.Table, opts Options) (*Index, error) {
	if opts.Workers <= 0 {
		opts.Workers = runtime.GOMAXPROCS(0)
	}
	if opts.Budget <= 0 {
		opts.Budget = DefaultBudget
	}
	if opts.Hash == nil {
		opts.Hash = xxhash.Sum64
	}
	if opts.Progress == nil {
		opts.Progress = func(Progress) {}
	}
	m := &matcher{plan: plan, inputs: [2]record.Table{left, right}, opts: opts, index: &Index{}}
	for _, s := range tray.Sides {
		n := m.inputs[s].Records()
		if n > record.MaxRecords {
			return nil, fmt.Errorf("the %s side has %d records; a side may have %d at most", s, n, int64(record.MaxRecords))
		}
		m.index.Sides[s] = newSide(n)
	}
	if len(plan.Crosswalk.Keys) > 0 {
		m.classes = NewClasses(plan, plan.Crosswalk.Keys)
	}
	m.partitions = newPartitions(partitionCount(left.Records()+right.Records(), opts), opts)
	defer m.partitions.close()
	tallies := make([]*tally, opts.Workers)
	for w := range tallies {
		tallies[w] = newTally(plan)
	}
	if err := m.read(ctx, tallies); err != nil {
		return nil, err
	}
	if err := m.tooMany(tallies); err != nil {
		return nil, err
	}
	repeats, err := m.join(ctx, tallies)
	if err != nil {
		return nil, err
	}
	if err := m.refuse(ctx, tallies); err != nil {
		return nil, err
	}
	if err := m.settleRepeats(ctx, repeats, tallies); err != nil {
		return nil, err
	}
	m.number()
	if err := m.applyHand(ctx, tallies[0]); err != nil {
		return nil, err
	}
	m.total(tallies)
	m.index.Spilled = m.partitions.spilled()
	return m.index, nil
}

type matcher struct {
	plan       *sieve.Plan
	inputs     [2]record.Table
	opts       Options
	partitions *partitions
	index      *Index
	classes    *Classes // nil: no key is joined with another
}

// number gives every key its number by first appearance, left side first, instead of the number by partition.
func (m *matcher) number() {
	var highest uint32
	for _, s := range tray.Sides {
		for _, k := range m.index.Sides[s].Keys {
			if k != None {
				highest = max(highest, k+1)
			}
		}
	}
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
func (m *matcher) total(tallies []*tally) {
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
	for _, s := range tray.Sides {
		m.index.Totals.Records[s] = m.inputs[s].Records()
		for _, t := range m.index.Sides[s].Trays {
			m.index.Totals.Trays[s][t]++
		}
	}
	for row, t := range m.index.Sides[0].Trays {
		if t.Paired() && m.index.Sides[0].Partners[row] != None {
			m.index.Totals.Pairs[t]++
		}
	}
}
