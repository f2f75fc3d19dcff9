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
// the amount is none of its compared fields.
func Effect(plan *sieve.Plan, e *Entry, amount int) (effect decimal.Decimal, ok bool) {
	value, unread := plan.Amounts[amount].Value, false
	if e.Group != nil {
		for i, f := range plan.Fields {
			if totals := e.Fields[i].Totals; f.Value == value && totals != [2]string{} {
				return exact.Decimal([]byte(totals[1])).Sub(exact.Decimal([]byte(totals[0]))), true
			}
		}
	}
	for _, s := range tray.Sides {
		var records []Record
		switch {
		case e.Group != nil:
			if records = e.Group.Records[s]; int64(len(records)) < e.Group.Count[s] {
				return effect, false
			}
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
