// Package balance proves that nothing was lost: that each side's records are the sum of its trays, and that each
// amount's left total leads to its right total by way of the trays, to the last digit. Amounts of two currencies are never added:
// each currency has a balance of its own.
//
// Totals and trays are summed apart while a match is built, so that the proof can fail.
package balance

import (
	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/match"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Balance is the proof for one match.
type Balance struct {
	Records [2]Records `json:"records"` // by side
	Amounts []Amount   `json:"amounts"`
}

// Label is the amount's name, with its currency where the sieve has a column of them: "amount_due in crowns".
func (a *Amount) Label() string {
	switch {
	case a.Currency == nil:
		return a.Name
	case *a.Currency == "":
		return a.Name + " without a currency"
	}
	return a.Name + " in " + *a.Currency
}

// Records accounts for one side's records.
type Records struct {
	All    int64             `json:"all"`
	Trays  [tray.Count]int64 `json:"trays"`
	Closes bool              `json:"closes"`
}

// Amount accounts for one amount. All numbers are exact decimals in plain form.
type Amount struct {
	Name       string                `json:"name"`
	Currency   *string               `json:"currency,omitempty" nullable:"false"` // nil: the sieve has no column of currencies; "": amounts whose currency is blank or unreadable
	Left       string                `json:"left"`                                // total of the left side
	Right      string                `json:"right"`                               // total of the right side
	Difference string                `json:"difference"`                          // right less left
	Carried    [2]string             `json:"carried,omitzero"`                    // of the totals, what is carried from earlier runs; empty: nothing is
	Trays      [2][tray.Count]string `json:"trays"`                               // total of each tray, by side
	Steps      []Step                `json:"steps"`                               // from the left total to the right total
	Closes     bool                  `json:"closes"`
	Blank      [2]int64              `json:"blank"`      // blank amounts, which count as zero
	Unreadable [2]int64              `json:"unreadable"` // amounts that could not be read, and are in no total
	Listed     [2][]uint32           `json:"listed"`     // the first records whose amount is unreadable
}

// Step is one step of the way from the left total to the right total.
type Step struct {
	Tray   tray.Tray `json:"tray"`
	Side   string    `json:"side"` // "left" or "right"; "both" for paired records, whose step is right minus left
	Change string    `json:"change"`
}

// Holds reports whether everything closes.
func (b *Balance) Holds() bool {
	for _, r := range b.Records {
		if !r.Closes {
			return false
		}
	}
	for _, a := range b.Amounts {
		if !a.Closes {
			return false
		}
	}
	return true
}

// Of draws up the balance of a match.
func Of(plan *sieve.Plan, index *match.Index) *Balance {
	b := &Balance{Amounts: []Amount{}}
	for _, s := range tray.Sides {
		r := Records{All: index.Totals.Records[s], Trays: index.Totals.Trays[s]}
		rest := r.All
		for _, n := range r.Trays {
			rest -= n
		}
		r.Closes = rest == 0
		b.Records[s] = r
	}
	for i := range index.Amounts {
		sums := &index.Amounts[i]
		a := amount(plan.Amounts[sums.Amount].Name, sums)
		if plan.Currency >= 0 {
			a.Currency = &sums.Currency
		}
		b.Amounts = append(b.Amounts, a)
	}
	return b
}

func amount(name string, sums *match.AmountSums) Amount {
	a := Amount{Name: name}
	var all [2]decimal.Decimal
	var trays [2][tray.Count]decimal.Decimal
	for _, s := range tray.Sides {
		side := &sums.Sides[s]
		all[s] = side.All.Total()
		if carried := side.Carried.Total(); !carried.IsZero() {
			a.Carried[s] = exact.Text(carried)
		}
		for t := range side.Trays {
			trays[s][t] = side.Trays[t].Total()
			a.Trays[s][t] = exact.Text(trays[s][t])
		}
		a.Blank[s], a.Unreadable[s] = side.Blank, side.Unreadable
		a.Listed[s] = append([]uint32{}, side.Listed...)
	}
	a.Left, a.Right, a.Difference = exact.Text(all[0]), exact.Text(all[1]), exact.Text(all[1].Sub(all[0]))
	at := all[0]
	step := func(t tray.Tray, side string, change decimal.Decimal) {
		at = at.Add(change)
		a.Steps = append(a.Steps, Step{t, side, exact.Text(change)})
	}
	for _, t := range []tray.Tray{tray.Excluded, tray.Unkeyed, tray.Missing, tray.Surplus} {
		step(t, "left", trays[0][t].Neg())
	}
	for _, t := range []tray.Tray{tray.Matched, tray.Differing} {
		step(t, "both", trays[1][t].Sub(trays[0][t]))
	}
	for _, t := range []tray.Tray{tray.Orphaned, tray.Surplus, tray.Unkeyed, tray.Excluded} {
		step(t, "right", trays[1][t])
	}
	a.Closes = at.Equal(all[1])
	return a
}
