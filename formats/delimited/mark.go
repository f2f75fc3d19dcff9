package delimited

import "encoding/binary"

const (
	everyByte = 0x0101010101010101
	lowBits   = 0x7f7f7f7f7f7f7f7f
	highBits  = 0x8080808080808080
)

// markWords fills blocks of marks from text, which has at least as many bytes, eight bytes at a time.
func markWords(text []byte, delimiter byte, blocks []marks) {
	for i := range blocks {
		m := &blocks[i]
		*m = marks{}
		for k := 0; k < step; k += 8 {
			w := binary.LittleEndian.Uint64(text[i*step+k:])
			m.delimiters |= equal(w, delimiter) << k
			m.feeds |= equal(w, '\n') << k
			m.quotes |= equal(w, '"') << k
			m.high |= gathered(w) << k
		}
	}
}

// equal has a bit for each of the eight bytes of w that is c.
func equal(w uint64, c byte) uint64 {
	x := w ^ uint64(c)*everyByte
	return gathered(^(x&lowBits + lowBits | x))
}

// gathered has the highest bits of the eight bytes of w one beside the other.
func gathered(w uint64) uint64 {
	return (w & highBits >> 7) * 0x0102040810204080 >> 56
}
