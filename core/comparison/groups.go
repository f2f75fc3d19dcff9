package comparison

import (
	"sync"

	"twinsieve/core/match"
	"twinsieve/core/tray"
)

// Groups say which records of each side carry a key: eight bytes for each record of a side, beside the index that they are made
// from. A side's are found when they are first asked for, and most comparisons need but the right's, or none.
type Groups struct {
	index *match.Index
	sides [2]carriers
	kept  [2]int64 // records that are not excluded
	keys  uint32   // different keys
}

// carriers are the records of one side by key.
type carriers struct {
	once   sync.Once
	starts []uint32 // of key k, the place of its first record in rows; the key's records end where those of k+1 start
	rows   []uint32 // ascending within a key
}

// NewGroups makes the groups of an index.
func NewGroups(index *match.Index) *Groups {
	g := &Groups{index: index}
	for _, s := range tray.Sides {
		for _, k := range index.Sides[s].Keys {
			if k != match.None {
				g.keys = max(g.keys, k+1)
			}
		}
		for _, t := range index.Sides[s].Trays {
			if t != tray.Excluded {
				g.kept[s]++
			}
		}
	}
	return g
}

// side is the records of a side by key.
func (g *Groups) side(s tray.Side) *carriers {
	c := &g.sides[s]
	c.once.Do(func() { c.carry(g.index.Sides[s].Keys, g.keys) })
	return c
}

// carry sorts records by key, by counting.
func (c *carriers) carry(of []uint32, keys uint32) {
	c.starts = make([]uint32, int(keys)+2)
	keyed := 0
	for _, k := range of {
		if k != match.None {
			c.starts[k+2]++
			keyed++
		}
	}
	for k := 2; k < len(c.starts); k++ {
		c.starts[k] += c.starts[k-1]
	}
	c.rows = make([]uint32, keyed)
	for row, k := range of {
		if k != match.None {
			c.rows[c.starts[k+1]] = uint32(row)
			c.starts[k+1]++
		}
	}
}

// of returns the records that carry a key, in input order.
func (c *carriers) of(key uint32) []uint32 {
	if key == match.None {
		return nil
	}
	return c.rows[c.starts[key]:c.starts[key+1]]
}

// count is how many records carry a key.
func (c *carriers) count(key uint32) uint32 {
	if key == match.None {
		return 0
	}
	return c.starts[key+1] - c.starts[key]
}

// Index is the index that the groups are of.
func (g *Groups) Index() *match.Index { return g.index }

// Kept is how many records of a side are not excluded.
func (g *Groups) Kept(s tray.Side) int64 { return g.kept[s] }

// Keeps reports whether a record is not excluded.
func (g *Groups) Keeps(s tray.Side, row uint32) bool {
	return g.index.Sides[s].Trays[row] != tray.Excluded
}

// Key is the number of a record's key, or [None] where it has none.
func (g *Groups) Key(s tray.Side, row uint32) uint32 { return g.index.Sides[s].Keys[row] }

// Partners returns the records of the other side that have the key of a record of side s, in input order.
func (g *Groups) Partners(s tray.Side, row uint32) []uint32 {
	return g.side(s.Other()).of(g.Key(s, row))
}

// Alike returns the records of side s that have the key of one of them, the record itself among them.
func (g *Groups) Alike(s tray.Side, row uint32) []uint32 {
	if k := g.Key(s, row); k != match.None {
		return g.side(s).of(k)
	}
	return []uint32{row}
}

// partners is how many partners a record has.
func (g *Groups) partners(s tray.Side, row uint32) uint32 {
	return g.side(s.Other()).count(g.Key(s, row))
}

// alone reports whether a record that is not excluded has no partner. Its tray says so, unless records were paired by hand: they lie
// in other trays then, while comparisons go by keys.
func (g *Groups) alone(s tray.Side, row uint32) bool {
	if g.index.Sides[s].Trays[row].Lonely() {
		return true
	}
	return len(g.index.Hand) > 0 && g.partners(s, row) == 0
}

// place is a record's place among those of its side that carry its key, counted from 0.
func (g *Groups) place(s tray.Side, row uint32) uint32 {
	rows := g.Alike(s, row)
	from, to := 0, len(rows)
	for from < to {
		if middle := (from + to) / 2; rows[middle] < row {
			from = middle + 1
		} else {
			to = middle
		}
	}
	return uint32(from)
}

// Selves is how many records pair with themselves, where both sides are the same snapshot.
func (g *Groups) Selves() (n int64) {
	right := g.index.Sides[tray.Right].Keys
	for row, k := range g.index.Sides[tray.Left].Keys {
		if k != match.None && row < len(right) && right[row] == k {
			n++
		}
	}
	return n
}
