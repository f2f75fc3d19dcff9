// Package effect shows what a reading does to a column's real values: which it changes, empties or cannot read, and which
// different values it makes one.
package effect

import (
	"bytes"
	"cmp"
	"context"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"twinsieve/core/reading"
	"twinsieve/core/record"
)

// How much is shown.
const (
	MostSamples    = 30
	MostCollisions = 20
)

// Effect is what a chain does to a column, held against another chain: the one without the reading in question.
type Effect struct {
	Values     int64 // cells that are not blank
	Changed    int64 // of these, read as another text than before
	Emptied    int64 // left without a text, and were not before
	Unreadable int64 // not read any more, and were before
	Distinct   [2]int64
	Collided   int64 // texts that stand for more than one text from before
	Samples    []Sample
	Collisions []Collision
}

// Sample is a value, before and after.
type Sample struct {
	Cell          string // as it came
	Before, After reading.Value
	Records       int64
}

// Collision is a text that stands for texts that were different before.
type Collision struct {
	After  string
	Before []string // the first few, in the order of their bytes
	Texts  int64    // how many there are
}

// Of reads a column of a table with both chains. It keeps a number for each different value in memory.
func Of(ctx context.Context, t record.Table, column int, before, after reading.Chain) (*Effect, error) {
	e := &Effect{}
	chains := [2]*reading.Reader{before.Reader(), after.Reader()}
	seen := map[uint64]int64{}     // records of a cell, by its text's hash
	from := map[uint64]uint64{}    // hash of the text after, by that of the text before
	collided := map[uint64]int64{} // texts before, by the hash of the text after
	samples := map[uint64]int{}    // place of a sample
	examples := map[uint64]*Collision{}
	first := map[uint64]string{} // a text before, by the hash of the text after
	for n := range t.Starts() {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		col, err := record.ColumnOf(ctx, t, n, column)
		if err != nil {
			return nil, err
		}
		for i := range col.Len() {
			if col.IsNull(i) || col.Value(i) == "" {
				continue
			}
			cell := col.Value(i)
			e.Values++
			b, a := chains[0].Cell([]byte(cell)), chains[1].Cell([]byte(cell))
			changed := b.State != a.State || !bytes.Equal(b.Text, a.Text)
			switch {
			case !changed:
			case a.State == reading.Text:
				e.Changed++
			case a.State.IsBlank() && !b.State.IsBlank():
				e.Emptied++
			case a.State == reading.Unreadable:
				e.Unreadable++
			}
			hash := xxhash.Sum64String(cell)
			if seen[hash]++; seen[hash] > 1 {
				if at, ok := samples[hash]; ok {
					e.Samples[at].Records++
				}
				continue
			}
			if changed && len(e.Samples) < MostSamples {
				samples[hash] = len(e.Samples)
				e.Samples = append(e.Samples, Sample{strings.Clone(cell), clone(b), clone(a), 1})
			}
			if b.State != reading.Text {
				continue
			}
			hb := xxhash.Sum64(b.Text)
			if _, ok := from[hb]; ok {
				continue
			}
			e.Distinct[0]++
			if a.State != reading.Text {
				from[hb] = 0
				continue
			}
			ha := xxhash.Sum64(a.Text)
			from[hb] = ha
			switch collided[ha]++; collided[ha] {
			case 1:
				e.Distinct[1]++
				first[ha] = string(b.Text)
			case 2:
				e.Collided++
				if len(examples) < MostCollisions {
					examples[ha] = &Collision{After: string(a.Text), Before: []string{first[ha]}, Texts: 1}
				}
				fallthrough
			default:
				if c := examples[ha]; c != nil {
					if c.Texts++; len(c.Before) < 5 {
						c.Before = append(c.Before, string(b.Text))
					}
				}
			}
		}
	}
	for _, c := range examples {
		slices.Sort(c.Before)
		e.Collisions = append(e.Collisions, *c)
	}
	slices.SortFunc(e.Collisions, func(a, b Collision) int { return cmp.Or(cmp.Compare(b.Texts, a.Texts), cmp.Compare(a.After, b.After)) })
	return e, nil
}

func clone(v reading.Value) reading.Value {
	return reading.Value{State: v.State, Text: slices.Clone(v.Text)}
}
