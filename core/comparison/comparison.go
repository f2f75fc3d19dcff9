// Package comparison combines the two sides of a match in every way that people ask for: what pairs, all of one side, all of
// both, what has a partner or none, everything with everything, side by side, whole-record set logic, and the two sides kept
// apart.
//
// All of it is read from a match index. [Counts] says from an index's totals how many rows each comparison has, and no row is
// produced for it. [Rows] are a comparison's rows in default order, none of which exists before it is asked for: any of them
// is found in a time that does not depend on its number, and the memory is the index's. What a row shows is said by [Column]s
// and fetched by [Fetch].
//
// Records that are excluded are in no comparison. Records that are unkeyed have no partner. Trays are about records, and
// pair them one to one; comparisons follow SQL: a key with two records on the left and three on the right gives six pairs.
//
// Set logic compares whole records over aligned columns. It is the same kind of reading of another index: one whose key are
// all those columns, each read by its type, with blanks equal ([Alignment]).
//
// Default order is left input order, partners in right input order, then right records without a partner in right input order.
package comparison

import (
	"fmt"

	"twinsieve/core/similar"
	"twinsieve/core/tray"
)

// Name is the identifier of a comparison.
type Name string

// The comparisons.
const (
	Full       Name = "full"        // all of both
	Inner      Name = "inner"       // only what pairs
	Left       Name = "left"        // all of the left
	Right      Name = "right"       // all of the right
	LeftSemi   Name = "left-semi"   // left with a partner
	RightSemi  Name = "right-semi"  // right with a partner
	LeftAnti   Name = "left-anti"   // left without a partner
	RightAnti  Name = "right-anti"  // right without a partner
	FullAnti   Name = "full-anti"   // all without a partner
	Separate   Name = "separate"    // two tables, which stay apart
	Cross      Name = "cross"       // every left with every right
	ByPosition Name = "by-position" // side by side, without a key

	Union        Name = "union"
	UnionAll     Name = "union-all"
	Intersect    Name = "intersect"
	IntersectAll Name = "intersect-all"
	Except       Name = "except"
	ExceptAll    Name = "except-all"
)

// Kept says which part of each side a [Separate] comparison keeps.
type Kept string

// What can be kept apart.
const (
	KeepLeft  Kept = "left"  // all of the left, and the right records with a partner
	KeepRight Kept = "right" // the left records with a partner, and all of the right
	KeepInner Kept = "inner" // the records with a partner
	KeepFull  Kept = "full"  // all of both
)

var says = map[Name]string{
	Full: "all of both", Inner: "only what pairs", Left: "all of the left", Right: "all of the right",
	LeftSemi: "left with a partner", RightSemi: "right with a partner", LeftAnti: "left without a partner", RightAnti: "right without a partner",
	FullAnti: "all without a partner", Separate: "two tables, kept apart", Cross: "every left with every right", ByPosition: "side by side, without a key",
	Union: "whole records of either, once", UnionAll: "all of both, one under the other",
	Intersect: "whole records in both, once", IntersectAll: "whole records in both, as often",
	Except: "whole left records not on the right", ExceptAll: "whole left records less right ones",
}

// Keyed are the comparisons that follow keys and give one table, in the order in which they are shown.
var Keyed = []Name{Full, Inner, Left, Right, LeftSemi, RightSemi, LeftAnti, RightAnti, FullAnti}

// Whole are the comparisons of whole records, in the order in which they are shown.
var Whole = []Name{Union, UnionAll, Intersect, IntersectAll, Except, ExceptAll}

// All are all comparisons, in the order in which they are shown.
var All = append(append(append([]Name{}, Keyed...), Separate, Cross, ByPosition), Whole...)

// Parse returns the comparison with an identifier.
func Parse(name string) (Name, error) {
	if _, ok := says[Name(name)]; ok {
		return Name(name), nil
	}
	var names []string
	for _, n := range All {
		names = append(names, string(n))
	}
	return "", fmt.Errorf("there is no comparison %q%s", name, similar.Choice(name, names, "Comparisons"))
}

// Says tells in a few words what the comparison keeps.
func (n Name) Says() string { return says[n] }

// IsWhole reports whether the comparison is of whole records.
func (n Name) IsWhole() bool {
	switch n {
	case Union, UnionAll, Intersect, IntersectAll, Except, ExceptAll:
		return true
	}
	return false
}

// Distinct reports whether records that are equal as a whole are one row, or rows that are written alike.
func (n Name) Distinct() bool { return n.IsWhole() && n != UnionAll }

// Yields reports whether the comparison shows records of a side. Rows of set logic have columns of both sides at once, but what is
// left over of the left is of the left alone.
func (n Name) Yields(s tray.Side) bool {
	switch n {
	case LeftSemi, LeftAnti, Except, ExceptAll:
		return s == tray.Left
	case RightSemi, RightAnti:
		return s == tray.Right
	}
	return true
}

// Lonely reports whether rows may lack a record of one side.
func (n Name) Lonely() bool {
	switch n {
	case Full, Left, Right, FullAnti, ByPosition:
		return true
	}
	return false
}

// Swapped is the comparison that keeps the same when the sides are exchanged. Those of set logic stay as they are: except is
// always the left less the right.
func (n Name) Swapped() Name {
	switch n {
	case Left:
		return Right
	case Right:
		return Left
	case LeftSemi:
		return RightSemi
	case RightSemi:
		return LeftSemi
	case LeftAnti:
		return RightAnti
	case RightAnti:
		return LeftAnti
	}
	return n
}

// ParseKept returns what a separate comparison keeps; full where nothing is said.
func ParseKept(text string) (Kept, error) {
	switch k := Kept(text); k {
	case "":
		return KeepFull, nil
	case KeepLeft, KeepRight, KeepInner, KeepFull:
		return k, nil
	}
	return "", fmt.Errorf("%q cannot be kept apart; write left, right, inner or full", text)
}

// all reports whether all records of a side are kept, and not only those with a partner.
func (k Kept) all(s tray.Side) bool {
	return k == KeepFull || k == KeepLeft && s == tray.Left || k == KeepRight && s == tray.Right
}
