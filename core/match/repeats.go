package match

import (
	"context"
	"errors"
	"slices"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/pairing"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// repeats are the keys that are on both sides and more than once on one.
type repeats struct {
	rows []uint32 // of each key: its left records, then its right records
	keys []repeatedKey

	highest uint32 // how many keys there are, of all kinds
}

type repeatedKey struct {
	start uint64 // into rows, of which there may be more than a side has records
	count [2]uint32
}

func (r *repeats) append(o *repeats) {
	base := uint64(len(r.rows))
	r.rows = append(r.rows, o.rows...)
	for _, k := range o.keys {
		k.start += base
		r.keys = append(r.keys, k)
	}
}

// side returns the record numbers of the key on side s.
func (r *repeats) side(k repeatedKey, s tray.Side) []uint32 {
	if s == tray.Left {
		return r.rows[k.start : k.start+uint64(k.count[0])]
	}
	return r.rows[k.start+uint64(k.count[0]) : k.start+uint64(k.count[0])+uint64(k.count[1])]
}

// records are the numbers of all their records, by side and in ascending order.
func (r *repeats) records() (rows [2][]uint32) {
	for _, s := range tray.Sides {
		for _, k := range r.keys {
			rows[s] = append(rows[s], r.side(k, s)...)
		}
		slices.Sort(rows[s])
	}
	return rows
}

// settleRepeats pairs the records of repeated keys, whose numbers are rows. It takes as many keys at a time as the budget has room for, reads
// each batch that holds one of their records once, and settles the keys in parallel. A key that there is no room for is settled alone, piece by piece.
func (m *Matching) settleRepeats(ctx context.Context, all *repeats, rows [2][]uint32, tallies []*tally) error {
	each := int64(256) // bytes of a record while it is being paired
	slices.SortFunc(all.keys, func(a, b repeatedKey) int { return int(int64(all.rows[a.start]) - int64(all.rows[b.start])) })
	for _, s := range tray.Sides {
		each = max(each, 256+2*m.averageBytes(ctx, rows[s], s))
	}
	most := max(m.opts.Budget/2/each, 1)
	total := int64(len(all.keys))
	for done := 0; done < len(all.keys); {
		if k := all.keys[done]; k.records() > most && pairing.InOrder(int(k.count[0]), int(k.count[1])) {
			if err := m.settleLarge(ctx, all, k, int(most), tallies[0]); err != nil {
				return err
			}
			done++
			continue
		}
		end, records := done, int64(0)
		for end < len(all.keys) && (end == done || records+all.keys[end].records() <= most) {
			records += all.keys[end].records()
			end++
		}
		if err := m.settleSome(ctx, all, all.keys[done:end], tallies); err != nil {
			return err
		}
		done = end
		m.opts.Progress(Progress{"repeated keys", int64(done), total})
	}
	return ctx.Err()
}

// records is how many records carry the key.
func (k *repeatedKey) records() int64 { return int64(k.count[0]) + int64(k.count[1]) }

// averageBytes is about the size of one record of side s, judged by the first of those with the given numbers.
func (m *Matching) averageBytes(ctx context.Context, rows []uint32, s tray.Side) int64 {
	const judged = 100
	if rows = rows[:min(len(rows), judged)]; len(rows) == 0 {
		return 0
	}
	bytes := 0
	err := record.Gather(ctx, m.inputs[s], rows, func(_ int, b *record.Batch, i int) {
		for _, col := range b.Columns {
			bytes += col.ValueLen(i)
		}
	})
	if err != nil {
		return 0 // whoever reads the records next meets the same error, and reports it
	}
	return int64(bytes / len(rows))
}

func (m *Matching) settleSome(ctx context.Context, all *repeats, keys []repeatedKey, tallies []*tally) error {
	var loaded [2][][]pairing.Record // by side and key
	sides, loading := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		sides.Go(func() (err error) {
			loaded[s], err = m.loadRecords(loading, all, keys, s)
			return err
		})
	}
	if err := sides.Wait(); err != nil {
		return err
	}
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for _, t := range tallies {
		group.Go(func() error {
			for {
				k := int(next.Add(1)) - 1
				if k >= len(keys) {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				m.settleKey(loaded[0][k], loaded[1][k], t)
			}
		})
	}
	return group.Wait()
}

func (m *Matching) settleKey(left, right []pairing.Record, t *tally) {
	if pairing.InOrder(len(left), len(right)) {
		t.InOrder++
	}
	for _, p := range pairing.Settle(m.plan.Fields, left, right) {
		m.settled(&left[p.Left], &right[p.Right], p.Matched, t)
	}
	for i := range left {
		if m.index.Sides[tray.Left].Partners[left[i].Row] == None {
			m.settled(&left[i], nil, false, t)
		}
	}
	for i := range right {
		if m.index.Sides[tray.Right].Partners[right[i].Row] == None {
			m.settled(nil, &right[i], false, t)
		}
	}
}

// settled puts the records of a pair, or one that is in none, where they belong: the other is nil then.
func (m *Matching) settled(left, right *pairing.Record, matched bool, t *tally) {
	at := tray.Surplus
	if left != nil && right != nil {
		m.index.Sides[tray.Left].Partners[left.Row], m.index.Sides[tray.Right].Partners[right.Row] = right.Row, left.Row
		if at = tray.Differing; matched {
			at = tray.Matched
			t.countPair(left.Values, right.Values)
		}
	}
	for s, r := range [2]*pairing.Record{left, right} {
		if r != nil {
			m.index.Sides[s].Trays[r.Row] = at
			t.sum(tray.Side(s), at, r.Values)
		}
	}
}

// fewest is how many records of a large key are read at a time, however small the budget.
const fewest = 1000

// settleLarge pairs the records of a key of which at most so many are held at a time.
func (m *Matching) settleLarge(ctx context.Context, all *repeats, k repeatedKey, most int, t *tally) (err error) {
	large := pairing.NewLarge(m.plan.Fields, m.opts.Budget/4, m.opts.TempDir)
	defer func() { err = errors.Join(err, large.Close()) }()
	var done atomic.Int64
	sides, reading := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		sides.Go(func() error {
			side := all.side(k, s)
			slices.Sort(side)
			for rows := range slices.Chunk(side, max(most/8, fewest)) {
				records := make([]pairing.Record, len(rows))
				if err := m.readRecords(reading, rows, s, func(n int) *pairing.Record { return &records[n] }); err != nil {
					return err
				}
				if err := large.Add(s, records); err != nil {
					return err
				}
				m.opts.Progress(Progress{"repeated keys", done.Add(int64(len(rows))), k.records()})
			}
			return nil
		})
	}
	if err := sides.Wait(); err != nil {
		return err
	}
	t.InOrder++
	err = large.Pairs(ctx, func(left, right *pairing.Record, matched bool) { m.settled(left, right, matched, t) })
	m.spilled.Add(large.Spilled())
	return err
}

// loadRecords reads all records of the keys on one side, each batch once.
func (m *Matching) loadRecords(ctx context.Context, all *repeats, keys []repeatedKey, s tray.Side) ([][]pairing.Record, error) {
	type place struct {
		row    uint32
		key, i int
	}
	var places []place
	loaded := make([][]pairing.Record, len(keys))
	for k, key := range keys {
		rows := all.side(key, s)
		loaded[k] = make([]pairing.Record, len(rows))
		for i, row := range rows {
			places = append(places, place{row, k, i})
		}
	}
	slices.SortFunc(places, func(a, b place) int { return int(int64(a.row) - int64(b.row)) })
	rows := make([]uint32, len(places))
	for i, p := range places {
		rows[i] = p.row
	}
	return loaded, m.readRecords(ctx, rows, s, func(n int) *pairing.Record { return &loaded[places[n].key][places[n].i] })
}

// readRecords reads the records of side s with the given numbers, which are in ascending order, each into its place.
func (m *Matching) readRecords(ctx context.Context, rows []uint32, s tray.Side, into func(n int) *pairing.Record) error {
	return record.GatherParallel(ctx, m.inputs[s], rows, m.opts.Workers, func() func(n int, b *record.Batch, at []int) {
		reader := m.plan.ValueReader(s)
		return func(n int, b *record.Batch, at []int) {
			columns, parts := len(b.Columns), len(m.plan.Key)
			cells, keys := make([]record.Cell, len(at)*columns), make([]string, 0, len(at)*parts)
			b.CellsOf(at, cells)
			record.OwnTexts(cells)
			values := reader.ReadAll(cells, columns)
			for k := range at {
				own := cells[k*columns : (k+1)*columns : (k+1)*columns]
				for _, part := range m.plan.Key {
					keys = append(keys, own[part.Column[s]].Text)
				}
				some := len(values) / len(at)
				*into(n + k) = pairing.Record{Row: rows[n+k], Cells: own, Keys: keys[k*parts : (k+1)*parts : (k+1)*parts], Values: values[k*some : (k+1)*some : (k+1)*some]}
			}
		}
	})
}
