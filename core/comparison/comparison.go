// Package comparison says how many rows each way of combining two sides gives. The counts are read from a match
// index's totals; no row is produced to be counted.
package comparison

import (
	"twinsieve/core/match"
	"twinsieve/core/tray"
)

// Name is the identifier of a comparison.
type Name string

// The keyed comparisons. Records that are unkeyed take part as records without a partner; excluded records do not.
const (
	Full      Name = "full"
	Inner     Name = "inner"
	Left      Name = "left"
	Right     Name = "right"
	LeftSemi  Name = "left-semi"
	RightSemi Name = "right-semi"
	LeftAnti  Name = "left-anti"
	RightAnti Name = "right-anti"
	FullAnti  Name = "full-anti"
	Cross     Name = "cross"
)

// Count is the exact number of rows of one comparison.
type Count struct {
	Comparison Name   `json:"comparison"`
	Rows       int64  `json:"rows"`
	Says       string `json:"says"` // what it keeps, in a few words
}

// Counts returns the rows of every comparison, in the order in which they are shown.
func Counts(t *match.Totals) []Count {
	var anti, kept [2]int64
	for _, s := range tray.Sides {
		kept[s] = t.Records[s] - t.Trays[s][tray.Excluded]
		anti[s] = kept[s] - t.Semi[s]
	}
	return []Count{
		{Full, t.Product + anti[0] + anti[1], "all of both"},
		{Inner, t.Product, "only what pairs"},
		{Left, t.Product + anti[0], "all of the left"},
		{Right, t.Product + anti[1], "all of the right"},
		{LeftSemi, t.Semi[0], "left with a partner"},
		{RightSemi, t.Semi[1], "right with a partner"},
		{LeftAnti, anti[0], "left without a partner"},
		{RightAnti, anti[1], "right without a partner"},
		{FullAnti, anti[0] + anti[1], "all without a partner"},
		{Cross, product(kept[0], kept[1]), "every left with every right"},
	}
}

// product is l·r, or the greatest number there is where that is larger.
func product(l, r int64) int64 {
	const most = 1<<63 - 1
	if l != 0 && r > most/l {
		return most
	}
	return l * r
}

// Relation says how many records of one side carry a key of the other.
type Relation string

// The relations between two sides, judged by the keys that both have.
const (
	OneToOne   Relation = "one to one"
	OneToMany  Relation = "one to many"
	ManyToOne  Relation = "many to one"
	ManyToMany Relation = "many to many"
)

// RelationOf returns the relation that the totals show.
func RelationOf(t *match.Totals) Relation { return Related(t.Most) }

// Related returns the relation of sides of which so many records at most have one key that both sides have.
func Related(most [2]int64) Relation {
	switch many := [2]bool{most[0] > 1, most[1] > 1}; many {
	case [2]bool{false, true}:
		return OneToMany
	case [2]bool{true, false}:
		return ManyToOne
	case [2]bool{true, true}:
		return ManyToMany
	}
	return OneToOne
}
