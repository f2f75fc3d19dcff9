package comparison

import (
	"math"

	"twinsieve/core/match"
	"twinsieve/core/tray"
)

// Count is the exact number of rows of one comparison, and what becomes of the records.
type Count struct {
	Comparison Name   `json:"comparison"`
	Rows       int64  `json:"rows"`
	Says       string `json:"says"` // what it keeps, in a few words

	// By side, left first. Records that are excluded are not counted.
	Dropped  [2]int64 `json:"dropped"`  // records that are in no row and that no row stands for, of a side that it shows
	Repeated [2]int64 `json:"repeated"` // rows in which a record stands again that is in an earlier row already
}

// Multiplies reports whether some record is in several rows.
func (c *Count) Multiplies() bool { return c.Repeated != [2]int64{} }

// figures are what counts are made from.
type figures struct {
	kept, semi, anti [2]int64 // records of a side that are not excluded; of these, with and without a partner
	product          int64    // Σ l·r over all keys
}

func figuresOf(t *match.Totals) figures {
	f := figures{semi: t.Semi, product: t.Product}
	for _, s := range tray.Sides {
		f.kept[s] = t.Records[s] - t.Trays[s][tray.Excluded]
		f.anti[s] = f.kept[s] - t.Semi[s]
	}
	return f
}

// Counts returns the rows of every comparison that needs no other index than the keys', in the order in which they are shown.
// Those of [ByPosition] are as many as the longer side has.
func Counts(t *match.Totals) []Count {
	f := figuresOf(t)
	pairs := [2]int64{f.product - f.semi[0], f.product - f.semi[1]} // rows in which a record stands again
	none := [2]int64{}
	count := func(n Name, rows int64, dropped, repeated [2]int64) Count {
		return Count{n, rows, n.Says(), dropped, repeated}
	}
	cross := product(f.kept[0], f.kept[1])
	again := [2]int64{max(0, cross-f.kept[0]), max(0, cross-f.kept[1])}
	nothing := none // with an empty side there is no row, so nothing of the other is shown
	if cross == 0 {
		nothing, again = f.kept, none
	}
	return []Count{
		count(Full, f.product+f.anti[0]+f.anti[1], none, pairs),
		count(Inner, f.product, f.anti, pairs),
		count(Left, f.product+f.anti[0], [2]int64{0, f.anti[1]}, pairs),
		count(Right, f.product+f.anti[1], [2]int64{f.anti[0], 0}, pairs),
		count(LeftSemi, f.semi[0], [2]int64{f.anti[0], 0}, none),
		count(RightSemi, f.semi[1], [2]int64{0, f.anti[1]}, none),
		count(LeftAnti, f.anti[0], [2]int64{f.semi[0], 0}, none),
		count(RightAnti, f.anti[1], [2]int64{0, f.semi[1]}, none),
		count(FullAnti, f.anti[0]+f.anti[1], f.semi, none),
		count(Separate, f.kept[0]+f.kept[1], none, none),
		count(Cross, cross, nothing, again),
		count(ByPosition, max(f.kept[0], f.kept[1]), none, none),
	}
}

// CountOf returns the count of one of [Counts].
func CountOf(t *match.Totals, n Name) Count {
	for _, c := range Counts(t) {
		if c.Comparison == n {
			return c
		}
	}
	return Count{}
}

// product is l·r, or the greatest number there is where that is larger.
func product(l, r int64) int64 {
	if l != 0 && r > math.MaxInt64/l {
		return math.MaxInt64
	}
	return l * r
}

// WholeCounts returns the counts of every comparison of whole records, from the groups of an index over all aligned columns. It
// takes one pass over the keys.
func WholeCounts(g *Groups) []Count {
	var own [2]int64                             // different records of a side
	var shared, common, alone, over, keyed int64 // keys on both sides; Σ min(l, r); keys of the left only; Σ max(l-r, 0); keyed records of the left
	left, right := g.side(tray.Left), g.side(tray.Right)
	for k := range g.keys {
		l, r := int64(left.count(k)), int64(right.count(k))
		own[tray.Left] += min(l, 1)
		own[tray.Right] += min(r, 1)
		shared += min(l, r, 1)
		common += min(l, r)
		over += max(l-r, 0)
		keyed += l
		if r == 0 {
			alone++
		}
	}
	for s := range own {
		own[s] += g.kept[s] - int64(len(g.sides[s].rows)) // a record without a key is like no other
	}
	unlike := g.kept[tray.Left] - keyed
	count := func(n Name, rows, left, right int64) Count {
		return Count{Comparison: n, Rows: rows, Says: n.Says(), Dropped: [2]int64{left, right}}
	}
	l, r := g.kept[tray.Left], g.kept[tray.Right]
	return []Count{
		count(Union, own[0]+own[1]-shared, l-own[0], r-own[1]+shared),
		count(UnionAll, l+r, 0, 0),
		count(Intersect, shared, l-shared, r-shared),
		count(IntersectAll, common, l-common, r-common),
		count(Except, alone+unlike, l-alone-unlike, 0),
		count(ExceptAll, over+unlike, l-over-unlike, 0),
	}
}
