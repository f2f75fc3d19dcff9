package match

import (
	"bytes"
	"context"
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/pairing"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// join brings equal keys together, partition by partition, and settles all keys but those that repeat, which it returns.
func (m *matcher) join(ctx context.Context, tallies []*tally) (*repeats, error) {
	all := &repeats{}
	var next, done atomic.Int64
	var keys atomic.Uint32 // numbers given to keys so far
	var mu sync.Mutex
	total := int64(len(m.partitions.parts))
	group, ctx := errgroup.WithContext(ctx)
	for _, t := range tallies {
		group.Go(func() error {
			j := m.joiner(t)
			for {
				part := int(next.Add(1)) - 1
				if part >= len(m.partitions.parts) {
					break
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := j.load(part); err != nil {
					return err
				}
				j.settle(keys.Add(uint32(len(j.groups))) - uint32(len(j.groups)))
				m.partitions.release(part)
				m.opts.Progress(Progress{"matching", done.Add(1), total})
			}
			mu.Lock()
			defer mu.Unlock()
			all.append(&j.repeats)
			return nil
		})
	}
	return all, group.Wait()
}

// joiner is one worker's memory for joining partitions, used again and again.
type joiner struct {
	m       *matcher
	tally   *tally
	sides   [2]joinSide
	groups  []keyGroup
	slots   []uint32 // hash table: number of a group plus one, or 0
	repeats repeats
	values  [2][]reading.Value
	totals  *pairing.Group // nil unless totals are compared
}

type joinSide struct {
	buffer  []byte
	entries []entry
	next    []uint32 // the next entry with the same key, or None
}

// keyGroup is one key: how many records of each side carry it, and the first of each side's entries.
type keyGroup struct {
	hash  uint64
	count [2]uint32
	first [2]uint32
}

func (m *matcher) joiner(t *tally) *joiner {
	j := &joiner{m: m, tally: t}
	for _, s := range tray.Sides {
		j.values[s] = make([]reading.Value, len(m.plan.Values))
	}
	if m.plan.Repeats == sieve.Totals {
		j.totals = pairing.NewGroup(m.plan.Fields)
	}
	return j
}

// load reads a partition and groups its entries by key.
func (j *joiner) load(part int) error {
	total := 0
	for _, s := range tray.Sides {
		side := &j.sides[s]
		blocks, buffer, err := j.m.partitions.load(part, s, side.buffer)
		if err != nil {
			return err
		}
		side.buffer = buffer
		side.entries, side.next = side.entries[:0], side.next[:0]
		for _, block := range blocks {
			for at := uint32(0); at < uint32(len(block)); {
				e := entryAt(block, at)
				side.entries = append(side.entries, e)
				at += uint32(len(e))
			}
		}
		total += len(side.entries)
	}
	size := 1 << bits.Len(uint(total+total/2))
	if cap(j.slots) < size {
		j.slots = make([]uint32, size)
	}
	j.slots = j.slots[:size]
	clear(j.slots)
	j.groups = j.groups[:0]
	for _, s := range tray.Sides {
		side := &j.sides[s]
		for i, e := range side.entries {
			g := j.group(e)
			side.next = append(side.next, g.first[s])
			g.first[s] = uint32(i)
			g.count[s]++
		}
	}
	return nil
}

// group finds the group of an entry's key, or begins one. Equal hashes only make two keys worth comparing.
func (j *joiner) group(e entry) *keyGroup {
	hash := e.hash()
	mask := uint64(len(j.slots) - 1)
	for slot := hash & mask; ; slot = (slot + 1) & mask {
		n := j.slots[slot]
		if n == 0 {
			j.groups = append(j.groups, keyGroup{hash: hash, first: [2]uint32{None, None}})
			j.slots[slot] = uint32(len(j.groups))
			return &j.groups[len(j.groups)-1]
		}
		if g := &j.groups[n-1]; g.hash == hash && bytes.Equal(j.keyOf(g), e.key()) {
			return g
		}
	}
}

func (j *joiner) keyOf(g *keyGroup) []byte {
	for s, first := range g.first {
		if first != None {
			return j.sides[s].entries[first].key()
		}
	}
	return nil
}

// settle decides the partition's keys. The first of them gets number base.
func (j *joiner) settle(base uint32) {
	for n := range j.groups {
		g := &j.groups[n]
		j.tally.key(int64(g.count[0]), int64(g.count[1]))
		j.checkRepeat(g)
		number := base + uint32(n)
		switch {
		case j.totals != nil && g.count[0] > 0 && g.count[1] > 0:
			j.settleTotals(g, number)
		case g.count == [2]uint32{1, 1}:
			j.settlePair(g, number)
		case g.count[1] == 0:
			j.settleLone(tray.Left, tray.Missing, g, number)
		case g.count[0] == 0:
			j.settleLone(tray.Right, tray.Orphaned, g, number)
		default:
			j.settleLater(g, number)
		}
	}
}

func (j *joiner) settlePair(g *keyGroup, number uint32) {
	var rows [2]uint32
	for _, s := range tray.Sides {
		e := j.sides[s].entries[g.first[s]]
		rows[s] = e.row()
		e.values(j.values[s])
	}
	at := tray.Matched
	for _, f := range j.tally.fields {
		if !f.Rule.Agree(j.values[0][f.Value], j.values[1][f.Value]) {
			at = tray.Differing
			break
		}
	}
	if at == tray.Matched {
		j.tally.countPair(j.values[0], j.values[1])
	}
	for _, s := range tray.Sides {
		index := &j.m.index.Sides[s]
		index.Trays[rows[s]], index.Partners[rows[s]], index.Keys[rows[s]] = at, rows[s.Other()], number
		j.tally.sum(s, at, j.values[s])
	}
}

// settleTotals compares a key's records as one group on each side. The group's least record of each side stands for it.
func (j *joiner) settleTotals(g *keyGroup, number uint32) {
	j.totals.Reset()
	leaders := [2]uint32{None, None}
	for _, s := range tray.Sides {
		for i := g.first[s]; i != None; i = j.sides[s].next[i] {
			e := j.sides[s].entries[i]
			e.values(j.values[s])
			j.totals.Add(s, j.values[s])
			leaders[s] = min(leaders[s], e.row())
		}
	}
	at := tray.Differing
	if j.totals.Matched() {
		at = tray.Matched
	}
	var currencies currencySet
	for _, s := range tray.Sides {
		index := &j.m.index.Sides[s]
		for i := g.first[s]; i != None; i = j.sides[s].next[i] {
			e := j.sides[s].entries[i]
			index.Trays[e.row()], index.Keys[e.row()] = at, number
			e.values(j.values[s])
			currencies.add(j.tally.ofRecord(j.values[s]))
			j.tally.sum(s, at, j.values[s])
		}
		index.Partners[leaders[s]] = leaders[s.Other()]
	}
	j.tally.countMixed(at, currencies)
}

func (j *joiner) settleLone(s tray.Side, at tray.Tray, g *keyGroup, number uint32) {
	index := &j.m.index.Sides[s]
	for i := g.first[s]; i != None; i = j.sides[s].next[i] {
		e := j.sides[s].entries[i]
		index.Trays[e.row()], index.Keys[e.row()] = at, number
		e.values(j.values[s])
		j.tally.sum(s, at, j.values[s])
	}
}

func (j *joiner) settleLater(g *keyGroup, number uint32) {
	start := len(j.repeats.rows)
	for _, s := range tray.Sides {
		from := len(j.repeats.rows)
		for i := g.first[s]; i != None; i = j.sides[s].next[i] {
			row := j.sides[s].entries[i].row()
			j.m.index.Sides[s].Keys[row] = number
			j.repeats.rows = append(j.repeats.rows, row)
		}
		slices.Sort(j.repeats.rows[from:])
	}
	j.repeats.keys = append(j.repeats.keys, repeatedKey{start: uint32(start), count: g.count})
}
