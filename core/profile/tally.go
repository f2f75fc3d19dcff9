package profile

import (
	"bytes"
	"hash/maphash"
	"unicode/utf8"

	"twinsieve/core/slots"
)

// tally counts how many records have each value. Values are compared byte by byte; their hashes only find the place.
type tally struct {
	slots   []uint32 // places in entries plus one, by hash; a power of two of them
	entries []entry
	text    []byte // of all values, one behind another
	seen    byte   // what foresee came upon, so that it is not left out
}

type entry struct {
	hash    uint64
	start   uint64
	size    uint32
	records int64
}

func newTally() *tally { return &tally{slots: make([]uint32, 1024)} }

// newTallyFor returns a tally with room for about so many values and bytes, so that it need not be moved again and again while it grows.
func newTallyFor(values, bytes int) *tally {
	slots := 1024
	for slots < 2*values {
		slots *= 2
	}
	return &tally{slots: make([]uint32, slots), entries: make([]entry, 0, values), text: make([]byte, 0, bytes)}
}

// bytes is about how much memory the tally holds.
func (t *tally) bytes() int64 {
	return int64(len(t.slots)*4 + cap(t.entries)*32 + cap(t.text))
}

// hash is the same for the same text while the process runs.
func hash(text []byte) uint64 { return maphash.Bytes(seed, text) }

var seed = maphash.MakeSeed()

// add counts a value once more.
func (t *tally) add(h uint64, text []byte) {
	mask := uint64(len(t.slots) - 1)
	for at := h & mask; ; at = (at + 1) & mask {
		n := t.slots[at]
		if n == 0 {
			t.slots[at] = uint32(len(t.entries) + 1)
			break
		}
		if e := &t.entries[n-1]; e.hash == h && bytes.Equal(t.value(e), text) {
			e.records++
			return
		}
	}
	t.entries = append(t.entries, entry{h, uint64(len(t.text)), uint32(len(text)), 1})
	t.text = append(t.text, text...)
	if len(t.entries)*2 > len(t.slots) {
		t.place(2 * len(t.slots))
	}
}

// foreseen is how many values are looked for ahead of counting them.
const foreseen = 64

// foresee looks at where values with these hashes would be found. In a large tally each is somewhere else in memory, for which one that is counted
// has to wait; looked at together, they are waited for together.
func (t *tally) foresee(hashes []uint64) {
	const small = 1 << 14 // slots of a tally that is near at hand anyway
	if len(t.slots) <= small {
		return
	}
	var at [foreseen]uint32
	mask := uint64(len(t.slots) - 1)
	for i, h := range hashes {
		at[i] = t.slots[h&mask]
	}
	var starts [foreseen]uint64
	for i := range hashes {
		if n := at[i]; n > 0 {
			starts[i] = t.entries[n-1].start
		}
	}
	seen := byte(0)
	if len(t.text) > 0 {
		for i := range hashes {
			seen ^= t.text[starts[i]]
		}
	}
	t.seen = seen
}

// hasSmall reports whether a value has a letter that may be a small one.
func (t *tally) hasSmall() bool {
	for _, c := range t.text {
		if c >= 'a' && c <= 'z' || c >= utf8.RuneSelf {
			return true
		}
	}
	return false
}

func (t *tally) value(e *entry) []byte { return t.text[e.start : e.start+uint64(e.size)] }

// place finds every entry a place anew, among so many.
func (t *tally) place(places int) {
	t.slots = make([]uint32, places)
	slots.Place(t.slots, len(t.entries), func(i int) uint64 { return t.entries[i].hash })
}

// keep forgets every value that does not belong to a part.
func (t *tally) keep(p part) {
	kept := newTally()
	for i := range t.entries {
		if e := &t.entries[i]; p.has(e.hash, t.value(e)) {
			kept.entries = append(kept.entries, entry{e.hash, uint64(len(kept.text)), e.size, e.records})
			kept.text = append(kept.text, t.value(e)...)
		}
	}
	slots := len(kept.slots)
	for slots < 2*len(kept.entries) {
		slots *= 2
	}
	kept.place(slots)
	*t = *kept
}

// has reports whether a value has been counted.
func (t *tally) has(text []byte) bool {
	h, mask := hash(text), uint64(len(t.slots)-1)
	for at := h & mask; t.slots[at] != 0; at = (at + 1) & mask {
		if e := &t.entries[t.slots[at]-1]; e.hash == h && bytes.Equal(t.value(e), text) {
			return true
		}
	}
	return false
}
