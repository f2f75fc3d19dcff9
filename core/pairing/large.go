package pairing

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/sorted"
	"twinsieve/core/tray"
)

// Large pairs the records of one key of which there are too many to be held at once. They are sorted by content piece by piece, and what does not
// fit into the memory goes to a temporary file. The pairs are those of [Settle] for a key that is [InOrder].
type Large struct {
	fields []sieve.PlanField
	sides  [2]*sorted.Sorter
}

// NewLarge returns a pairing without records that holds about so many bytes in memory, and the rest in temporary files in dir. It is to be closed.
func NewLarge(fields []sieve.PlanField, budget int64, dir string) *Large {
	return &Large{fields, [2]*sorted.Sorter{sorted.New(budget/2, dir), sorted.New(budget/2, dir)}}
}

// Close gives back what the pairing holds.
func (l *Large) Close() error { return errors.Join(l.sides[0].Close(), l.sides[1].Close()) }

// Spilled is the number of bytes that went to temporary files.
func (l *Large) Spilled() int64 { return l.sides[0].Spilled() + l.sides[1].Spilled() }

// Add adds records of side s. Their numbers are kept, and their values.
func (l *Large) Add(s tray.Side, records []Record) error {
	run := &sorted.Run{}
	var key, payload []byte
	for i := range records {
		var values int
		key, values = l.key(key[:0], &records[i])
		payload = binary.AppendUvarint(payload[:0], uint64(values))
		for _, v := range records[i].Values {
			payload = binary.AppendUvarint(append(payload, byte(v.State)), uint64(len(v.Text)))
			payload = append(payload, v.Text...)
		}
		run.Add(key, payload)
	}
	run.Sort()
	return l.sides[s].Add(run)
}

// key appends bytes that are ordered as [Compare] orders records, and says how many of them are the values of the compared fields. The
// record's number is the last four.
func (l *Large) key(key []byte, r *Record) (_ []byte, values int) {
	for _, f := range l.fields {
		v := r.Values[f.Value]
		key = sorted.AppendText(append(key, byte(rank(v.State))), v.Text)
	}
	values = len(key)
	for _, c := range r.Cells {
		if c.Null {
			key = append(key, 0)
		} else {
			key = append(key, 1)
		}
		key = sorted.AppendText(key, []byte(c.Text))
	}
	return binary.BigEndian.AppendUint32(key, r.Row), values
}

// Pairs visits all records: those of a pair together, and each that is in none alone, the other nil. They have numbers and values, which are valid
// until the next.
func (l *Large) Pairs(ctx context.Context, visit func(left, right *Record, matched bool)) error {
	pair := func(left, right *Record) {
		visit(left, right, left != nil && right != nil && Agreeing(l.fields, left, right) == len(l.fields))
	}
	// Both sides are gone through twice, side by side: once for the left records that have no equal one, and once for such right ones.
	lefts, rights := l.merge(tray.Left, pair), l.merge(tray.Right, nil)
	for n := 0; ; n++ {
		if n%4096 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		left, err := lefts.next()
		if err != nil {
			return err
		}
		right, err := rights.next()
		if err != nil {
			return err
		}
		if left == nil && right == nil {
			return nil
		}
		pair(left, right)
	}
}

// merging goes through both sides in content order.
type merging struct {
	of    tray.Side
	equal func(left, right *Record) // is given the pairs of equal values; nil: they are not wanted
	sides [2]content
}

func (l *Large) merge(of tray.Side, equal func(left, right *Record)) *merging {
	m := &merging{of: of, equal: equal}
	for s := range m.sides {
		m.sides[s] = content{cursor: l.sides[s].Cursor(), stale: true}
	}
	return m
}

// next is the next record of the side that has no equal one on the other; nil behind the last.
func (m *merging) next() (*Record, error) {
	for {
		for s := range m.sides {
			if err := m.sides[s].forward(); err != nil {
				return nil, err
			}
		}
		mine, other := &m.sides[m.of], &m.sides[m.of.Other()]
		if mine.ended {
			return nil, nil
		}
		by := -1
		if !other.ended {
			by = bytes.Compare(mine.values, other.values)
		}
		if by <= 0 {
			mine.stale = true
		}
		if by >= 0 {
			other.stale = true
		}
		switch {
		case by < 0:
			return mine.read(), nil
		case by == 0 && m.equal != nil:
			m.equal(m.sides[tray.Left].read(), m.sides[tray.Right].read())
		}
	}
}

// content is one side's record that a merging has come to.
type content struct {
	cursor  *sorted.Cursor
	stale   bool // it has been dealt with
	ended   bool
	values  []byte // of the compared fields, as they stand in its key
	key     []byte
	payload []byte
	record  Record
}

// forward goes to the next record where the one that it is at has been dealt with.
func (c *content) forward() error {
	if !c.stale || c.ended {
		return nil
	}
	more, err := c.cursor.Next()
	if err != nil {
		return err
	}
	if c.stale = false; !more {
		c.ended = true
		return nil
	}
	key, payload := c.cursor.At()
	values, n := binary.Uvarint(payload)
	c.key, c.payload, c.values = key, payload[n:], key[:values]
	return nil
}

// read is the record with its number and values.
func (c *content) read() *Record {
	c.record.Row = binary.BigEndian.Uint32(c.key[len(c.key)-4:])
	c.record.Values = c.record.Values[:0]
	for rest := c.payload; len(rest) > 0; {
		size, n := binary.Uvarint(rest[1:])
		end := 1 + n + int(size)
		c.record.Values = append(c.record.Values, reading.Value{State: reading.State(rest[0]), Text: rest[1+n : end]})
		rest = rest[end:]
	}
	return &c.record
}
