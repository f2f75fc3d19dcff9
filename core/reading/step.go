package reading

import (
	"bytes"
	"sync"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"

	"twinsieve/core/exact"
)

// step appends the reading of src to dst. It reports false when src is not what it reads. src is never empty.
type step func(dst, src []byte) ([]byte, bool)

// kind is what a reading's name stands for.
type kind struct {
	name     string
	argument string // what the argument is, for messages; "" when it takes none
	says     string // what it does, for help
	compile  func(argument string) (step, error)
}

func plain(s step) func(string) (step, error) {
	return func(string) (step, error) { return s, nil }
}

var kinds = []kind{
	{name: "trim", says: "without spaces at both ends", compile: plain(trim)},
	{name: "single-spaces", says: "every run of spaces as one space", compile: plain(singleSpaces)},
	{name: "ignore-case", says: "upper and lower case are the same", compile: plain(ignoreCase)},
	{name: "drop-leading-zeros", says: "without zeros before the first digit of the value", compile: plain(dropLeadingZeros)},
	{name: "drop-zeros-in-digit-runs", says: "without zeros at the start of every run of digits: MW-04417 is MW-4417", compile: plain(dropZerosInDigitRuns)},
	{name: "number", says: "as a number: 1.50 is 1.5", compile: plain(exact.Plain)},
	{name: "date", argument: "a layout such as DD.MM.YYYY", says: "as a date in the stated layout", compile: compileDate},
}

// trim drops Unicode white space at both ends, no-break spaces included.
func trim(dst, src []byte) ([]byte, bool) {
	return append(dst, bytes.TrimFunc(src, unicode.IsSpace)...), true
}

func singleSpaces(dst, src []byte) ([]byte, bool) {
	inSpaces := false
	for len(src) > 0 {
		r, size := utf8.DecodeRune(src)
		if unicode.IsSpace(r) {
			if !inSpaces {
				dst = append(dst, ' ')
			}
			inSpaces = true
		} else {
			dst = append(dst, src[:size]...)
			inSpaces = false
		}
		src = src[size:]
	}
	return dst, true
}

var folders = sync.Pool{New: func() any { c := cases.Fold(); return &c }}

// ignoreCase folds letter case by Unicode's full case folding.
func ignoreCase(dst, src []byte) ([]byte, bool) {
	start := len(dst)
	for _, c := range src {
		if c >= utf8.RuneSelf {
			folder := folders.Get().(*cases.Caser)
			dst = append(dst[:start], folder.Bytes(bytes.Map(cherokeeCapital, src))...)
			folders.Put(folder)
			return dst, true
		}
		if 'A' <= c && c <= 'Z' {
			c += 'a' - 'A'
		}
		dst = append(dst, c)
	}
	return dst, true
}

// cherokeeCapital maps the small letters of Cherokee to capitals. The folding of package cases exchanges the two, where
// everywhere else it gives one form for both.
func cherokeeCapital(r rune) rune {
	switch {
	case r >= 0xAB70 && r <= 0xABBF:
		return r - 0xAB70 + 0x13A0
	case r >= 0x13F8 && r <= 0x13FD:
		return r - 8
	}
	return r
}

func isDigit(c byte) bool { return '0' <= c && c <= '9' }

// dropLeadingZeros drops a zero as long as another digit follows it, so that one digit stays.
func dropLeadingZeros(dst, src []byte) ([]byte, bool) {
	for len(src) > 1 && src[0] == '0' && isDigit(src[1]) {
		src = src[1:]
	}
	return append(dst, src...), true
}

func dropZerosInDigitRuns(dst, src []byte) ([]byte, bool) {
	atStart := true // of a run of digits, as far as written
	for i, c := range src {
		if c == '0' && atStart && i+1 < len(src) && isDigit(src[i+1]) {
			continue
		}
		atStart = !isDigit(c)
		dst = append(dst, c)
	}
	return dst, true
}
