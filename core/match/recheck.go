package match

import (
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"hash/maphash"
	"maps"
	"math/bits"
	"slices"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// The balance cannot notice that a filter or a normalisation is evaluated wrongly, because everything that it adds up has been
// evaluated in the same way. So some blocks of records of each side are evaluated twice: while the records are fed, in whatever
// pieces and by however many workers, a digest of what each came to is kept; when all have been fed, one worker alone evaluates the
// same blocks again. If a digest differs, the match fails.

const (
	blockRecords     = 4096 // records of a block, by their numbers
	digestedBlocks   = 16   // one block in so many has a digest, and so has a side's first
	recheckedRecords = 32   // at most one record in so many is evaluated again, but at least one block of each side
)

// digests are those of some blocks of a side, by the block's number: sums, so that it does not matter in which order and pieces the
// records come.
type digests map[int64]uint64

// chance is a number by which blocks are chosen, another one in each match.
func (m *Matching) chance(block int64) uint64 {
	var b [8]byte
	binary.LittleEndian.PutUint64(b[:], uint64(block))
	return maphash.Bytes(m.seed, b[:])
}

// chosen reports whether a block has a digest.
func (m *Matching) chosen(block int64) bool { return block == 0 || m.chance(block)%digestedBlocks == 0 }

// sampled is a part of the records that are being read: those of a block that has a digest.
type sampled struct {
	block    int64
	from, to int
}

// sample returns which of the given records have a digest.
func (r *sideReader) sample(g *given) (list []sampled) {
	for block := g.first / blockRecords; block*blockRecords < g.first+int64(g.records); block++ {
		if wanted := r.m.chosen(block); r.only != nil && !r.only[block] || r.only == nil && !wanted {
			continue
		}
		from, to := block*blockRecords-g.first, (block+1)*blockRecords-g.first
		list = append(list, sampled{block, int(max(from, 0)), int(min(to, int64(g.records)))})
	}
	return list
}

// digest adds the records from one on, whose entries end at ends, to the digests of their blocks.
func (r *sideReader) digest(first int64, from, each int, ends []int) {
	for _, s := range r.sampled {
		sum := r.digests[s.block]
		for i := max(s.from, from); i < min(s.to, from+len(ends)); i++ {
			n := i - from
			end, start := ends[n], n*each
			if end < 0 {
				sum += mixed(first+int64(i), uint64(r.trays[i]))
				continue
			}
			sum += mixed(first+int64(i), maphash.Bytes(r.m.seed, r.room[start+r.head:end])+uint64(r.keyEnds[n]-start-r.head))
		}
		r.digests[s.block] = sum
	}
}

// mixed is a number that stands for a record and what it came to.
func mixed(row int64, value uint64) uint64 {
	high, low := bits.Mul64(uint64(row)^0x9e3779b97f4a7c15, value^0xd6e8feb86659fd93)
	return high ^ low
}

// RecheckError says that some records gave another result when they were evaluated again.
type RecheckError struct {
	Side        tray.Side
	First, Last int64 // records, counted from 1
}

// Error implements error.
func (e *RecheckError) Error() string {
	return fmt.Sprintf("records %d to %d of the %s side gave another result when their filter, key and fields were evaluated a second time; "+
		"the result cannot be trusted and is not kept: run it again, and report this as a fault of Twin Sieve if it happens again", e.First, e.Last, e.Side)
}

// recheck evaluates some blocks of each side again, by one worker a side. The error is a [*RecheckError] where one differs.
func (m *Matching) recheck(ctx context.Context) error {
	sides, ctx := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		sides.Go(func() error { return m.recheckSide(ctx, s) })
	}
	return sides.Wait()
}

func (m *Matching) recheckSide(ctx context.Context, s tray.Side) error {
	table, was := m.inputs[s], digests{}
	for _, f := range m.feeders {
		for block, sum := range f.sides[s].digests {
			was[block] += sum
		}
	}
	blocks := slices.SortedFunc(maps.Keys(was), func(a, b int64) int { return cmp.Compare(m.chance(a), m.chance(b)) })
	blocks = blocks[:min(len(blocks), max(1, int(table.Records()/recheckedRecords/blockRecords)))]
	again, columns := m.sideReader(s, newTally(m.plan)), m.plan.Reads(s)
	again.only = map[int64]bool{}
	for _, block := range blocks {
		again.only[block] = true
	}
	starts := append(slices.Clone(table.Starts()), table.Records())
	for i, first := range starts[:len(starts)-1] {
		if len(again.sample(&given{first: first, records: int(starts[i+1] - first)})) == 0 {
			continue
		}
		batch, err := record.SomeOf(ctx, table, i, columns)
		if err != nil {
			return err
		}
		if err := again.read(given{first: batch.First, records: batch.Records(), batch: batch}); err != nil {
			return err
		}
	}
	for _, block := range blocks {
		first, last := block*blockRecords+1, min((block+1)*blockRecords, table.Records())
		if again.digests[block] != was[block] {
			return &RecheckError{s, first, last}
		}
		m.index.Rechecked[s] += last - first + 1
	}
	return nil
}
