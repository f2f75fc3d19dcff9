// Package advise proposes what makes two records the same: pairs of columns, ranked, and keys of one pair or several, each
// with its evidence.
//
// The evidence is in the values alone, never in the columns' names. A pair of columns is good when the values of each side
// are found on the other, as they come or with a few readings. A key is good when in addition it is unique on a side, and
// when the records that it brings together agree in other columns far more often than by chance: a row number is unique and
// found on the other side, and still pairs strangers. Numbers with a fraction are measured rather than named, and make worse
// keys than codes. Of two keys that are as good the smaller is proposed.
//
// Large sets are looked at through samples. They are taken by the values' hashes, the same on both sides, so that a value is
// in the sample of both or of none, and shares are not distorted; Advice says when that was so.
package advise

import (
	"cmp"
	"context"
	"slices"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// How much is looked at, and proposed.
const (
	MostRecords = 1_500_000 // of a side, unless the options say otherwise
	MostPairs   = 20        // pairs of columns in an advice
	MostKeys    = 5         // keys in an advice
	mostParts   = 4         // pairs of columns in a key
	candidates  = 9         // pairs of columns that keys are made of
	search      = 20_000    // different keys that a key is judged by while others are looked for
)

// Advice is what is proposed for two record sets.
type Advice struct {
	Records [2]int64 // of each side
	Looked  [2]int64 // of these, how many were looked at
	Columns [2][]Column
	Pairs   []Pair // the best first
	Keys    []Key  // the best first
}

// Column is what a column's values are like.
type Column struct {
	Name     string
	Type     string   // as which they read
	Layouts  []string // of dates that can be read in several ways, all of them; the type's is proposed
	Blank    int64
	Distinct int64 // different values
	Unique   int64 // values that one record has
}

// Pair is a pair of columns whose values are the same in part.
type Pair struct {
	Columns  [2]int
	Readings []reading.Reading // that both columns need for their values to be the same
	Shared   int64             // different values on both sides
	score    float64
}

// Key is one pair of columns or several that could make two records the same.
type Key struct {
	Parts    []Pair
	Distinct [2]int64 // different keys of each side
	Repeated [2]int64 // of these, keys that more than one record has
	Shared   int64    // different keys on both sides
	Partner  [2]int64 // records whose key is on the other side
	Unkeyed  [2]int64 // records without a value in some part
	Product  int64    // rows of the inner comparison
	Most     [2]int64 // the most records of a side that have one key of the other
	Agree    float64  // how much more often than by chance paired records agree elsewhere, from 0 to 1; -1: nothing to judge by
	score    float64
}

// Unique reports whether no key repeats on side s.
func (k *Key) Unique(s tray.Side) bool { return k.Repeated[s] == 0 }

// Options are how to look. The zero value is good.
type Options struct {
	Most     int64              // records of a side that are looked at; of more, those with a value that the sample of their best column has. 0: [MostRecords]
	Budget   int64              // bytes of memory to keep to: of sets with many columns fewer records are looked at. 0: any
	Progress func(stage string) // is told what is being done; may be nil
}

// Of advises on two record sets. It stops with the context's error when the context ends.
func Of(ctx context.Context, left, right record.Table, o Options) (*Advice, error) {
	if o.Most <= 0 {
		o.Most = MostRecords
	}
	progress := o.Progress
	if progress == nil {
		progress = func(string) {}
	}
	if o.Budget > 0 {
		o.Most = min(o.Most, max(o.Budget/perRecord(left, right), search))
	}
	a := &adviser{most: o.Most, tables: [2]record.Table{left, right}, out: &Advice{}}
	progress("finding types")
	for _, s := range tray.Sides {
		a.out.Records[s] = a.tables[s].Records()
		if err := a.types(ctx, s); err != nil {
			return nil, err
		}
	}
	if err := a.settleDates(ctx); err != nil {
		return nil, err
	}
	progress("reading values")
	if err := a.load(ctx); err != nil {
		return nil, err
	}
	progress("holding columns against each other")
	if err := a.pair(ctx); err != nil {
		return nil, err
	}
	progress("looking for keys")
	return a.out, a.keys(ctx)
}

// perRecord is how many bytes a record of either side takes while it is looked at: the hashes of its values, twice, of its keys, and what is sorted of these, twice.
func perRecord(left, right record.Table) int64 {
	columns := int64(len(left.Columns()) + len(right.Columns()))
	return columns*2*8 + 2*mostParts*8 + 2*2*16
}

// keys looks for the best keys of a few pairs of columns.
func (a *adviser) keys(ctx context.Context) error {
	list := a.out.Pairs[:min(len(a.out.Pairs), candidates)]
	var found []Key
	var grow func(from int, parts []Pair) error
	grow = func(from int, parts []Pair) error {
		for i := from; i < len(list); i++ {
			if slices.ContainsFunc(parts, func(p Pair) bool { return p.Columns[0] == list[i].Columns[0] || p.Columns[1] == list[i].Columns[1] }) {
				continue
			}
			if err := ctx.Err(); err != nil {
				return err
			}
			k := Key{Parts: append(slices.Clone(parts), list[i])}
			a.hash(k.Parts)
			a.judge(&k, search)
			if k.Shared == 0 {
				continue // a longer one pairs nothing either
			}
			found = append(found, k)
			if len(k.Parts) < mostParts && !(k.Unique(tray.Left) && k.Unique(tray.Right)) {
				if err := grow(i+1, k.Parts); err != nil {
					return err
				}
			}
		}
		return nil
	}
	if err := grow(0, nil); err != nil {
		return err
	}
	byScore := func(x, y Key) int {
		return cmp.Or(cmp.Compare(y.score, x.score), cmp.Compare(len(x.Parts), len(y.Parts)))
	}
	slices.SortStableFunc(found, byScore)
	found = found[:min(len(found), MostKeys+2)]
	for i := range found { // now by all that there is
		if err := ctx.Err(); err != nil {
			return err
		}
		found[i] = Key{Parts: found[i].Parts}
		for n := range found[i].Parts {
			a.hash(found[i].Parts[:n+1])
		}
		a.judge(&found[i], 0)
	}
	slices.SortStableFunc(found, byScore)
	a.out.Keys = found[:min(len(found), MostKeys)]
	return nil
}
