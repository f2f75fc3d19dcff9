package exception

import (
	"cmp"
	"slices"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Move is what an entry adds, in one currency, on the way from the left total of an amount to the right one.
type Move struct {
	Currency string // "" where the sieve has no column of currencies, or where the record's is blank or unreadable
	Amount   exact.Subtotal
}

// Mover finds what entries add on the way from the left total of an amount to the right one. It is not for several goroutines at once.
type Mover struct {
	plan       *sieve.Plan
	value      int
	amounts    [2]cellReader
	currencies [2]cellReader // where the plan has a column of them
	moves      []Move
	read       bool // an amount of the entry
	unread     bool // one of them cannot be
}

// NewMover returns a mover for one of the plan's amounts.
func NewMover(plan *sieve.Plan, amount int) *Mover {
	m := &Mover{plan: plan, value: plan.Amounts[amount].Value}
	for _, s := range tray.Sides {
		m.amounts[s] = cellReader{reader: plan.Values[m.value].Chain[s].Reader(), column: plan.Values[m.value].Column[s]}
		if c := plan.Currency; c >= 0 {
			m.currencies[s] = cellReader{reader: plan.Values[c].Chain[s].Reader(), column: plan.Values[c].Column[s]}
		}
	}
	return m
}

// Moves are what an entry adds: the right amount less the left
// one, where a side without a record adds nothing, and neither does a blank or what cannot be read. So the moves of all entries add up
// to the steps of the balance. There is one for each currency of the entry's records, ordered by name. There is none where there is no amount
// that can be read, or where a group has more records than are listed and the amount is none of its compared fields, or has no total, or
// the sieve has a column of currencies. They are valid until those of the next entry are asked for.
func (m *Mover) Moves(e *Entry) []Move {
	m.moves, m.read, m.unread = m.moves[:0], false, false
	g := e.Group
	if g != nil && (int64(len(g.Records[0])) < g.Count[0] || int64(len(g.Records[1])) < g.Count[1]) {
		return m.ofTotals(e)
	}
	for _, s := range tray.Sides {
		if g != nil {
			for i := range g.Records[s] {
				m.add(s, &g.Records[s][i])
			}
		} else if r := e.Sides[s]; r != nil {
			m.add(s, r)
		}
	}
	if !m.read && m.unread {
		return nil
	}
	slices.SortFunc(m.moves, func(a, b Move) int { return cmp.Compare(a.Currency, b.Currency) })
	return m.moves
}

// add adds what a record of side s does.
func (m *Mover) add(s tray.Side, r *Record) {
	amount := m.amounts[s].of(r)
	if amount.State == reading.Unreadable {
		m.unread = true
		return
	}
	currency := ""
	if m.plan.Currency >= 0 {
		if c := m.currencies[s].of(r); c.State == reading.Text {
			currency = string(c.Text)
		}
	}
	at := slices.IndexFunc(m.moves, func(one Move) bool { return one.Currency == currency })
	if at < 0 {
		at, m.moves = len(m.moves), append(m.moves, Move{Currency: currency})
	}
	if amount.State != reading.Text {
		return
	}
	if m.read = true; s == tray.Left {
		m.moves[at].Amount.Subtract(amount.Text)
	} else {
		m.moves[at].Amount.Add(amount.Text)
	}
}

// ofTotals is what a group adds of which not all records are listed.
func (m *Mover) ofTotals(e *Entry) []Move {
	for i, f := range m.plan.Fields {
		if totals := e.Fields[i].Totals; m.plan.Currency < 0 && f.Value == m.value && totals[0] != "" && totals[1] != "" {
			m.moves = append(m.moves, Move{})
			m.moves[0].Amount.Add([]byte(totals[1]))
			m.moves[0].Amount.Subtract([]byte(totals[0]))
			return m.moves
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
	cell   []byte // that is being read
}

// of is the record's value as read, until the next one is.
func (c *cellReader) of(r *Record) reading.Value {
	c.cell = append(c.cell[:0], r.Cells[c.column].Content()...)
	return c.reader.Cell(c.cell)
}
