package exception

import (
	"context"

	"twinsieve/core/match"
	"twinsieve/core/pairing"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// MostMembers is how many records of a side a group that is only looked at has listed.
const MostMembers = 100

// Group is an entry's records where a sieve compares totals: all that carry its key.
type Group struct {
	Count   [2]int64    // records of each side
	Records [2][]Record // the first of them, in input order
}

// readGroups fills in the groups of the entries that are pairs: their first records, at most so many (below 0: all), and how
// the fields of all their records came out.
func readGroups(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, entries []Entry, most int) error {
	byKey := map[uint32]int{} // entry of a key
	sums := map[int]*pairing.Group{}
	for n := range entries {
		if e := &entries[n]; e.Tray.Paired() {
			byKey[index.Sides[tray.Left].Keys[e.Number]] = n
			sums[n] = pairing.NewGroup(plan.Fields)
			e.Group = &Group{}
		}
	}
	if len(byKey) == 0 {
		return nil
	}
	for _, s := range tray.Sides {
		var rows []uint32
		var of []int
		for row, key := range index.Sides[s].Keys {
			if n, ok := byKey[key]; ok && key != match.None {
				rows, of = append(rows, uint32(row)), append(of, n)
			}
		}
		readers := make([]*reading.Reader, len(plan.Values))
		for i, v := range plan.Values {
			readers[i] = v.Chain[s].Reader()
		}
		values := make([]reading.Value, len(plan.Values))
		err := record.Gather(ctx, tables[s], rows, func(n int, b *record.Batch, i int) {
			cells := b.Cells(i)
			for v, reader := range readers {
				values[v] = reader.Cell([]byte(cells[plan.Values[v].Column[s]].Content()))
			}
			sums[of[n]].Add(s, values)
			g := entries[of[n]].Group
			g.Count[s]++
			if most < 0 || len(g.Records[s]) < most {
				g.Records[s] = append(g.Records[s], Record{rows[n], b.Line(i), cells})
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
