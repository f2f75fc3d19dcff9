// Package sieve holds the definition of a comparison: two record sets, what makes two of their records the same, and
// which fields must agree.
//
// A [Definition] is what people write, store and exchange; it names columns. [Definition.Compile] holds it against the
// columns of two record sets and gives a [Plan], in which everything is resolved and ready for the match. Whatever is
// wrong is an [Error] that says where in the definition it stands and how to mend it.
package sieve

import (
	"fmt"
	"strings"

	"twinsieve/core/reading"
)

// Definition is a sieve.
type Definition struct {
	Name    string    `json:"name" yaml:"sieve"`
	Left    string    `json:"left" yaml:"left"`                                                                                   // name of the left record set
	Right   string    `json:"right" yaml:"right"`                                                                                 // name of the right record set
	Where   Where     `json:"where,omitzero" yaml:"where,omitempty"`                                                              // which records take part; the others are excluded
	Key     []KeyPart `json:"key" yaml:"key"`                                                                                     // one part or more
	Compare []Field   `json:"compare,omitempty" yaml:"compare,omitempty"`                                                         // none: records match on the key only
	Amounts []Amount  `json:"amounts,omitempty" yaml:"amounts,omitempty"`                                                         // balanced; none: every field compared as decimal
	Repeats string    `json:"repeats,omitempty" yaml:"repeats,omitempty" enum:"pair,totals,refuse-left,refuse-right,refuse-both"` // empty: pair

	Currency *Currency `json:"currency,omitempty" yaml:"currency,omitempty"` // in which the amounts are; nil: one for all

	Carry bool `json:"carry,omitempty" yaml:"carry,omitempty"` // a run takes in the records of earlier runs' exceptions that are not settled and not in its snapshots

	Lookups []reading.List `json:"lookups,omitempty" yaml:"lookups,omitempty"` // that readings name
}

// Where is a row filter for each side: an expression of package expression that says which records take part. Empty: all.
type Where struct {
	Left  string `json:"left,omitempty" yaml:"left,omitempty"`
	Right string `json:"right,omitempty" yaml:"right,omitempty"`
}

// SideNames are what people call the records of each side: by the name of their set, and where both sides are one set, by the side, too.
func (d Definition) SideNames() [2]string {
	if d.Left == d.Right && d.Left != "" {
		return [2]string{d.Left + " (left)", d.Right + " (right)"}
	}
	return [2]string{d.Left, d.Right}
}

// Columns is a pair of columns, one of each side. An empty Right means that the column is named alike on both sides.
type Columns struct {
	Left  string `json:"left" yaml:"left"`
	Right string `json:"right,omitempty" yaml:"right,omitempty"`
}

// On returns the column names on the left and on the right.
func (c Columns) On() (left, right string) {
	if c.Right == "" {
		return c.Left, c.Left
	}
	return c.Left, c.Right
}

// String writes the pair as "left = right", or as one name where both are alike.
func (c Columns) String() string {
	if l, r := c.On(); l != r {
		return l + " = " + r
	}
	return c.Left
}

// KeyPart is a pair of columns whose values must be equal, after their readings, in records that are the same.
type KeyPart struct {
	Columns  `yaml:",inline"`
	Readings []reading.Reading `json:"readings,omitempty" yaml:"readings,omitempty"`
	Blanks   string            `json:"blanks,omitempty" yaml:"blanks,omitempty"` // "equal": blanks equal each other; else a blank leaves the record unkeyed

	OrText bool `json:"-" yaml:"-"` // a value that cannot be read is compared as its text; for whole records, which nobody saves
}

// Field is a pair of columns that must agree in records that are paired.
type Field struct {
	Columns  `yaml:",inline"`
	Readings []reading.Reading `json:"readings,omitempty" yaml:"readings,omitempty"`
	As       string            `json:"as,omitempty" yaml:"as,omitempty"`           // text (when empty), decimal, date, time, boolean or similar
	Within   string            `json:"within,omitempty" yaml:"within,omitempty"`   // tolerance: "0.05", "2%" or "0.05 or 2%" of decimals, "1" of dates in days, "15 min" of times
	AtLeast  string            `json:"atLeast,omitempty" yaml:"atLeast,omitempty"` // of similar texts, the part that is alike: "0.9"
}

// Amount is a pair of columns whose totals the balance accounts for.
type Amount struct {
	Columns  `yaml:",inline"`
	Readings []reading.Reading `json:"readings,omitempty" yaml:"readings,omitempty"`
}

// Currency is a pair of columns that say in which currency a record's amounts are. Each currency is balanced apart. It says nothing
// about which records agree; that is for a compared field, or for the key.
type Currency struct {
	Columns  `yaml:",inline"`
	Readings []reading.Reading `json:"readings,omitempty" yaml:"readings,omitempty"`
}

// Error is something wrong in a definition.
type Error struct {
	Where string // path into the definition, such as "key[0].right"
	What  string // what is wrong, and how to mend it
}

// Error implements error.
func (e *Error) Error() string { return e.Where + ": " + e.What }

func wrong(where, format string, args ...any) *Error {
	return &Error{Where: where, What: fmt.Sprintf(format, args...)}
}

// Swapped returns the definition with its sides exchanged.
func (d Definition) Swapped() Definition {
	d.Left, d.Right = d.Right, d.Left
	d.Where.Left, d.Where.Right = d.Where.Right, d.Where.Left
	switch d.Repeats {
	case RefuseLeft.String():
		d.Repeats = RefuseRight.String()
	case RefuseRight.String():
		d.Repeats = RefuseLeft.String()
	}
	swap := func(c Columns, readings []reading.Reading) (Columns, []reading.Reading) {
		l, r := c.On()
		var turned []reading.Reading
		for _, r := range readings {
			if r.Side != nil {
				other := r.Side.Other()
				r.Side = &other
			}
			turned = append(turned, r)
		}
		return Columns{Left: r, Right: l}, turned
	}
	key := make([]KeyPart, len(d.Key))
	for i, k := range d.Key {
		k.Columns, k.Readings = swap(k.Columns, k.Readings)
		key[i] = k
	}
	compare := make([]Field, len(d.Compare))
	for i, f := range d.Compare {
		f.Columns, f.Readings = swap(f.Columns, f.Readings)
		compare[i] = f
	}
	amounts := make([]Amount, len(d.Amounts))
	for i, a := range d.Amounts {
		a.Columns, a.Readings = swap(a.Columns, a.Readings)
		amounts[i] = a
	}
	d.Key, d.Compare, d.Amounts = key, compare, amounts
	if d.Currency != nil {
		currency := *d.Currency
		currency.Columns, currency.Readings = swap(currency.Columns, currency.Readings)
		d.Currency = &currency
	}
	return d
}

// KeyNames are the key's columns in words, such as "call_no = Voyage Call, service_date = Invoiced On".
func (d Definition) KeyNames() string {
	var names []string
	for _, k := range d.Key {
		names = append(names, k.Columns.String())
	}
	return strings.Join(names, ", ")
}
