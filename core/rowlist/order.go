package rowlist

import (
	"strings"

	"twinsieve/core/comparison"
	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/sorted"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// The first byte of a column's part of a sort key says what kind of cell it is of.
const (
	noPartnerFirst = 0x01
	blankFirst     = 0x02
	valueKind      = 0x10
	unreadableKind = 0x20
	blankLast      = 0x30
	noPartnerLast  = 0x40
)

// encoder writes the cells that rows are sorted by as bytes that are ordered as the rows are. Each goroutine needs its own.
type encoder struct {
	keys []encoderKey
	out  []byte
}

type encoderKey struct {
	Key
	cell    int // place among the cells fetched
	shown   comparison.Column
	readers [2]*reading.Reader // by side; nil: text as it is
	text    []byte             // of the cell being encoded
}

func newEncoder(sort []Key, columns []comparison.Column, place []int) *encoder {
	e := &encoder{}
	for _, k := range sort {
		key := encoderKey{Key: k, cell: place[k.Column], shown: columns[k.Column]}
		for s, t := range k.Types {
			if list, ok := t.Readings(); ok && len(list) > 0 {
				chain, err := reading.Compile(list, tray.Side(s), nil)
				if err != nil {
					continue // its values are sorted as text
				}
				key.readers[s] = chain.Reader()
			}
		}
		e.keys = append(e.keys, key)
	}
	return e
}

// encode returns the sort key of a row, until the next call.
func (e *encoder) encode(row comparison.Row, cells []comparison.Cell) []byte {
	e.out = e.out[:0]
	for i := range e.keys {
		k := &e.keys[i]
		e.out = k.append(e.out, k.side(row), &cells[k.cell])
	}
	return e.out
}

// side is the side whose cell the row shows.
func (k *encoderKey) side(row comparison.Row) tray.Side {
	if s, one := k.shown.Of(); one {
		return s
	}
	if row[tray.Left] == comparison.None {
		return tray.Right
	}
	return tray.Left
}

func (k *encoderKey) append(dst []byte, s tray.Side, c *comparison.Cell) []byte {
	kind := func(last, first byte) byte {
		if k.BlanksFirst {
			return first
		}
		return last
	}
	if c.NoPartner {
		return append(dst, kind(noPartnerLast, noPartnerFirst))
	}
	k.text = append(k.text[:0], c.Content()...)
	value := reading.Value{Text: k.text, State: reading.Text}
	if len(value.Text) == 0 {
		value.State = reading.Blank
	} else if r := k.readers[s]; r != nil {
		value = r.Cell(value.Text)
	}
	switch {
	case value.State.IsBlank():
		return append(dst, kind(blankLast, blankFirst))
	case value.State == reading.Unreadable:
		dst = append(dst, unreadableKind)
		return sorted.AppendText(dst, []byte(c.Text))
	}
	dst = append(dst, valueKind)
	start := len(dst)
	switch {
	case k.readers[s] != nil && k.Types[s].Numeric():
		dst = exact.AppendOrdered(dst, value.Text)
	case k.readers[s] != nil && k.Types[s].Name == typing.Timestamp: // Z would come behind a fraction of a second
		dst = sorted.AppendText(dst, []byte(strings.TrimSuffix(string(value.Text), "Z")))
	default:
		dst = sorted.AppendText(dst, value.Text)
	}
	if k.Descending {
		for i := range dst[start:] {
			dst[start+i] = ^dst[start+i]
		}
	}
	return dst
}
