package typing

import (
	"bytes"
	"strings"
	"time"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
)

// The forms of decimals: which mark stands before the fraction. The other may stand between thousands, as may spaces and
// apostrophes.
const (
	Point = "point"
	Comma = "comma"
)

// mostDigits is how many digits the whole part of a number has at most: what a signed 64-bit integer always holds.
const mostDigits = 18

// isInteger reports whether a text is a whole number as numbers are written: without zeros in front.
func isInteger(b []byte) bool {
	if len(b) > 0 && b[0] == '-' {
		b = b[1:]
	}
	if len(b) == 0 || len(b) > mostDigits || len(b) > 1 && b[0] == '0' {
		return false
	}
	return len(bytes.Trim(b, "0123456789")) == 0
}

// ReadDecimal appends the plain form of a number that is written in the given form. It reports false where the text is no
// such number; thousands, where they are marked, are marked throughout and with one mark.
func ReadDecimal(dst, text []byte, form string) ([]byte, bool) {
	if form == Point && !bytes.HasSuffix(text, []byte{'.'}) { // as most are
		if plain, _, ok := exact.Short(dst, text); ok {
			return plain, true
		}
	}
	point, thousands := byte('.'), byte(',')
	if form == Comma {
		point, thousands = ',', '.'
	}
	var plain [64]byte
	number := plain[:0]
	rest := text
	if len(rest) > 0 && (rest[0] == '-' || rest[0] == '+') {
		number = append(number, rest[0])
		rest = rest[1:]
	}
	at := bytes.IndexByte(rest, point)
	whole, fraction := rest, []byte(nil)
	if at >= 0 {
		whole, fraction = rest[:at], rest[at+1:]
		if len(fraction) == 0 {
			return dst, false
		}
	}
	if bytes.IndexByte(whole, 0xC2) >= 0 {
		whole = bytes.ReplaceAll(whole, []byte("\u00A0"), []byte{' '})
	}
	number, ok := appendWhole(number, whole, thousands)
	if !ok || len(number) > mostDigits+1 || len(fraction) > 30 || len(bytes.Trim(fraction, "0123456789")) > 0 {
		return dst, false
	}
	if at >= 0 {
		number = append(append(number, '.'), fraction...)
	}
	return exact.Plain(dst, number)
}

// appendWhole appends the digits of a number's whole part without the marks between thousands.
func appendWhole(dst, whole []byte, thousands byte) ([]byte, bool) {
	mark := byte(0)
	run, groups := 0, 0
	for i, c := range whole {
		switch {
		case c >= '0' && c <= '9':
			dst = append(dst, c)
			run++
		case (c == thousands || c == ' ' || c == '\'') && (mark == 0 || mark == c) && run > 0 && run <= 3 && (groups == 0 || run == 3) && i > 0:
			mark = c
			groups++
			run = 0
		default:
			return dst, false
		}
	}
	if run == 0 || groups > 0 && run != 3 || len(whole) > 1 && whole[0] == '0' {
		return dst, false
	}
	return dst, true
}

// timestamps are the forms of ISO 8601 that are read: a date and a time of day, perhaps with a zone.
var timestamps = []string{"2006-01-02T15:04:05", "2006-01-02 15:04:05", "2006-01-02T15:04", "2006-01-02 15:04",
	"2006-01-02T15:04:05Z07:00", "2006-01-02 15:04:05Z07:00", "2006-01-02T15:04Z07:00"}

func isTimestamp(b []byte) bool { _, ok := readTimestamp(b); return ok }

func readTimestamp(b []byte) (time.Time, bool) {
	if len(b) < 16 || b[4] != '-' || b[10] != 'T' && b[10] != ' ' {
		return time.Time{}, false
	}
	for _, layout := range timestamps {
		if t, err := time.Parse(layout, string(b)); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}

// Values reads the values of a type as something that can be ordered.
type Values struct {
	Type
	date   *reading.Reader
	amount *reading.Reader // of decimals with marks
	buffer []byte
}

// NewValues returns a reader of a type's values. Of an ambiguous or boolean type, and of text, no value is read.
func NewValues(t Type) *Values {
	v := &Values{Type: t}
	if t.Name == Date && t.Form != "" {
		v.date = readerOf("date " + t.Form)
	}
	if t.Name == Decimal && strings.Contains(t.Form, " ") {
		v.amount = readerOf("number " + t.Form)
	}
	return v
}

// Number returns the plain form of an integer or decimal, until the next call.
func (v *Values) Number(text []byte) ([]byte, bool) {
	text = bytes.TrimSpace(text)
	var ok bool
	switch {
	case v.Name == Integer && isInteger(text):
		v.buffer, ok = exact.Plain(v.buffer[:0], text)
	case v.amount != nil:
		if read := v.amount.Cell(text); read.State == reading.Text {
			v.buffer, ok = append(v.buffer[:0], read.Text...), true
		}
	case v.Name == Decimal && v.Form != "":
		v.buffer, ok = ReadDecimal(v.buffer[:0], text, v.Form)
	}
	return v.buffer, ok
}

// Seconds returns the seconds from 1970-01-01 to a date or timestamp.
func (v *Values) Seconds(text []byte) (int64, bool) {
	text = bytes.TrimSpace(text)
	switch {
	case v.date != nil:
		if r := v.date.Cell(text); r.State == reading.Text {
			return reading.DayNumber(r.Text) * 86400, true
		}
	case v.Name == Timestamp:
		if t, ok := readTimestamp(text); ok {
			return t.Unix(), true
		}
	}
	return 0, false
}
