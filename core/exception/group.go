package exception

import (
	"context"
	"slices"

	"twinsieve/core/match"
	"twinsieve/core/pairing"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// MostMembers is how many records of a side a group that is only looked at has listed.
const MostMembers = 100

// Group is an entry's records where a sieve compares totals, all that carry its key, or where they were paired by hand.
type Group struct {
	Count   [2]int64    // records of each side
	Records [2][]Record // the first of them, in input order
}

// readGroups fills in the groups of the entries that are pairs: their first records, at most so many (below 0: all), and how
// the fields of all their records came out.
func readGroups(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, entries []Entry, most int) error {
	byKey := map[uint32]int{}   // entry of a key
	var byRow [2]map[uint32]int // entry of a record that was paired by hand
	byRow[0], byRow[1] = map[uint32]int{}, map[uint32]int{}
	sums := map[int]*pairing.Group{}
	for n := range entries {
		e := &entries[n]
		if !e.Tray.Paired() {
			continue
		}
		hand := index.HandOf(tray.Left, e.Number)
		switch {
		case hand != nil:
			e.Hand = hand.ID
			for _, s := range tray.Sides {
				for _, row := range hand.Rows[s] {
					byRow[s][row] = n
				}
			}
		case plan.Repeats == sieve.Totals:
			byKey[index.Sides[tray.Left].Keys[e.Number]] = n
		default:
			continue
		}
		sums[n] = pairing.NewGroup(plan.Fields)
		e.Group = &Group{}
	}
	if len(sums) == 0 {
		return nil
	}
	for _, s := range tray.Sides {
		var rows []uint32
		if len(byKey) > 0 {
			for row, key := range index.Sides[s].Keys {
				if _, ok := byKey[key]; ok && key != match.None && index.Sides[s].Trays[row].Paired() && index.HandOf(s, uint32(row)) == nil {
					rows = append(rows, uint32(row))
				}
			}
		}
		for row := range byRow[s] {
			rows = append(rows, row)
		}
		slices.Sort(rows)
		var of []int // entry of each row
		for _, row := range rows {
			if n, ok := byRow[s][row]; ok {
				of = append(of, n)
			} else {
				of = append(of, byKey[index.Sides[s].Keys[row]])
			}
		}
		values := plan.ValueReader(s)
		err := record.Gather(ctx, tables[s], rows, func(n int, b *record.Batch, i int) {
			cells := b.Cells(i)
			sums[of[n]].Add(s, values.Read(cells))
			g := entries[of[n]].Group
			g.Count[s]++
			if most < 0 || len(g.Records[s]) < most {
				g.Records[s] = append(g.Records[s], Record{rows[n], b.Origin(i), cells})
			}
		})
		if err != nil {
			return err
		}
	}
	for n, sum := range sums {
		for i := range plan.Fields {
			o := sum.Outcome(i)
			entries[n].Fields = append(entries[n].Fields, Field{Agrees: o.Agrees, States: [2]reading.State{o.Values[0].State, o.Values[1].State},
				Difference: o.Difference, Totals: [2]string{string(o.Values[0].Text), string(o.Values[1].Text)}})
		}
	}
	return nil
}
