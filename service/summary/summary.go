// Package summary says what a match found: in one sentence, in counts, and in the balance. The command line, the
// interface and the console show the same summary.
package summary

import (
	"fmt"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"twinsieve/core/balance"
	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Summary is what a match found. Arrays of two are left and right.
type Summary struct {
	Verdict     string              `json:"verdict"`
	Exceptions  int64               `json:"exceptions"` // differing pairs, records that are missing, orphaned, surplus or unkeyed, and rejects
	Rejects     [2]int64            `json:"rejects"`    // lines of the sources that are no records
	Accounted   bool                `json:"accounted"`  // the balance closes: every record and amount is accounted for
	Records     [2]int64            `json:"records"`
	Trays       []Tray              `json:"trays"`
	Comparisons []comparison.Count  `json:"comparisons"`
	Relation    comparison.Relation `json:"relation"`
	Keys        Keys                `json:"keys"`
	Undecided   [2]int64            `json:"undecided"` // excluded records for which the filter could not be decided
	Crosswalk   Crosswalk           `json:"crosswalk"` // what was accepted as the same
	Unkeyed     [2][]PartCauses     `json:"unkeyed"`   // by key part
	Values      [2][]PartCauses     `json:"values"`    // by compared field
	Balance     []balance.Amount    `json:"balance"`
	Mixed       string              `json:"mixed,omitempty"` // a warning of matched pairs, or groups, whose records are not all of one currency; empty: there are none
	Spilled     int64               `json:"spilled"`         // bytes that went to temporary files
}

// Tray is one tray's number of records on each side.
type Tray struct {
	Tray    tray.Tray `json:"tray"`
	Records [2]int64  `json:"records"`
	Entries int64     `json:"entries"` // lines of the report: a pair is one
}

// Crosswalk says which crosswalk a match used, and what of it.
type Crosswalk struct {
	Version   int `json:"version"`   // 0: none
	Hand      int `json:"hand"`      // pairings by hand that were found
	Stale     int `json:"stale"`     // equivalences that say nothing any more
	StaleHand int `json:"staleHand"` // pairings by hand whose records are not there, or have found partners
}

// Keys says how often keys repeat.
type Keys struct {
	All      int64    `json:"all"`
	Shared   int64    `json:"shared"`   // on both sides
	Repeated [2]int64 `json:"repeated"` // carried by more than one record of the side
	InOrder  int64    `json:"inOrder"`  // with so many possible pairs that records were paired in content order
}

// PartCauses counts the blank, emptied and unreadable values of a pair of columns.
type PartCauses struct {
	Name string `json:"name"`
	match.Causes
}

// Of sums up a match of two sides whose sources had so many rejects.
func Of(plan *sieve.Plan, index *match.Index, rejects [2]int64) *Summary {
	b := balance.Of(plan, index)
	t := &index.Totals
	s := &Summary{
		Accounted:   b.Holds(),
		Exceptions:  rejects[0] + rejects[1],
		Rejects:     rejects,
		Records:     t.Records,
		Comparisons: comparison.Counts(t),
		Relation:    comparison.RelationOf(t),
		Keys:        Keys{t.Keys, t.Shared, t.Repeated, t.InOrder},
		Balance:     b.Amounts,
		Mixed:       mixed(t.Mixed),
		Spilled:     index.Spilled,
		Undecided:   t.Undecided,
		Crosswalk:   Crosswalk{t.Crosswalk, len(index.Hand), t.Stale, t.StaleHand},
	}
	for _, at := range tray.All {
		line := Tray{Tray: at, Records: [2]int64{t.Trays[0][at], t.Trays[1][at]}}
		if line.Entries = line.Records[0] + line.Records[1]; at.Paired() {
			line.Entries = t.Pairs[at]
		}
		if at.Exception() {
			s.Exceptions += line.Entries
		}
		s.Trays = append(s.Trays, line)
	}
	for _, side := range tray.Sides {
		s.Unkeyed[side], s.Values[side] = []PartCauses{}, []PartCauses{}
		for i, c := range t.Unkeyed[side] {
			s.Unkeyed[side] = append(s.Unkeyed[side], PartCauses{plan.Definition.Key[i].Columns.String(), c})
		}
		for _, f := range plan.Fields {
			s.Values[side] = append(s.Values[side], PartCauses{f.Name, t.Values[side][f.Value]})
		}
	}
	s.Verdict = verdict(&plan.Definition, s)
	return s
}

// Tray returns the summary's line of a tray. That of [tray.Reject] has no records: its entries are the rejects of both sides.
func (s *Summary) Tray(at tray.Tray) Tray {
	if at == tray.Reject {
		return Tray{Tray: at, Entries: s.Rejects[0] + s.Rejects[1]}
	}
	return s.Trays[at]
}

// mixed warns of matched pairs whose records are of two currencies, where the amounts of one are held against those of another.
func mixed(n int64) string {
	if n == 0 {
		return ""
	}
	matched := "pairs or groups have matched although their"
	if n == 1 {
		matched = "pair or group has matched although its"
	}
	return Number(n) + " " + matched + " records are of more than one currency, as the sieve reads them: give the currency readings that make the same ones alike, and compare it, too, or make it a part of the key."
}

var numbers = message.NewPrinter(language.English)

// Number writes a count with its thousands apart.
func Number(n int64) string { return numbers.Sprintf("%d", n) }

// Count writes a count of things: "1 record", "1,204 records".
func Count(n int64, thing string) string {
	if y, ok := strings.CutSuffix(thing, "y"); n != 1 && ok {
		thing = y + "ies"
	} else if n != 1 {
		thing += "s"
	}
	return Number(n) + " " + thing
}

func verdict(d *sieve.Definition, s *Summary) string {
	names := d.SideNames()
	agree := "agree with a record of " + names[1]
	if len(d.Compare) == 0 {
		agree = "have a record of " + names[1] + " with their key"
	}
	matched, all := s.Trays[tray.Matched].Records[0], s.Records
	for side := range all { // those that a filter leaves out are not asked for
		all[side] -= s.Trays[tray.Excluded].Records[side]
	}
	records := names[0] + " records"
	if all != s.Records {
		records += " that take part"
	}
	first := fmt.Sprintf("%s of %s %s %s.", Number(matched), Number(all[0]), records, agree)
	if matched == all[0] && matched == all[1] && matched > 0 {
		first = fmt.Sprintf("All %s %s %s.", Number(matched), records, agree)
	}
	if d.Repeats == sieve.Totals.String() {
		first = strings.Replace(first, " agree with a record of ", " agree, by the totals of their keys, with ", 1)
	}
	if s.Exceptions == 0 {
		return first + " Nothing needs a person."
	}
	var parts []string
	for _, t := range s.Trays {
		if t.Tray.Exception() && t.Entries > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", Number(t.Entries), t.Tray))
		}
	}
	if n := s.Rejects[0] + s.Rejects[1]; n > 0 {
		parts = append(parts, Count(n, "reject"))
	}
	needs := "exceptions need"
	if s.Exceptions == 1 {
		needs = "exception needs"
	}
	return fmt.Sprintf("%s %s %s a person: %s.", first, Number(s.Exceptions), needs, strings.Join(parts, ", "))
}
