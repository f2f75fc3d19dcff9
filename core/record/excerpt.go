package record

import (
	"context"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"
)

// Excerpt is some records of a table, read once and kept, so that they can be gathered again and again in any order. To who gathers
// them it is the table itself; other records cannot be had from it.
type Excerpt struct {
	of    Table
	parts []excerptPart
	kept  *Spool
}

// excerptPart is what is kept of one batch of the table.
type excerptPart struct {
	rows []uint32
	at   int // which batch of what is kept; -1: none
}

// NewExcerpt reads the records with the given numbers, which must be in ascending order and may repeat. Several workers read at
// once. What exceeds the budget of bytes goes to a temporary file in dir. It is to be closed.
func NewExcerpt(ctx context.Context, t Table, rows []uint32, workers int, budget int64, dir string) (*Excerpt, error) {
	x := &Excerpt{of: t, kept: NewSpool(t.Columns(), budget, dir), parts: make([]excerptPart, len(t.Starts()))}
	starts := t.Starts()
	rest := slices.Compact(rows)
	for i := range starts {
		n := len(rest)
		if i+1 < len(starts) {
			n, _ = slices.BinarySearch(rest, uint32(starts[i+1]))
		}
		x.parts[i] = excerptPart{rest[:n], -1}
		rest = rest[n:]
	}
	var mu sync.Mutex
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(workers, 1))
	for i := range x.parts {
		p := &x.parts[i]
		if len(p.rows) == 0 {
			continue
		}
		group.Go(func() error {
			places := make([]int, len(p.rows))
			for n, row := range p.rows {
				places[n] = int(int64(row) - starts[i])
			}
			b, err := picked(ctx, t, i, places)
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			p.at = len(x.kept.Starts())
			return x.kept.Add(b)
		})
	}
	if err := group.Wait(); err != nil {
		_ = x.Close() // what went wrong first is what counts
		return nil, err
	}
	return x, nil
}

// picked is some records of a batch, and no others.
func picked(ctx context.Context, t Table, i int, places []int) (*Batch, error) {
	if t, ok := t.(picker); ok {
		b, at, err := t.Pick(ctx, i, places)
		if err != nil {
			return nil, err
		}
		if b.Records() == len(places) {
			return b, nil
		}
		return Pick(b, at), nil
	}
	b, err := t.Batch(ctx, i)
	if err != nil {
		return nil, err
	}
	return Pick(b, places), nil
}

// Columns implements [Table].
func (x *Excerpt) Columns() []string { return x.of.Columns() }

// Records implements [Table]: those of the whole table.
func (x *Excerpt) Records() int64 { return x.of.Records() }

// Starts implements [Table].
func (x *Excerpt) Starts() []int64 { return x.of.Starts() }

// Batch implements [Table], by reading from the whole table.
func (x *Excerpt) Batch(ctx context.Context, i int) (*Batch, error) { return x.of.Batch(ctx, i) }

// seldomFar is how many records are looked at one after another before the one that is wanted is sought.
const seldomFar = 8

// Pick lets records be gathered from what is kept.
func (x *Excerpt) Pick(ctx context.Context, i int, places []int) (*Batch, []int, error) {
	p := &x.parts[i]
	first := uint32(x.of.Starts()[i])
	at, k := make([]int, len(places)), 0
	for n, place := range places {
		row := first + uint32(place)
		for steps := 0; k < len(p.rows) && p.rows[k] < row; k++ { // the next is seldom far
			if steps++; steps == seldomFar {
				further, _ := slices.BinarySearch(p.rows[k:], row)
				k += further
				break
			}
		}
		if k == len(p.rows) || p.rows[k] != row {
			b, err := x.of.Batch(ctx, i)
			return b, places, err
		}
		at[n] = k
	}
	b, err := x.kept.Batch(ctx, p.at)
	return b, at, err
}

// Spilled is the number of bytes that went to a temporary file.
func (x *Excerpt) Spilled() int64 { return x.kept.Spilled() }

// Close gives back what the excerpt keeps.
func (x *Excerpt) Close() error { return x.kept.Close() }
