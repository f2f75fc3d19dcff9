package match

import (
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"hash/maphash"
	"math/bits"
	"slices"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// The balance cannot notice that a filter or a normalisation is evaluated wrongly, because everything that it adds up has been
// evaluated in the same way. So some batches of each side are evaluated twice: while the records are fed, by several workers, a
// digest of what became of each record is kept; when all have been fed, one worker alone evaluates the same batches again. If a
// digest differs, the match fails.

const (
	digestedBatches  = 16 // one batch in so many has a digest, and so has a side's first
	recheckedRecords = 32 // at most one record in so many is evaluated again, but at least one batch of each side
)

// digest is what the records of one batch evaluated to.
type digest struct {
	first   int64
	records int
	value   uint64
}

// digests are those of a match's batches, and how they are made.
type digests struct {
	seed maphash.Seed
	of   [2][]digest // by side
}

// chance is a number by which batches are chosen, another one in each match.
func (d *digests) chance(first int64) uint64 {
	var b [8]byte
	binary.LittleEndian.PutUint64(b[:], uint64(first))
	return maphash.Bytes(d.seed, b[:])
}

// chosen reports whether the batch that begins with this record has a digest.
func (d *digests) chosen(first int64) bool {
	return first == 0 || d.chance(first)%digestedBatches == 0
}

// add adds one number to a digest in which order counts.
func (d *digest) add(n uint64) { d.value = bits.RotateLeft64(d.value, 7)*0x9e3779b97f4a7c15 + n }

// digestSome adds the records from one up to another, whose entries end at ends, to the reader's digest.
func (r *sideReader) digestSome(from, each int, ends []int) {
	for n, end := range ends {
		if end < 0 {
			r.digest.add(uint64(r.trays[from+n]))
			continue
		}
		start := n * each
		r.digest.add(uint64(r.keyEnds[n] - start))
		r.digest.add(maphash.Bytes(r.m.digests.seed, r.room[start+r.head:end]))
	}
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

// recheck evaluates some batches of each side again, by one worker a side. The error is a [*RecheckError] where one differs.
func (m *Matching) recheck(ctx context.Context) error {
	sides, ctx := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		sides.Go(func() error { return m.recheckSide(ctx, s) })
	}
	return sides.Wait()
}

func (m *Matching) recheckSide(ctx context.Context, s tray.Side) error {
	table, of := m.inputs[s], m.digests.of[s]
	slices.SortFunc(of, func(a, b digest) int { return cmp.Compare(m.digests.chance(a.first), m.digests.chance(b.first)) })
	reader, columns := m.sideReader(s, newTally(m.plan)), m.plan.Reads(s)
	reader.again = true
	for n, was := range of {
		if n > 0 && m.index.Rechecked[s]+int64(was.records) > table.Records()/recheckedRecords {
			break
		}
		i, ok := slices.BinarySearch(table.Starts(), was.first)
		if !ok {
			return fmt.Errorf("no batch of the %s side begins with record %d, where one did while it was read", s, was.first)
		}
		batch, err := record.SomeOf(ctx, table, i, columns)
		if err != nil {
			return err
		}
		if err := reader.read(given{first: batch.First, records: batch.Records(), batch: batch}); err != nil {
			return err
		}
		if now := reader.digest; now.records != was.records || now.value != was.value {
			return &RecheckError{s, was.first + 1, was.first + int64(was.records)}
		}
		m.index.Rechecked[s] += int64(was.records)
	}
	return nil
}
