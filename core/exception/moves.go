package exception

import (
	"cmp"
	"slices"

	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Move is what an entry adds, in one currency, on the way from the left total of an amount to the right one.
type Move struct {
	Currency string // "" where the sieve has no column of currencies, or where the record's is blank or unreadable
	Amount   decimal.Decimal
}

// Moves are what an entry adds on the way from the left total of an amount to the right one: the right amount less the left
// one, where a side without a record adds nothing, and neither does a blank or what cannot be read. So the moves of all entries add up
// to the steps of the balance. There is one for each currency of the entry's records, ordered by name. There is none where there is no amount
// that can be read, or where a group has more records than are listed and the amount is none of its compared fields, or has no total, or
// the sieve has a column of currencies.
func Moves(plan *sieve.Plan, e *Entry, amount int) []Move {
	value := plan.Amounts[amount].Value
	if g := e.Group; g != nil && (int64(len(g.Records[0])) < g.Count[0] || int64(len(g.Records[1])) < g.Count[1]) {
		return movesOfTotals(plan, e, value)
	}
	var moves []Move
	read, unread := false, false
	for _, s := range tray.Sides {
		amounts := cellReader{plan.Values[value].Chain[s].Reader(), plan.Values[value].Column[s]}
		var currencies *cellReader
		if c := plan.Currency; c >= 0 {
			currencies = &cellReader{plan.Values[c].Chain[s].Reader(), plan.Values[c].Column[s]}
		}
		for _, r := range e.On(s) {
			v := amounts.of(&r)
			if v.State == reading.Unreadable {
				unread = true
				continue
			}
			move := Move{}
			if v.State == reading.Text {
				read = true
				if move.Amount = exact.Decimal(v.Text); s == tray.Left {
					move.Amount = move.Amount.Neg()
				}
			}
			if currencies != nil {
				if c := currencies.of(&r); c.State == reading.Text {
					move.Currency = string(c.Text)
				}
			}
			moves = added(moves, move)
		}
	}
	if !read && unread {
		return nil
	}
	slices.SortFunc(moves, func(a, b Move) int { return cmp.Compare(a.Currency, b.Currency) })
	return moves
}

func added(moves []Move, m Move) []Move {
	for i := range moves {
		if moves[i].Currency == m.Currency {
			moves[i].Amount = moves[i].Amount.Add(m.Amount)
			return moves
		}
	}
	return append(moves, m)
}

func movesOfTotals(plan *sieve.Plan, e *Entry, value int) []Move {
	for i, f := range plan.Fields {
		if totals := e.Fields[i].Totals; plan.Currency < 0 && f.Value == value && totals[0] != "" && totals[1] != "" {
			return []Move{{Amount: exact.Decimal([]byte(totals[1])).Sub(exact.Decimal([]byte(totals[0])))}}
		}
	}
	return nil
}

// On are the entry's records of side s; of a group, those that are listed.
func (e *Entry) On(s tray.Side) []Record {
	switch {
	case e.Group != nil:
		return e.Group.Records[s]
	case e.Sides[s] != nil:
		return []Record{*e.Sides[s]}
	}
	return nil
}

// cellReader reads one cell of a record.
type cellReader struct {
	reader *reading.Reader
	column int
}

func (c *cellReader) of(r *Record) reading.Value {
	return c.reader.Cell([]byte(r.Cells[c.column].Content()))
}
