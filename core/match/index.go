package match

import (
	"slices"

	"twinsieve/core/exact"
	"twinsieve/core/largepages"
	"twinsieve/core/tray"
)

// None stands for "no record" and "no key" where a number is expected.
const None = ^uint32(0)

// Index is the answer to every question about a match: for each key, which left and which right records carry it, where
// each record ends up, and the sums over all of them.
type Index struct {
	Sides   [2]Side
	Totals  Totals
	Amounts []AmountSums // by amount of the plan, and by currency where the plan has one
	Hand    []Hand       // records that were paired by hand
	Spilled int64        // bytes that went to temporary files

	Rechecked [2]int64 // records of each side that were evaluated a second time, with the same result
}

// Side is the index of one side's records, by record number.
type Side struct {
	Trays    []tray.Tray
	Partners []uint32 // record of the other side that the record is paired with, or None; of a group that is compared by its totals, its first record of each side has the other's
	Keys     []uint32 // number of the record's key, or None for unkeyed and excluded records; nil where it was not wanted
}

// Totals are the sums from which all counts are read. Arrays of two are by side.
type Totals struct {
	Records   [2]int64             `json:"records"`
	Trays     [2][tray.Count]int64 `json:"trays"`
	Pairs     [tray.Count]int64    `json:"pairs"`     // matched and differing pairs, or groups where totals are compared
	Undecided [2]int64             `json:"undecided"` // excluded records for which the filter could not be decided
	Crosswalk int                  `json:"crosswalk"` // version of the crosswalk that was used; 0: none
	Stale     int                  `json:"stale"`     // of its equivalences, those that say nothing any more
	StaleHand int                  `json:"staleHand"` // of its pairings by hand, those whose records are not there, or have found partners
	Keys      int64                `json:"keys"`      // different keys on either side
	Shared    int64                `json:"shared"`    // different keys on both sides
	Product   int64                `json:"product"`   // Σ l·r over all keys
	Semi      [2]int64             `json:"semi"`      // records whose key is on the other side
	Repeated  [2]int64             `json:"repeated"`  // different keys that more than one record of the side carries
	Most      [2]int64             `json:"most"`      // the most records of the side that carry one key that is on both sides
	InOrder   int64                `json:"inOrder"`   // keys with so many possible pairs that they were paired in content order
	Mixed     int64                `json:"mixed"`     // matched pairs, or groups, whose records are not all of one currency
	Unkeyed   [2][]Causes          `json:"unkeyed"`   // by key part; a record counts under its first part that fails
	Parts     [2][]Causes          `json:"parts"`     // by key part, over all records that are not excluded
	Values    [2][]Causes          `json:"values"`    // by value that is compared or balanced, over records that are not excluded
}

// Bytes is about how much memory the index holds.
func (x *Index) Bytes() (n int64) {
	for s := range x.Sides {
		n += int64(len(x.Sides[s].Trays))*5 + int64(len(x.Sides[s].Keys))*4
	}
	return n
}

// HandOf returns the pairing by hand that a record of side s is part of, or nil.
func (x *Index) HandOf(s tray.Side, row uint32) *Hand {
	for i := range x.Hand {
		if slices.Contains(x.Hand[i].Rows[s], row) {
			return &x.Hand[i]
		}
	}
	return nil
}

// Causes counts how the values of a column came out of their readings.
type Causes struct {
	Read       int64 `json:"read"`       // gave a text
	Blank      int64 `json:"blank"`      // came blank
	Emptied    int64 `json:"emptied"`    // blank only after its readings
	Unreadable int64 `json:"unreadable"` // not readable as stated; of whole records, compared as their text
}

func (c *Causes) add(o Causes) {
	c.Read += o.Read
	c.Blank += o.Blank
	c.Emptied += o.Emptied
	c.Unreadable += o.Unreadable
}

// MostListed is how many unreadable amounts of a side are listed by record number.
const MostListed = 100

// AmountSums are the sums of one amount in one currency. A blank amount counts as zero.
type AmountSums struct {
	Amount   int    // of the plan
	Currency string // "": that of amounts whose currency is blank or unreadable, or of all where the plan has no currency
	Sides    [2]SideSums
}

// SideSums are one side's sums of an amount.
type SideSums struct {
	All        exact.Sum             // over all records, summed apart from the trays
	Trays      [tray.Count]exact.Sum // over each tray's records
	Carried    exact.Sum             // over those of all that are carried from earlier runs
	Blank      int64
	Unreadable int64
	Listed     []uint32 // the first records whose amount is unreadable
}

func newSide(records int64, keys bool) Side {
	s := Side{Trays: make([]tray.Tray, records), Partners: numbers(records)}
	largepages.Advise(s.Trays)
	if keys {
		s.Keys = numbers(records)
	}
	return s
}

// numbers are so many numbers that are none yet.
func numbers(records int64) []uint32 {
	list := make([]uint32, records)
	largepages.Advise(list)
	return fill(list, None)
}

// put says in which tray the record belongs, and which key it has.
func (s *Side) put(row uint32, at tray.Tray, key uint32) {
	s.Trays[row] = at
	s.putKey(row, key)
}

func (s *Side) putKey(row, key uint32) {
	if s.Keys != nil {
		s.Keys[row] = key
	}
}

func fill(s []uint32, v uint32) []uint32 {
	for i := range s {
		s[i] = v
	}
	return s
}
