// Package near suggests which records without a partner might belong together although their keys differ: key texts that are
// alike, a date some days off, one key part blank, compared values equal while the key is not.
//
// A suggestion has a score from 0 to 1 and its reasons; it decides nothing. Every attribute of a pair, the key's parts and the
// compared fields, says how alike the two values are; the score is the mean of that, in which an attribute of many different
// values weighs more than one of few: that two records have the same service code says little, that they have the same amount
// says much. The best suggestions are chosen one to one: each record is in one at most.
//
// Not every left record is held against every right one. Candidates are those that have two attributes in common, or one that
// few records have, or a key text that is one slip away.
package near

import (
	"cmp"
	"context"
	"slices"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Options are what to look for. The zero value is good.
type Options struct {
	Least float64 // the least score of a suggestion; 0: [DefaultLeast]
	Most  int     // records of a side that are looked at; 0: [DefaultMost]
}

// What is looked for where nothing is said.
const (
	DefaultLeast = 0.75
	DefaultMost  = 200_000
)

// Suggestions are pairs that might belong together.
type Suggestions struct {
	Records [2]int64 // without a partner
	Looked  [2]int64 // of these, looked at
	Pairs   []Pair   // the best first
}

// Pair is a suggestion.
type Pair struct {
	Left, Right uint32 // record numbers
	Score       float64
	Reasons     []Reason // by attribute: the parts of the key, then the compared fields
}

// Reason is how alike one attribute of a pair is.
type Reason struct {
	Kind  Kind
	Alike float64 // from 0 to 1
	Apart int64   // days, for Days
}

// Kind is how two values compare.
type Kind uint8

// The ways in which two values compare.
const (
	Equal     Kind = iota
	Looks          // they look the same
	Exchanged      // two neighbouring characters are exchanged
	Slip           // one character is wrong, missing or too much
	Similar        // alike in part
	Days           // some days apart
	Numbers        // some way apart
	OneBlank       // a side has no value
	BothBlank
	Other // nothing alike
)

// Of suggests pairs among the records of an index that have no partner.
func Of(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, o Options) (*Suggestions, error) {
	if o.Least <= 0 {
		o.Least = DefaultLeast
	}
	if o.Most <= 0 {
		o.Most = DefaultMost
	}
	n := &finder{plan: plan, least: o.Least, out: &Suggestions{}}
	n.attributes()
	for _, s := range tray.Sides {
		var rows []uint32
		for row, t := range index.Sides[s].Trays {
			if !t.Lonely() {
				continue
			}
			if n.out.Records[s]++; len(rows) < o.Most {
				rows = append(rows, uint32(row))
			}
		}
		n.out.Looked[s] = int64(len(rows))
		if err := n.read(ctx, tables[s], s, rows); err != nil {
			return nil, err
		}
	}
	n.weigh()
	if err := n.find(ctx); err != nil {
		return nil, err
	}
	n.choose()
	return n.out, ctx.Err()
}

// Names are the attributes' names in the order of a pair's reasons.
func Names(plan *sieve.Plan) []string {
	n := &finder{plan: plan}
	n.attributes()
	var names []string
	for _, a := range n.attrs {
		l, r := plan.Columns[0][a.column[0]], plan.Columns[1][a.column[1]]
		names = append(names, sieve.Columns{Left: l, Right: r}.String())
	}
	return names
}

// choose keeps the best pairs one to one, and gives them their reasons.
func (n *finder) choose() {
	slices.SortFunc(n.found, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.left, b.left), cmp.Compare(a.right, b.right))
	})
	taken := [2]map[int32]bool{{}, {}}
	for _, c := range n.found {
		if taken[0][c.left] || taken[1][c.right] {
			continue
		}
		taken[0][c.left], taken[1][c.right] = true, true
		p := Pair{Left: n.sides[0][c.left].row, Right: n.sides[1][c.right].row, Score: c.score}
		for a := range n.attrs {
			p.Reasons = append(p.Reasons, n.compare(a, &n.sides[0][c.left], &n.sides[1][c.right]))
		}
		n.out.Pairs = append(n.out.Pairs, p)
	}
}
