package exact

import (
	"encoding/binary"
	"math/bits"
)

// Most numbers are short. Up to eight characters are looked at together, as the bytes of one word, without a step that depends on what they
// are: where the point stands cannot be foreseen, and a processor that foresees it wrongly loses more time than all of this takes.
const (
	each     = 0x0101010101010101
	highest  = 0x80 * each
	zeros    = '0' * each
	points   = '.' * each
	upper    = 0xF0 * each
	sixes    = 0x06 * each // beyond '9', these carry into the upper half
	shortest = 8           // characters
)

// shortDigits returns the digits of src, up to eight characters of which one may be a point, as a word whose first bytes are filled with
// zeros, and how many of them are behind the point. It reports false where src is something else, or is at the very end of its memory.
func shortDigits(src []byte) (digits uint64, places int, ok bool) {
	n := len(src)
	if n == 0 || n > shortest || cap(src) < shortest {
		return 0, 0, false
	}
	// The characters move to the end of the word.
	word := binary.LittleEndian.Uint64(src[:shortest])<<(64-8*n) | zeros>>(8*n)
	other := word ^ points
	if hit := (other - each) &^ other & highest; hit != 0 {
		// Those before the point move into its place.
		at := bits.TrailingZeros64(hit) &^ 7
		word = word>>(at+8)<<(at+8) | word&(1<<at-1)<<8 | '0'
		if places = 7 - at/8; n == 1 {
			return 0, 0, false // a point alone
		}
	}
	return word, places, word&upper == zeros && (word+sixes)&upper == zeros
}

// number is the number that the bytes of a word are the digits of.
func number(digits uint64) int64 {
	digits -= zeros
	digits = (digits*10 + digits>>8) & 0x00FF00FF00FF00FF
	digits = (digits*100 + digits>>16) & 0x0000FFFF0000FFFF
	return int64((digits*10_000 + digits>>32) & 0xFFFFFFFF)
}

// Short is [Plain] for a short number that begins with a digit other than zero, as most do, and gives the number as a term, too. It reports
// false, and returns dst as it was, for any other: of these, Plain says what they are.
func Short(dst, src []byte) (plain []byte, t Term, ok bool) {
	digits, places, ok := shortDigits(src)
	if !ok || src[0]-'1' > 8 {
		return dst, Term{}, false
	}
	t = Term{number(digits), places}
	n := len(src)
	for ; places > 0 && src[n-1] == '0'; places-- {
		n--
	}
	if src[n-1] == '.' {
		n--
	}
	if at := len(dst); cap(dst)-at >= shortest {
		*(*[shortest]byte)(dst[at : at+shortest]) = *(*[shortest]byte)(src[:shortest]) // which the compiler does without a call
		return dst[:at+n], t, true
	}
	return append(dst, src[:n]...), t, true
}
