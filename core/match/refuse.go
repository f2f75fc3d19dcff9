package match

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// refused is a key that repeats where it may not: how many records carry it, and the first of them.
type refused struct {
	row   uint32
	count uint32
}

func (j *joiner) checkRepeat(g *keyGroup) {
	for _, s := range tray.Sides {
		if g.count[s] < 2 || !j.m.plan.Repeats.Refuses(s) {
			continue
		}
		first := None
		for m := range j.members(g, s) {
			first = min(first, m.row)
		}
		j.tally.refused[s] = append(j.tally.refused[s], refused{first, g.count[s]})
	}
}

// RepeatedError says that keys repeat on a side where the sieve does not allow it.
type RepeatedError struct {
	Side  tray.Side
	Keys  int64         // how many keys repeat
	First []RepeatedKey // the first of them in input order, at most [MostNamed]
}

// RepeatedKey is a key that repeats: its texts before any reading, as its first record has them, and how many records of each
// side carry it.
type RepeatedKey struct {
	Key     []string `json:"key" nullable:"false"`
	Records [2]int64 `json:"records"`
}

// MostNamed is how many keys an error names.
const MostNamed = 10

// Error implements error.
func (e *RepeatedError) Error() string {
	var names []string
	for _, k := range e.First {
		names = append(names, fmt.Sprintf("%s (%d records)", strings.Join(k.Key, " · "), k.Records[e.Side]))
	}
	more := ""
	if n := e.Keys - int64(len(e.First)); n > 0 {
		more = fmt.Sprintf(" and %d more", n)
	}
	repeat := "keys repeat"
	if e.Keys == 1 {
		repeat = "key repeats"
	}
	return fmt.Sprintf("%d %s on the %s, where the sieve refuses repeats: %s%s", e.Keys, repeat, e.Side, strings.Join(names, ", "), more)
}

// refuse ends the match where a key repeats that may not.
func (m *Matching) refuse(ctx context.Context, tallies []*tally) error {
	for _, s := range tray.Sides {
		var all []refused
		for _, t := range tallies {
			all = append(all, t.refused[s]...)
		}
		if len(all) == 0 {
			continue
		}
		slices.SortFunc(all, func(a, b refused) int { return int(int64(a.row) - int64(b.row)) })
		e := &RepeatedError{Side: s, Keys: int64(len(all))}
		var rows []uint32
		for _, r := range all[:min(len(all), MostNamed)] {
			rows = append(rows, r.row)
			k := RepeatedKey{}
			k.Records[s] = int64(r.count)
			e.First = append(e.First, k)
		}
		err := record.Gather(ctx, m.inputs[s], rows, func(n int, b *record.Batch, i int) {
			for _, k := range m.plan.Key {
				e.First[n].Key = append(e.First[n].Key, strings.Clone(b.Columns[k.Column[s]].Value(i)))
			}
		})
		if err != nil {
			return err
		}
		return e
	}
	return nil
}
