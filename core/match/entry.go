package match

import (
	"bytes"
	"encoding/binary"

	"twinsieve/core/reading"
)

// An entry is a head, the key, and the values, each as its size and state in one varint followed by its text. The head is the record's number,
// the lower half of its key's hash (4 bytes each), the entry's size and the key's size (2 bytes each; the highest bit of the last says that one
// of the values is unreadable). Of entries that may be too large for that, both are 0 and follow as 4 bytes each.
const (
	shortHead       = 12
	longHead        = 20
	longestShort    = 1<<15 - 1
	shortUnreadable = 1 << 15
	longUnreadable  = 1 << 31
)

// headOf is how many bytes the heads of entries have of which none is larger than so many bytes.
func headOf(longest int) int {
	if longest > longestShort {
		return longHead
	}
	return shortHead
}

// entry is an entry in its block.
type entry []byte

// putHead fills in the entry's head, of so many bytes. Its key has so many bytes.
func (e entry) putHead(row, hash uint32, head, key int, unreadable bool) {
	binary.LittleEndian.PutUint32(e, row)
	binary.LittleEndian.PutUint32(e[4:], hash)
	if head == longHead {
		size := uint32(key)
		if unreadable {
			size |= longUnreadable
		}
		binary.LittleEndian.PutUint32(e[8:], 0)
		binary.LittleEndian.PutUint32(e[12:], uint32(len(e)))
		binary.LittleEndian.PutUint32(e[16:], size)
		return
	}
	size := uint16(key)
	if unreadable {
		size |= shortUnreadable
	}
	binary.LittleEndian.PutUint16(e[8:], uint16(len(e)))
	binary.LittleEndian.PutUint16(e[10:], size)
}

func entryAt(block []byte, at uint32) entry {
	e := entry(block[at:])
	if size := binary.LittleEndian.Uint16(e[8:]); size != 0 {
		return e[:size]
	}
	return e[:binary.LittleEndian.Uint32(e[12:])]
}

func (e entry) size() uint32 { return uint32(len(e)) }
func (e entry) row() uint32  { return binary.LittleEndian.Uint32(e) }
func (e entry) hash() uint32 { return binary.LittleEndian.Uint32(e[4:]) }
func (e entry) long() bool   { return binary.LittleEndian.Uint16(e[8:]) == 0 }

// keyPlace is where the key begins and ends.
func (e entry) keyPlace() (from, to int) {
	if e.long() {
		return longHead, longHead + int(binary.LittleEndian.Uint32(e[16:])&^longUnreadable)
	}
	return shortHead, shortHead + int(binary.LittleEndian.Uint16(e[10:])&^shortUnreadable)
}

func (e entry) key() []byte {
	from, to := e.keyPlace()
	return e[from:to]
}

// unreadable reports whether one of the values is.
func (e entry) unreadable() bool {
	if e.long() {
		return binary.LittleEndian.Uint32(e[16:])&longUnreadable != 0
	}
	return binary.LittleEndian.Uint16(e[10:])&shortUnreadable != 0
}

// sameAs reports whether the entries have the same key and the same values.
func (e entry) sameAs(other entry) bool { return bytes.Equal(e[8:], other[8:]) }

// tail is the values as they stand in the entry.
func (e entry) tail() []byte {
	_, from := e.keyPlace()
	return e[from:]
}

// values reads the entry's values into v, which has as many as the entry.
func (e entry) values(v []reading.Value) {
	rest := e.tail()
	for i := range v {
		v[i], rest = firstValue(rest)
	}
}

// value is the entry's value i, counted from zero.
func (e entry) value(i int) reading.Value {
	rest := e.tail()
	for ; i > 0; i-- {
		_, rest = firstValue(rest)
	}
	v, _ := firstValue(rest)
	return v
}

// firstValue is the value that a tail begins with, and what follows it.
func firstValue(tail []byte) (v reading.Value, rest []byte) {
	head, n := uint64(tail[0]), 1
	if head >= 0x80 {
		head, n = binary.Uvarint(tail)
	}
	end := n + int(head>>2)
	return reading.Value{State: reading.State(head & 3), Text: tail[n:end]}, tail[end:]
}
