package exception

import (
	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Effect is what an entry adds on the way from the left total of an amount to the right one: the right amount less the left
// one, where a side without a record adds nothing, and neither does a blank or what cannot be read. So the effects of all entries add up
// to the steps of the balance. ok is false where there is no amount that can be read, or where a group has more records than are listed and
// the amount is none of its compared fields, or has no total.
func Effect(plan *sieve.Plan, e *Entry, amount int) (effect decimal.Decimal, ok bool) {
	value, unread := plan.Amounts[amount].Value, false
	if g := e.Group; g != nil && (int64(len(g.Records[0])) < g.Count[0] || int64(len(g.Records[1])) < g.Count[1]) {
		for i, f := range plan.Fields {
			if totals := e.Fields[i].Totals; f.Value == value && totals[0] != "" && totals[1] != "" {
				return exact.Decimal([]byte(totals[1])).Sub(exact.Decimal([]byte(totals[0]))), true
			}
		}
		return effect, false
	}
	for _, s := range tray.Sides {
		var records []Record
		switch {
		case e.Group != nil:
			records = e.Group.Records[s]
		case e.Sides[s] != nil:
			records = []Record{*e.Sides[s]}
		}
		reader := plan.Values[value].Chain[s].Reader()
		for _, r := range records {
			switch v := reader.Cell([]byte(r.Cells[plan.Values[value].Column[s]].Content())); v.State {
			case reading.Unreadable:
				unread = true
			case reading.Text:
				ok = true
				if s == tray.Left {
					effect = effect.Sub(exact.Decimal(v.Text))
				} else {
					effect = effect.Add(exact.Decimal(v.Text))
				}
			}
		}
	}
	return effect, ok || !unread
}
