package reading

import (
	"bytes"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"twinsieve/core/exact"
)

// numberForm is how numbers are written.
type numberForm struct {
	point         rune // before the fraction; 0: digits, sign and exponent as computers write them, and nothing else
	brackets      bool // (12.50) is -12.50
	trailingMinus bool // 12.50- is -12.50
	currency      bool // a currency's sign, or its letters, may stand in front or behind
}

// Number appends the plain form of a number that people write with a point or a comma before its fraction, perhaps with thousands
// apart, as the readings "number point" and "number comma" do. It reports false, and returns dst as it was, where src is none.
func Number(dst, src []byte, comma bool) ([]byte, bool) {
	f := numberForm{point: '.'}
	if comma {
		f.point = ','
	}
	return f.read(dst, src)
}

// compileNumber reads how numbers are written: nothing, or the words point or comma, brackets, trailing-minus, currency.
// With point or comma, thousands may be apart, throughout and by one mark: the other of the two, a space or an apostrophe.
func compileNumber(argument string) (step, error) {
	var f numberForm
	for _, word := range strings.Fields(argument) {
		switch {
		case word == "point" && f.point == 0:
			f.point = '.'
		case word == "comma" && f.point == 0:
			f.point = ','
		case word == "point" || word == "comma":
			return nil, fmt.Errorf("a number cannot be written with a point and with a comma before its fraction; write one of them")
		case word == "brackets":
			f.brackets = true
		case word == "trailing-minus":
			f.trailingMinus = true
		case word == "currency":
			f.currency = true
		default:
			return nil, fmt.Errorf("%q does not say how numbers are written; write point or comma, brackets, trailing-minus, currency", word)
		}
	}
	if f == (numberForm{}) {
		return exact.Plain, nil
	}
	return f.read, nil
}

func (f numberForm) read(dst, src []byte) ([]byte, bool) {
	negative := false
	rest := src
	if f.currency {
		rest = dropCurrency(rest)
	}
	if n := len(rest); f.brackets && n > 2 && rest[0] == '(' && rest[n-1] == ')' {
		negative, rest = true, rest[1:n-1]
		if f.currency {
			rest = dropCurrency(rest)
		}
	} else if sign, size := minus(rest); sign {
		negative, rest = true, rest[size:]
		if f.currency {
			rest = dropCurrency(rest)
		}
	} else if sign, size := lastMinus(rest); sign && f.trailingMinus {
		negative, rest = true, rest[:len(rest)-size]
	}
	if len(rest) == 0 || rest[0] == '-' || rest[0] == '+' && negative {
		return dst, false // of two signs, none says what is meant
	}
	var buffer [64]byte
	number := buffer[:0]
	if negative {
		number = append(number, '-')
	}
	number, ok := f.appendPointed(number, rest)
	if !ok {
		return dst, false
	}
	return exact.Plain(dst, number)
}

func minus(text []byte) (bool, int) {
	r, size := utf8.DecodeRune(text)
	return r == '-' || r == '−', size
}

func lastMinus(text []byte) (bool, int) {
	r, size := utf8.DecodeLastRune(text)
	return r == '-' || r == '−', size
}

// dropCurrency drops a currency's sign, or up to three letters, at one end, with the spaces between them and the number.
func dropCurrency(text []byte) []byte {
	start, end := 0, len(text)
	for letters := 0; start < end; {
		r, size := utf8.DecodeRune(text[start:])
		if unicode.Is(unicode.Sc, r) {
			start += size
			break
		}
		if !unicode.IsLetter(r) || letters == 3 {
			break
		}
		letters++
		start += size
	}
	if start > 0 {
		return bytes.TrimLeftFunc(text[start:], unicode.IsSpace)
	}
	for letters := 0; end > 0; {
		r, size := utf8.DecodeLastRune(text[:end])
		if unicode.Is(unicode.Sc, r) {
			end -= size
			break
		}
		if !unicode.IsLetter(r) || letters == 3 {
			break
		}
		letters++
		end -= size
	}
	if end < len(text) {
		return bytes.TrimRightFunc(text[:end], unicode.IsSpace)
	}
	return text
}

// appendPointed appends a number without marks between thousands and with a point before its fraction.
func (f numberForm) appendPointed(dst, text []byte) ([]byte, bool) {
	point, other := '.', ','
	if f.point == ',' {
		point, other = ',', '.'
	}
	if f.point == 0 {
		return append(dst, text...), true
	}
	at := bytes.IndexRune(text, point)
	whole, fraction := text, []byte(nil)
	if at >= 0 {
		whole, fraction = text[:at], text[at+1:]
	}
	mark := rune(0)
	run, groups := 0, 0
	zeroFirst := bytes.HasPrefix(bytes.TrimPrefix(whole, []byte{'+'}), []byte{'0'}) // then its thousands are not apart
	for i := 0; i < len(whole); {
		c, size := utf8.DecodeRune(whole[i:])
		switch {
		case c >= '0' && c <= '9':
			run++
			dst = append(dst, byte(c))
		case i == 0 && c == '+':
			dst = append(dst, '+')
		case c == other || c == '\'' || c == '’' || unicode.IsSpace(c):
			if mark != 0 && c != mark || run == 0 || run > 3 || groups > 0 && run != 3 || zeroFirst {
				return dst, false
			}
			mark, run = c, 0
			groups++
		case mark == 0 && at < 0 && (c == 'e' || c == 'E'): // an exponent
			return append(dst, whole[i:]...), true
		default:
			return dst, false
		}
		i += size
	}
	if groups > 0 && run != 3 {
		return dst, false
	}
	if at >= 0 {
		dst = append(append(dst, '.'), fraction...)
	}
	return dst, true
}

// negate turns the sign of a number as computers write it.
func negate(dst, src []byte) ([]byte, bool) {
	start := len(dst)
	dst, ok := exact.Plain(dst, src)
	switch {
	case !ok:
		return dst, false
	case dst[start] == '-':
		return append(dst[:start], dst[start+1:]...), true
	case string(dst[start:]) == "0":
		return dst, true
	}
	dst = append(dst, 0)
	copy(dst[start+1:], dst[start:])
	dst[start] = '-'
	return dst, true
}
