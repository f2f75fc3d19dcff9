package match

import (
	"context"
	"encoding/binary"
	"slices"

	"twinsieve/core/exact"
	"twinsieve/core/pairing"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Hand is records that were paired by hand: one group on each side, compared by their totals.
type Hand struct {
	ID   uint        `json:"id"`   // of the acceptance
	Rows [2][]uint32 `json:"rows"` // in input order
}

// ByHand reports whether a record of the tray may be paired by hand: it is paired with nothing yet.
func ByHand(t tray.Tray) bool {
	return t.Lonely() || t == tray.Surplus
}

// applyHand moves the records that were paired by hand, where all of them are found among those without a partner. They keep
// their keys: comparisons follow keys only.
func (m *Matching) applyHand(ctx context.Context, t *tally) error {
	list := m.plan.Crosswalk.Hand
	if len(list) == 0 {
		return nil
	}
	var found [2]map[string][]uint32 // free records, by content
	for _, s := range tray.Sides {
		wanted := map[string]bool{}
		for _, p := range list {
			for _, cells := range p.Records[s] {
				wanted[contentOf(cells)] = true
			}
		}
		found[s] = map[string][]uint32{}
		var rows []uint32
		for row, at := range m.index.Sides[s].Trays {
			if ByHand(at) {
				rows = append(rows, uint32(row))
			}
		}
		err := record.Gather(ctx, m.inputs[s], rows, func(n int, b *record.Batch, i int) {
			if key := contentOf(b.Cells(i)); wanted[key] {
				found[s][key] = append(found[s][key], rows[n])
			}
		})
		if err != nil {
			return err
		}
	}
	for _, p := range list {
		rows, ok := takeRows(m.plan, &p, found)
		if !ok {
			m.index.Totals.StaleHand++
			continue
		}
		if err := m.pairByHand(ctx, t, Hand{p.ID, rows}); err != nil {
			return err
		}
	}
	return nil
}

// takeRows takes the records of a pairing out of those that are free, or none where one of them is not there.
func takeRows(plan *sieve.Plan, p *sieve.PairedHand, found [2]map[string][]uint32) (rows [2][]uint32, ok bool) {
	for _, s := range tray.Sides {
		if !slices.Equal(p.Columns[s], plan.Columns[s]) {
			return rows, false
		}
		need := map[string]int{}
		for _, cells := range p.Records[s] {
			key := contentOf(cells)
			if need[key]++; need[key] > len(found[s][key]) {
				return rows, false
			}
		}
	}
	for _, s := range tray.Sides {
		for _, cells := range p.Records[s] {
			key := contentOf(cells)
			rows[s] = append(rows[s], found[s][key][0])
			found[s][key] = found[s][key][1:]
		}
		slices.Sort(rows[s])
	}
	return rows, len(rows[0]) > 0 && len(rows[1]) > 0
}

func contentOf(cells []record.Cell) string {
	var key []byte
	for _, c := range cells {
		if c.Null {
			key = append(key, 0)
			continue
		}
		key = binary.AppendUvarint(key, uint64(len(c.Text))+1)
		key = append(key, c.Text...)
	}
	return string(key)
}

// pairByHand moves a pairing's records to the tray that their totals say, and their amounts with them.
func (m *Matching) pairByHand(ctx context.Context, t *tally, h Hand) error {
	group := pairing.NewGroup(m.plan.Fields)
	var values [2][][]reading.Value
	for _, s := range tray.Sides {
		reader := m.plan.ValueReader(s)
		err := record.Gather(ctx, m.inputs[s], h.Rows[s], func(n int, b *record.Batch, i int) {
			row := reader.Read(b.Cells(i))
			group.Add(s, row)
			values[s] = append(values[s], row)
		})
		if err != nil {
			return err
		}
	}
	at := tray.Differing
	if group.Matched() {
		at = tray.Matched
	}
	var currencies currencySet
	for _, s := range tray.Sides {
		side := &m.index.Sides[s]
		for n, row := range h.Rows[s] {
			currencies.add(t.ofRecord(values[s][n]))
			t.moveSum(s, side.Trays[row], at, values[s][n])
			side.Trays[row] = at
		}
		side.Partners[h.Rows[s][0]] = h.Rows[s.Other()][0]
	}
	t.countMixed(at, currencies)
	m.index.Hand = append(m.index.Hand, h)
	return nil
}

// moveSum takes the amounts of a record from one tray of side s to another.
func (t *tally) moveSum(s tray.Side, from, to tray.Tray, values []reading.Value) {
	amounts := t.ofRecord(values).amounts
	for a, v := range t.values {
		if values[v].State == reading.Text {
			sums := &amounts[a][s].Trays
			sums[from].Add([]byte(exact.Text(exact.Decimal(values[v].Text).Neg())))
			sums[to].Add(values[v].Text)
		}
	}
}
