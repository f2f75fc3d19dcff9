package comparison

import (
	"math"
	"sort"

	"twinsieve/core/match"
	"twinsieve/core/tray"
)

// None stands for "no record of that side" in a [Row].
const None = match.None

// Row is one row of a comparison: the number of each side's record in it, or [None].
type Row [2]uint32

// Choice chooses a table of rows.
type Choice struct {
	Comparison Name
	Kept       Kept      // of Separate: what is kept
	Side       tray.Side // of Separate: whose table; with Dropped: whose records
	Dropped    bool      // instead of the rows, the records of a side that are in none of them
	ByTray     bool      // instead of a comparison's rows, the records that lie in a tray: pairs side by side, others of Side
	Tray       tray.Tray
}

// Rows are the rows of a comparison in default order. They may be read from several goroutines at once.
type Rows struct {
	parts []part
}

// part is some of the rows of a comparison, behind those of the part before.
type part interface {
	len() int64
	read(first int64, into []Row) int // into is not longer than the rows that there are from first on
}

// NewRows finds where the rows of a comparison are. No row is made.
func NewRows(g *Groups, c Choice) *Rows {
	if c.ByTray {
		return &Rows{[]part{g.inTray(c)}}
	}
	if c.Dropped {
		return &Rows{[]part{g.records(c.Side, func(row uint32) bool { return g.Drops(c, c.Side, row) })}}
	}
	switch c.Comparison {
	case Separate:
		return &Rows{[]part{g.records(c.Side, func(row uint32) bool { return g.Appears(c, c.Side, row) > 0 })}}
	case Cross:
		return &Rows{[]part{&cross{[2]*records{g.all(tray.Left), g.all(tray.Right)}}}}
	case ByPosition:
		return &Rows{[]part{&sideBySide{[2]*records{g.all(tray.Left), g.all(tray.Right)}}}}
	case Inner, Left, Right, Full:
		r := &Rows{[]part{g.pairs(c.Comparison == Left || c.Comparison == Full)}}
		if c.Comparison == Right || c.Comparison == Full {
			r.parts = append(r.parts, g.lone(tray.Right))
		}
		return r
	}
	r := &Rows{} // the others have a record of one side in each row
	for _, s := range tray.Sides {
		if c.Comparison.Yields(s) {
			r.parts = append(r.parts, g.records(s, func(row uint32) bool { return g.Appears(c, s, row) > 0 }))
		}
	}
	return r
}

// RecordsOf are rows of single records of a side: those that are wanted, and not excluded.
func RecordsOf(g *Groups, s tray.Side, wanted func(row uint32) bool) *Rows {
	return &Rows{[]part{g.records(s, func(row uint32) bool { return g.Keeps(s, row) && wanted(row) })}}
}

// Appears is in how many rows of a comparison a record of side s is. Of [ByPosition] it is taken that the shorter side is filled.
func (g *Groups) Appears(c Choice, s tray.Side, row uint32) int64 {
	if c.ByTray {
		return g.appearsInTray(c, s, row)
	}
	if !g.Keeps(s, row) {
		return 0
	}
	once := func(is bool) int64 {
		if is {
			return 1
		}
		return 0
	}
	switch c.Comparison {
	case LeftSemi, RightSemi:
		return once(c.Comparison.Yields(s) && !g.alone(s, row))
	case LeftAnti, RightAnti:
		return once(c.Comparison.Yields(s) && g.alone(s, row))
	case FullAnti:
		return once(g.alone(s, row))
	case Separate:
		return once(c.Kept.all(s) || !g.alone(s, row))
	case Cross:
		return g.kept[s.Other()]
	case ByPosition, UnionAll:
		return 1
	}
	partners := int64(g.partners(s, row))
	switch all := s == tray.Left; c.Comparison {
	case Inner:
		return partners
	case Full:
		return max(partners, 1)
	case Left, Right:
		if all == (c.Comparison == Left) {
			return max(partners, 1)
		}
		return partners
	}
	place := int64(g.place(s, row))
	switch c.Comparison {
	case Union:
		return once(place == 0 && (s == tray.Left || partners == 0))
	case Intersect:
		return once(s == tray.Left && place == 0 && partners > 0)
	case IntersectAll:
		return once(s == tray.Left && place < partners)
	case Except:
		return once(s == tray.Left && place == 0 && partners == 0)
	case ExceptAll:
		return once(s == tray.Left && place < int64(len(g.Alike(s, row)))-partners)
	}
	return 0
}

// Drops reports whether a record is neither in a row of a comparison nor equal to one that a row stands for: rows of both sides'
// equal records stand for one of each.
func (g *Groups) Drops(c Choice, s tray.Side, row uint32) bool {
	if !g.Keeps(s, row) {
		return false
	}
	partners := g.partners(s, row)
	switch c.Comparison {
	case Intersect:
		return partners == 0 || g.place(s, row) > 0
	case IntersectAll:
		return g.place(s, row) >= partners
	}
	return g.Appears(Choice{Comparison: c.Comparison, Kept: c.Kept}, s, row) == 0
}

// Len is the number of rows, or the greatest number there is where there are more.
func (r *Rows) Len() (n int64) {
	for _, p := range r.parts {
		if l := p.len(); l > math.MaxInt64-n {
			return math.MaxInt64
		} else {
			n += l
		}
	}
	return n
}

// Read fills into with the rows from number first on, and returns how many there were. Its time depends on how many are
// asked for, and not on first.
func (r *Rows) Read(first int64, into []Row) (n int) {
	for _, p := range r.parts {
		size := p.len()
		if first >= size {
			first -= size
			continue
		}
		n += p.read(first, into[n:n+int(min(int64(len(into)-n), size-first))])
		if first = 0; n == len(into) {
			break
		}
	}
	return n
}

// blockRecords is for how many records at a time it is known how many rows come before them: to find a row, so many records
// are looked at.
const blockRecords = 512

// blocks are the numbers of rows before each block of records, and behind them that of all rows.
type blocks []int64

func countBlocks(records int, weight func(row uint32) int64) blocks {
	b := make(blocks, 1, records/blockRecords+2)
	sum := int64(0)
	for row := range records {
		sum += weight(uint32(row))
		if row%blockRecords == blockRecords-1 || row == records-1 {
			b = append(b, sum)
		}
	}
	return b
}

func (b blocks) len() int64 { return b[len(b)-1] }

// find is the first record of the block that a row is in, and how many rows come before that record's.
func (b blocks) find(row int64) (record uint32, before int64) {
	at := sort.Search(len(b), func(i int) bool { return b[i] > row }) - 1
	return uint32(at * blockRecords), b[at]
}

// records are rows of single records of one side.
type records struct {
	blocks
	side   tray.Side
	wanted func(row uint32) bool
}

func (g *Groups) records(s tray.Side, wanted func(row uint32) bool) *records {
	return &records{countBlocks(len(g.index.Sides[s].Keys), func(row uint32) int64 {
		if wanted(row) {
			return 1
		}
		return 0
	}), s, wanted}
}

// all are all records of a side that are not excluded.
func (g *Groups) all(s tray.Side) *records {
	return g.records(s, func(row uint32) bool { return g.Keeps(s, row) })
}

// lone are the records of a side without a partner.
func (g *Groups) lone(s tray.Side) *records {
	return g.records(s, func(row uint32) bool { return g.Keeps(s, row) && g.alone(s, row) })
}

func (r *records) read(first int64, into []Row) int {
	record, before := r.find(first)
	for n := 0; n < len(into); record++ {
		if !r.wanted(record) {
			continue
		}
		if before >= first {
			into[n] = Row{None, None}
			into[n][r.side] = record
			n++
		}
		before++
	}
	return len(into)
}

// pairs are the left records with each of their partners and, where they are wanted, those without one.
type pairs struct {
	blocks
	groups *Groups
	lone   bool
}

func (g *Groups) pairs(lone bool) *pairs {
	p := &pairs{groups: g, lone: lone}
	p.blocks = countBlocks(len(g.index.Sides[tray.Left].Keys), p.weight)
	return p
}

func (p *pairs) weight(row uint32) int64 {
	n := int64(p.groups.partners(tray.Left, row))
	if n == 0 && p.lone && p.groups.Keeps(tray.Left, row) {
		return 1
	}
	return n
}

func (p *pairs) read(first int64, into []Row) int {
	record, before := p.find(first)
	for n := 0; n < len(into); record++ {
		weight := p.weight(record)
		if before+weight <= first {
			before += weight
			continue
		}
		partners := p.groups.Partners(tray.Left, record)
		skip := max(first-before, 0)
		before += weight
		if len(partners) == 0 {
			if weight > 0 {
				into[n] = Row{record, None}
				n++
			}
			continue
		}
		for _, right := range partners[skip:] {
			if n == len(into) {
				break
			}
			into[n] = Row{record, right}
			n++
		}
	}
	return len(into)
}

// cross is every left record with every right one.
type cross struct{ sides [2]*records }

func (c *cross) len() int64 { return product(c.sides[0].len(), c.sides[1].len()) }

func (c *cross) read(first int64, into []Row) int {
	width := c.sides[1].len()
	var left [1]Row
	for n := 0; n < len(into); {
		at := first + int64(n)
		c.sides[0].read(at/width, left[:])
		line := into[n : n+int(min(int64(len(into)-n), width-at%width))]
		c.sides[1].read(at%width, line)
		for i := range line {
			line[i][tray.Left] = left[0][tray.Left]
		}
		n += len(line)
	}
	return len(into)
}

// sideBySide is the records of both sides by their place. Where one side is shorter, the other's go on alone.
type sideBySide struct{ sides [2]*records }

func (b *sideBySide) len() int64 { return max(b.sides[0].len(), b.sides[1].len()) }

func (b *sideBySide) read(first int64, into []Row) int {
	for i := range into {
		into[i] = Row{None, None}
	}
	rows := make([]Row, len(into))
	for _, s := range tray.Sides {
		if n := min(b.sides[s].len()-first, int64(len(into))); n > 0 {
			b.sides[s].read(first, rows[:n])
			for i := range n {
				into[i][s] = rows[i][s]
			}
		}
	}
	return len(into)
}
