package reading

import (
	"bytes"
	"sync"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
)

// step appends the reading of src to dst. It reports false when src is not what it reads. src is never empty.
type step func(dst, src []byte) ([]byte, bool)

// kind is what a reading's name stands for.
type kind struct {
	name     string
	argument string // what the argument is, for messages; "" when it takes none
	optional bool   // the argument may be left out
	says     string // what it does, for help
	settled  bool   // applied to what it gave, it gives the same again
	compile  func(argument string, lists Lists) (step, error)
}

// outside makes a step that reads without the spaces around a text: it is tried without them only where it cannot be read as it is. Of spaces
// alone nothing is left, which is blank.
func outside(s step) step {
	return func(dst, src []byte) ([]byte, bool) {
		if out, ok := s(dst, src); ok {
			return out, true
		}
		inner := bytes.TrimFunc(src, unicode.IsSpace)
		switch len(inner) {
		case len(src):
			return dst, false
		case 0:
			return dst, true
		}
		return s(dst, inner)
	}
}

// reads is a kind's compile function whose step reads without the spaces around a text.
func reads(compile func(argument string) (step, error)) func(string, Lists) (step, error) {
	return func(argument string, _ Lists) (step, error) {
		s, err := compile(argument)
		if err != nil {
			return nil, err
		}
		return outside(s), nil
	}
}

func plain(s step) func(string, Lists) (step, error) {
	return func(string, Lists) (step, error) { return s, nil }
}

func with(compile func(argument string) (step, error)) func(string, Lists) (step, error) {
	return func(argument string, _ Lists) (step, error) { return compile(argument) }
}

var kinds = []kind{
	{name: "trim", says: "without spaces at both ends", settled: true, compile: plain(trim)},
	{name: "single-spaces", says: "every run of spaces as one space", settled: true, compile: plain(singleSpaces)},
	{name: "drop-invisible", says: "without characters that cannot be seen", settled: true, compile: plain(dropInvisible)},
	{name: "plain-marks", says: "typographic quotes, dashes and dots as plain ones", settled: true, compile: plain(plainMarks)},
	{name: "plain-letters", says: "letters of other scripts that look Latin as Latin ones", settled: true, compile: plain(plainLetters)},
	{name: "ignore-case", says: "upper and lower case are the same", settled: true, compile: plain(ignoreCase)},
	{name: "normal-form", argument: "one of NFC, NFD, NFKC, NFKD", says: "in one Unicode normal form: accents as one character or as two", settled: true, compile: with(compileNormalForm)},
	{name: "drop-accents", says: "without accents: Île is Ile, Żuraw is Zuraw, Sjö is Sjo", settled: true, compile: plain(dropAccents)},
	{name: "drop-leading-zeros", says: "without zeros at the start of the value: 007 is 7, 00A1 is A1", settled: true, compile: plain(dropLeadingZeros)},
	{name: "drop-zeros-in-digit-runs", says: "without zeros at the start of every run of digits: MW-04417 is MW-4417", settled: true, compile: plain(dropZerosInDigitRuns)},
	{name: "digits-only", says: "only the digits", settled: true, compile: plain(keep(unicode.IsDigit))},
	{name: "letters-and-digits", says: "only letters, with their accents, and digits", settled: true, compile: plain(keep(isLetterOrDigit))},
	{name: "first", argument: "how many characters", says: "the first characters", settled: true, compile: with(compileFirst)},
	{name: "last", argument: "how many characters", says: "the last characters", settled: true, compile: with(compileLast)},
	{name: "drop-beginning", argument: "the text that is dropped", says: "without a stated beginning, where it is there", compile: with(compileDropBeginning)},
	{name: "drop-ending", argument: "the text that is dropped", says: "without a stated ending, where it is there", compile: with(compileDropEnding)},
	{name: "capture", argument: "a regular expression", says: "what a pattern's groups take, or all of it where it has none", compile: with(compileCapture)},
	{name: "number", argument: "how it is written: point or comma, brackets, trailing-minus, currency", optional: true,
		says: "as a number: 1.50 is 1.5; with point or comma also with thousands apart", compile: reads(compileNumber)},
	{name: "negate", says: "as a number with its sign turned", compile: reads(func(string) (step, error) { return negate, nil })},
	{name: "date", argument: "a layout such as DD.MM.YYYY", says: "as a date in the stated layout, or in one of several with or between them", compile: reads(compileDate)},
	{name: "time", argument: "a layout such as DD.MM.YYYY hh:mm", says: "as a moment in the stated layout, in UTC where no zone is stated: time DD.MM.YYYY hh:mm in Europe/Oslo", compile: reads(compileTime)},
	{name: "to-day", argument: "in ZONE", optional: true, says: "the day of a date or moment", settled: true, compile: reads(compileCut(len("2031-03-02")))},
	{name: "to-month", argument: "in ZONE", optional: true, says: "the month of a date or moment", settled: true, compile: reads(compileCut(len("2031-03")))},
	{name: "to-year", argument: "in ZONE", optional: true, says: "the year of a date or moment", settled: true, compile: reads(compileCut(len("2031")))},
	{name: "yes-no", argument: "the two words, such as ja/nej", optional: true, says: "as yes or no: true, Y, 1 and on are yes", compile: reads(compileYesNo)},
	{name: "lookup", argument: "the name of a lookup list", says: "the code that a lookup list has for it, or itself where the list has none", compile: compileLookup},
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

// dropLeadingZeros drops a zero as long as a digit or a letter follows it: at least one character stays, and so does the zero before a
// point or a slash.
func dropLeadingZeros(dst, src []byte) ([]byte, bool) {
	for len(src) > 1 && src[0] == '0' && isAlphanumeric(src[1:]) {
		src = src[1:]
	}
	return append(dst, src...), true
}

// isAlphanumeric reports whether a text begins with a digit or a letter.
func isAlphanumeric(text []byte) bool {
	r, _ := utf8.DecodeRune(text)
	return unicode.IsDigit(r) || unicode.IsLetter(r)
}

// dropZerosInDigitRuns drops the zeros at the start of every run of digits. Of a run of zeros alone one stays, but for zeros that the
// whole value begins with before a letter.
func dropZerosInDigitRuns(dst, src []byte) ([]byte, bool) {
	for len(src) > 1 && src[0] == '0' && isAlphanumeric(src[1:]) {
		src = src[1:]
	}
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
