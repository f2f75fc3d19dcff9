package match

import (
	"cmp"
	"fmt"
	"slices"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// MostCurrencies is how many currencies a match balances apart.
const MostCurrencies = 500

// CurrencyError says that the column of currencies holds so many different values that it can hardly be one.
type CurrencyError struct {
	Column string // as the sieve names it
}

// Error implements error.
func (e *CurrencyError) Error() string {
	return fmt.Sprintf("the column of currencies, %s, holds more than %d different values; name the column that says in which currency an amount is, or give it readings such as upper-case or first", e.Column, MostCurrencies)
}

// purse is what a worker has summed of one currency: one for each amount of the plan.
type purse struct {
	currency string
	amounts  [][2]SideSums
}

// purses keep the sums of each currency apart.
type purses struct {
	column  int // which of the plan's values says the currency; -1: there is but one
	amounts int
	of      map[string]*purse
	last    *purse // most records follow one of their own currency
	over    bool   // there are more currencies than may be
}

func newPurses(plan *sieve.Plan) purses {
	p := purses{column: plan.Currency, amounts: len(plan.Amounts), of: map[string]*purse{}}
	if p.column < 0 {
		p.named(nil)
	}
	return p
}

// named returns the purse of a currency. A blank or unreadable one has the empty name.
func (p *purses) named(currency []byte) *purse {
	if p.last != nil && string(currency) == p.last.currency {
		return p.last
	}
	found := p.of[string(currency)]
	if found == nil {
		if len(p.of) == MostCurrencies {
			p.over = true
			return p.last
		}
		found = &purse{currency: string(currency), amounts: make([][2]SideSums, p.amounts)}
		p.of[found.currency] = found
	}
	p.last = found
	return found
}

// ofValue returns the purse of a record whose currency was read as v.
func (p *purses) ofValue(v reading.Value) *purse {
	if v.State != reading.Text {
		return p.named(nil)
	}
	return p.named(v.Text)
}

// ofRecord returns the purse of a record with the given values.
func (p *purses) ofRecord(values []reading.Value) *purse {
	if p.column < 0 {
		return p.last
	}
	return p.ofValue(values[p.column])
}

// sums are all that was summed, by amount and currency; amounts without a currency come last.
func (p *purses) sums() (list []AmountSums) {
	for _, one := range p.of {
		for a, sides := range one.amounts {
			list = append(list, AmountSums{Amount: a, Currency: one.currency, Sides: sides})
		}
	}
	slices.SortFunc(list, func(a, b AmountSums) int {
		if a.Currency == "" || b.Currency == "" {
			return cmp.Or(cmp.Compare(a.Amount, b.Amount), -cmp.Compare(a.Currency, b.Currency))
		}
		return cmp.Or(cmp.Compare(a.Amount, b.Amount), cmp.Compare(a.Currency, b.Currency))
	})
	return list
}

func (p *purses) merge(o *purses) {
	p.over = p.over || o.over
	for _, one := range o.of {
		mine := p.named([]byte(one.currency))
		if p.over {
			return
		}
		for a := range one.amounts {
			for _, s := range tray.Sides {
				mine.amounts[a][s].merge(&one.amounts[a][s])
			}
		}
	}
}

// tooMany ends the match, once all records have been read, where the column of currencies can hardly be one.
func (m *Matching) tooMany(tallies []*tally) error {
	seen := map[string]bool{}
	for _, t := range tallies {
		for name := range t.purses.of {
			seen[name] = true
		}
		if t.purses.over || len(seen) > MostCurrencies {
			return &CurrencyError{m.plan.Definition.Currency.Columns.String()}
		}
	}
	return nil
}

// currencySet tells whether records are all of one currency.
type currencySet struct {
	first *purse
	mixed bool
}

func (c *currencySet) add(p *purse) {
	if c.first == nil {
		c.first = p
	}
	c.mixed = c.mixed || p != c.first
}

// countMixed counts a pair or group that lies in a tray, where it has matched although its records are not all of one currency.
func (t *tally) countMixed(at tray.Tray, c currencySet) {
	if c.mixed && at == tray.Matched {
		t.Mixed++
	}
}

// countPair counts a matched pair of records with the given values where they are of different currencies.
func (t *tally) countPair(left, right []reading.Value) {
	if t.column >= 0 && t.ofRecord(left) != t.ofRecord(right) {
		t.Mixed++
	}
}
