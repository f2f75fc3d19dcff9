// Package exact reads, compares and adds decimal numbers without ever rounding.
//
// Numbers travel as text in one plain form: digits with an optional leading minus and an optional point, no leading
// zeros before the first digit of the whole part, no trailing zeros after the point, and no minus for zero. Two numbers
// are equal exactly when their plain forms are the same bytes, so a plain form is also a key. Most numbers fit a 64-bit
// coefficient, and are handled as such; the others go through a decimal of any size.
package exact

import (
	"bytes"

	"github.com/shopspring/decimal"
)

// MaxDigits is how many digits the plain form of a number may have. A number beyond it is unreadable.
const MaxDigits = 10_000

// Plain appends the plain form of the number that src writes: an optional sign, digits with an optional point, an
// optional decimal exponent, and nothing else. It reports false, and returns dst as it was, when src is not such a
// number or its plain form would have more than [MaxDigits] digits.
func Plain(dst, src []byte) ([]byte, bool) {
	if dst, _, ok := Short(dst, src); ok {
		return dst, true
	}
	if isPlain(src) {
		return append(dst, src...), true
	}
	rest := src
	negative := false
	if len(rest) > 0 && (rest[0] == '-' || rest[0] == '+') {
		negative = rest[0] == '-'
		rest = rest[1:]
	}
	whole := leadingDigits(rest)
	rest = rest[len(whole):]
	var fraction []byte
	if len(rest) > 0 && rest[0] == '.' {
		fraction = leadingDigits(rest[1:])
		rest = rest[1+len(fraction):]
	}
	if len(whole)+len(fraction) == 0 {
		return dst, false
	}
	exponent := 0
	if len(rest) > 0 {
		var ok bool
		if exponent, ok = readExponent(rest); !ok {
			return dst, false
		}
	}
	return appendPlain(dst, negative, whole, fraction, exponent)
}

// isPlain reports whether a short number is surely in its plain form.
func isPlain(src []byte) bool {
	if len(src) == 0 || len(src) > 20 || src[0]-'1' > 8 || src[len(src)-1] == '0' {
		return false
	}
	point := false
	for _, c := range src {
		if c-'0' > 9 {
			if c != '.' || point {
				return false
			}
			point = true
		}
	}
	return src[len(src)-1] != '.'
}

func leadingDigits(b []byte) []byte {
	for i, c := range b {
		if c < '0' || c > '9' {
			return b[:i]
		}
	}
	return b
}

// readExponent reads "e", an optional sign and digits. An absurd exponent is cut off where it cannot matter any more.
func readExponent(b []byte) (int, bool) {
	if b[0] != 'e' && b[0] != 'E' {
		return 0, false
	}
	b = b[1:]
	negative := false
	if len(b) > 0 && (b[0] == '-' || b[0] == '+') {
		negative = b[0] == '-'
		b = b[1:]
	}
	if len(b) == 0 || len(leadingDigits(b)) != len(b) {
		return 0, false
	}
	e := 0
	for _, c := range b {
		if e = e*10 + int(c-'0'); e > 1<<40 {
			e = 1 << 40
		}
	}
	if negative {
		e = -e
	}
	return e, true
}

// appendPlain writes the digits of whole and fraction with the point moved right by exponent places.
func appendPlain(dst []byte, negative bool, whole, fraction []byte, exponent int) ([]byte, bool) {
	if exponent == 0 { // nearly always: no digit has to move
		whole = bytes.TrimLeft(whole, "0")
		fraction = bytes.TrimRight(fraction, "0")
		if len(whole)+len(fraction) > MaxDigits {
			return dst, false
		}
		if negative && len(whole)+len(fraction) > 0 {
			dst = append(dst, '-')
		}
		if len(whole) == 0 {
			dst = append(dst, '0')
		}
		dst = append(dst, whole...)
		if len(fraction) > 0 {
			dst = append(dst, '.')
			dst = append(dst, fraction...)
		}
		return dst, true
	}
	digits := append(append([]byte{}, whole...), fraction...)
	point := len(whole) + exponent // digits before the point
	trimmed := bytes.TrimLeft(digits, "0")
	point -= len(digits) - len(trimmed)
	digits = bytes.TrimRight(trimmed, "0")
	if len(digits) == 0 {
		return append(dst, '0'), true
	}
	if max(point, len(digits))-min(point, 0) > MaxDigits {
		return dst, false
	}
	if negative {
		dst = append(dst, '-')
	}
	switch {
	case point <= 0:
		dst = append(dst, '0', '.')
		dst = append(dst, bytes.Repeat([]byte{'0'}, -point)...)
		dst = append(dst, digits...)
	case point >= len(digits):
		dst = append(dst, digits...)
		dst = append(dst, bytes.Repeat([]byte{'0'}, point-len(digits))...)
	default:
		dst = append(dst, digits[:point]...)
		dst = append(dst, '.')
		dst = append(dst, digits[point:]...)
	}
	return dst, true
}

// small reads a plain form whose digits fit 18 places as coefficient and number of places after the point.
func small(plain []byte) (coefficient int64, places int, ok bool) {
	negative := plain[0] == '-'
	digits := plain
	if negative {
		digits = plain[1:]
	}
	if word, places, ok := shortDigits(digits); ok {
		if coefficient = number(word); negative {
			coefficient = -coefficient
		}
		return coefficient, places, true
	}
	if len(digits) > 19 {
		return 0, 0, false
	}
	for i, c := range digits {
		if c == '.' {
			places = len(digits) - 1 - i
			continue
		}
		coefficient = coefficient*10 + int64(c-'0')
	}
	if places == 0 && len(digits) > 18 {
		return 0, 0, false
	}
	if negative {
		coefficient = -coefficient
	}
	return coefficient, places, true
}

// Decimal returns the number of a plain form. It panics when plain is not one.
func Decimal(plain []byte) decimal.Decimal {
	if c, places, ok := small(plain); ok {
		return decimal.New(c, int32(-places))
	}
	return decimal.RequireFromString(string(plain))
}

// Text returns the plain form of d.
func Text(d decimal.Decimal) string {
	plain, ok := Plain(nil, []byte(d.String()))
	if !ok { // only a sum of very many very long numbers can get here
		return d.String()
	}
	return string(plain)
}
