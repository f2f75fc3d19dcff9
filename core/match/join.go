package match

import (
	"bytes"
	"context"
	"iter"
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/exact"
	"twinsieve/core/pairing"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/slots"
	"twinsieve/core/tray"
)

// join brings equal keys together, partition by partition, and settles all keys but those that repeat, which it returns.
func (m *Matching) join(ctx context.Context, tallies []*tally) (*repeats, error) {
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
			if m.plan.Currency < 0 {
				t.sumAlike(j.alike)
			}
			mu.Lock()
			defer mu.Unlock()
			all.append(&j.repeats)
			return nil
		})
	}
	err := group.Wait()
	all.highest = keys.Load()
	return all, err
}

// joiner is one worker's memory for joining partitions, used again and again.
type joiner struct {
	m       *Matching
	tally   *tally
	sides   [2]joinSide
	groups  []keyGroup
	earlier []earlier
	slots   []uint32 // hash table: number of a group plus one, or 0
	repeats repeats
	values  [2][]reading.Value
	terms   []exact.Term
	alike   []exact.Sum    // by amount: those of pairs that are alike, either side's
	totals  *pairing.Group // nil unless totals are compared
}

// joinSide is one side's entries of the partition.
type joinSide struct {
	buffer []byte
	blocks [][]byte
}

func (s *joinSide) entry(m member) entry { return entryAt(s.blocks[m.block], m.at) }

// member is an entry of a key: in which block it begins, and where in it, and its record.
type member struct{ block, at, row uint32 }

// keyGroup is one key: how many records of each side carry it, and of each side the entry that was read last. Most keys have no more than that one.
type keyGroup struct {
	hash  uint32
	alike bool // one record of each side carries it so far, and they have the same values: their amounts are in the matched tray's
	count [2]uint32
	last  [2]member
	more  [2]uint32 // of earlier entries, the one that was read before the last, plus one; 0: there is none
}

// earlier is an entry of a key of which others were read after it.
type earlier struct {
	member
	more uint32 // the one before, plus one; 0: there is none
}

// members visits the entries of a key on side s, the one that was read last first.
func (j *joiner) members(g *keyGroup, s tray.Side) iter.Seq[member] {
	return func(yield func(member) bool) {
		if g.count[s] == 0 || !yield(g.last[s]) {
			return
		}
		for n := g.more[s]; n != 0; n = j.earlier[n-1].more {
			if !yield(j.earlier[n-1].member) {
				return
			}
		}
	}
}

// add adds an entry to a key.
func (j *joiner) add(g *keyGroup, s tray.Side, m member) {
	if g.count[s] > 0 {
		j.earlier = append(j.earlier, earlier{g.last[s], g.more[s]})
		g.more[s] = uint32(len(j.earlier))
	}
	g.last[s] = m
	g.count[s]++
}

func (m *Matching) joiner(t *tally) *joiner {
	j := &joiner{m: m, tally: t, alike: make([]exact.Sum, len(m.plan.Amounts))}
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
	j.groups, j.earlier = j.groups[:0], j.earlier[:0]
	size := 0
	for _, s := range tray.Sides {
		side := &j.sides[s]
		var err error
		if side.blocks, side.buffer, err = j.m.partitions.load(part, s, side.buffer); err != nil {
			return err
		}
		for _, block := range side.blocks {
			size += len(block)
		}
	}
	const often = 48 // bytes of an entry: where they are smaller, there will be more slots
	j.makeSlots(1 << bits.Len(uint(size/often)))
	for _, s := range tray.Sides {
		side := &j.sides[s]
		for b, block := range side.blocks {
			for at := uint32(0); at < uint32(len(block)); {
				e := entryAt(block, at)
				g, same := j.group(s, e)
				if s == tray.Right && (same || g.alike) {
					j.addAlike(g, e)
				}
				j.add(g, s, member{uint32(b), at, e.row()})
				at += e.size()
			}
		}
	}
	return nil
}

// addAlike adds up the amounts of a right entry whose key and values are the same bytes as those of its only left one: if all can be read, the two
// agree whatever the rules. They are taken back where a second right entry comes.
func (j *joiner) addAlike(g *keyGroup, e entry) {
	if g.alike {
		g.alike = false
		j.terms, _ = j.tally.terms(j.terms[:0], j.sides[tray.Left].entry(g.last[tray.Left])) // as they could be had before
		for i := range j.terms {
			j.terms[i] = j.terms[i].Negative()
		}
		j.sumTerms()
		return
	}
	if e.unreadable() || j.tally.column >= 0 || j.totals != nil {
		return
	}
	var ok bool
	if j.terms, ok = j.tally.terms(j.terms[:0], e); !ok {
		return
	}
	j.sumTerms()
	g.alike = true
}

func (j *joiner) sumTerms() {
	for a, n := range j.terms {
		j.alike[a].AddTerm(n)
	}
}

// makeSlots makes so many slots, a power of two, and puts the groups into them.
func (j *joiner) makeSlots(size int) {
	if cap(j.slots) < size {
		j.slots = make([]uint32, size)
	}
	j.slots = j.slots[:size]
	clear(j.slots)
	slots.Place(j.slots, len(j.groups), func(i int) uint64 { return uint64(j.groups[i].hash) })
}

// group finds the group of the key of an entry of side s, or begins one. Equal hashes only make two keys worth comparing. same is that the
// entry is the first right one of a key that one left entry has, and is the same bytes, values included: nearly all are, so that this is asked first.
func (j *joiner) group(s tray.Side, e entry) (g *keyGroup, same bool) {
	if len(j.groups) > len(j.slots)/3*2 {
		j.makeSlots(2 * len(j.slots))
	}
	hash := e.hash()
	mask := uint32(len(j.slots) - 1)
	for slot := hash & mask; ; slot = (slot + 1) & mask {
		n := j.slots[slot]
		if n == 0 {
			j.groups = append(j.groups, keyGroup{hash: hash})
			j.slots[slot] = uint32(len(j.groups))
			return &j.groups[len(j.groups)-1], false
		}
		if g = &j.groups[n-1]; g.hash != hash {
			continue
		}
		if s == tray.Right && g.count == [2]uint32{1, 0} && j.sides[tray.Left].entry(g.last[tray.Left]).sameAs(e) {
			return g, true
		}
		if bytes.Equal(j.keyOf(g), e.key()) {
			return g, false
		}
	}
}

func (j *joiner) keyOf(g *keyGroup) []byte {
	for s, n := range g.count {
		if n > 0 {
			return j.sides[s].entry(g.last[s]).key()
		}
	}
	return nil
}

// settle decides the partition's keys. The first of them gets number base.
func (j *joiner) settle(base uint32) {
	alike := int64(0)
	for n := range j.groups {
		g := &j.groups[n]
		number := base + uint32(n)
		if g.alike { // as most are
			alike++
			j.putPair(g, number)
			continue
		}
		j.tally.key(int64(g.count[0]), int64(g.count[1]))
		j.checkRepeat(g)
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
	j.tally.pairs(alike)
}

// putPair notes that the two records of a key are a pair, which matches where nothing else is said of it: not touching again the place of a record that nobody
// has changed saves time.
func (j *joiner) putPair(g *keyGroup, number uint32) {
	for _, s := range tray.Sides {
		index := &j.m.index.Sides[s]
		index.putKey(g.last[s].row, number)
		index.Partners[g.last[s].row] = g.last[s.Other()].row
	}
}

// settlePair decides whether the two records of a key agree, which have not been found alike.
func (j *joiner) settlePair(g *keyGroup, number uint32) {
	for _, s := range tray.Sides {
		j.sides[s].entry(g.last[s]).values(j.values[s])
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
		if j.tally.sum(s, at, j.values[s]); at != tray.Matched {
			j.m.index.Sides[s].Trays[g.last[s].row] = at
		}
	}
	j.putPair(g, number)
}

// settleTotals compares a key's records as one group on each side. The group's least record of each side stands for it.
func (j *joiner) settleTotals(g *keyGroup, number uint32) {
	j.totals.Reset()
	leaders := [2]uint32{None, None}
	for _, s := range tray.Sides {
		for m := range j.members(g, s) {
			j.sides[s].entry(m).values(j.values[s])
			j.totals.Add(s, j.values[s])
			leaders[s] = min(leaders[s], m.row)
		}
	}
	at := tray.Differing
	if j.totals.Matched() {
		at = tray.Matched
	}
	var currencies currencySet
	for _, s := range tray.Sides {
		index := &j.m.index.Sides[s]
		for m := range j.members(g, s) {
			index.put(m.row, at, number)
			j.sides[s].entry(m).values(j.values[s])
			currencies.add(j.tally.ofRecord(j.values[s]))
			j.tally.sum(s, at, j.values[s])
		}
		index.Partners[leaders[s]] = leaders[s.Other()]
	}
	j.tally.countMixed(at, currencies)
}

func (j *joiner) settleLone(s tray.Side, at tray.Tray, g *keyGroup, number uint32) {
	index := &j.m.index.Sides[s]
	for m := range j.members(g, s) {
		index.put(m.row, at, number)
		j.sides[s].entry(m).values(j.values[s])
		j.tally.sum(s, at, j.values[s])
	}
}

func (j *joiner) settleLater(g *keyGroup, number uint32) {
	start := len(j.repeats.rows)
	for _, s := range tray.Sides {
		from := len(j.repeats.rows)
		for m := range j.members(g, s) {
			j.m.index.Sides[s].putKey(m.row, number)
			j.repeats.rows = append(j.repeats.rows, m.row)
		}
		slices.Sort(j.repeats.rows[from:])
	}
	j.repeats.keys = append(j.repeats.keys, repeatedKey{start: uint64(start), count: g.count})
}
