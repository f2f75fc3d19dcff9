package typing

import (
	"bytes"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/currency"

	"twinsieve/core/reading"
)

// Amounts of money come with marks that numbers do not have: a currency, brackets or a minus behind for those below zero. A column of them is
// proposed as decimal with the marks that it has. A currency is a sign or a code of ISO 4217, so that codes such as TQ-17 are none; and half of
// the values with marks have a fraction, as amounts have.

// The words of the marks, as the reading number has them.
const (
	brackets      = "brackets"
	trailingMinus = "trailing-minus"
	currencyMark  = "currency"
)

var amountMarks = []string{brackets, trailingMinus, currencyMark}

// amountForms are the forms of decimals, in the order of a finder's amounts.
var amountForms = [2]string{Point, Comma}

// amounts counts the values of a column that read as amounts in one form, and do not without their marks.
type amounts struct {
	at        int // of its form
	reader    *reading.Reader
	read      int64
	fractions int64
	marks     map[string]bool // those that were seen
	unread    []Count         // the first values that are no decimals of the form, with or without marks
}

func newAmounts(at int) *amounts {
	return &amounts{at: at, reader: readerOf("number " + amountForms[at] + " " + strings.Join(amountMarks, " ")), marks: map[string]bool{}}
}

// addAmount tells of a value without spaces around it. plain says in which forms it is a decimal without marks; then nothing is looked for.
func (f *Finder) addAmount(text []byte, records int64, plain [2]bool, unread func(*[]Count)) {
	if f.amounts[0] == nil || plain[0] && plain[1] {
		return
	}
	marks, may := marksOf(text)
	for at, a := range f.amounts {
		switch {
		case plain[at]:
		case may && a.reads(text):
			a.read += records
			if point := [2]byte{'.', ','}[at]; bytes.IndexByte(text, point) >= 0 {
				a.fractions += records
			}
			for _, m := range marks {
				a.marks[m] = true
			}
		default:
			unread(&a.unread)
		}
	}
}

// reads reports whether a value reads as an amount.
func (a *amounts) reads(text []byte) bool {
	v := a.reader.Cell(text)
	return v.State == reading.Text && len(v.Text) <= mostDigits
}

// written is the type with the marks that were seen.
func (a *amounts) written() Type {
	form := amountForms[a.at]
	for _, m := range amountMarks {
		if a.marks[m] {
			form += " " + m
		}
	}
	return Type{Decimal, form}
}

// marksOf are the marks of a value that may be an amount. It reports false where there are letters that are no currency, or no digit.
func marksOf(text []byte) (marks []string, ok bool) {
	if len(text) == 0 || len(text) > 60 || !bytes.ContainsAny(text, "0123456789") {
		return nil, false
	}
	at := bytes.IndexAny(text, "0123456789")
	end := bytes.LastIndexAny(text, "0123456789") + 1
	for i, around := range [][]byte{text[:at], text[end:]} {
		letters := ""
		for len(around) > 0 {
			r, size := utf8.DecodeRune(around)
			around = around[size:]
			switch {
			case unicode.IsLetter(r):
				letters += string(r)
			case unicode.Is(unicode.Sc, r):
				marks = append(marks, currencyMark)
			case (r == '-' || r == '−') && i == 1:
				marks = append(marks, trailingMinus)
			case r == '(':
				marks = append(marks, brackets)
			case r != ')' && r != '-' && r != '−' && r != '+' && !unicode.IsSpace(r):
				return nil, false
			}
		}
		if letters != "" {
			if _, err := currency.ParseISO(letters); err != nil || letters != strings.ToUpper(letters) {
				return nil, false
			}
			marks = append(marks, currencyMark)
		}
	}
	return marks, !slices.ContainsFunc(bytes.Runes(text[at:end]), unicode.IsLetter)
}

// findAmounts is what a column of amounts with marks proposes; false where it is none, or where a type without marks reads as many values.
func (f *Finder) findAmounts(best int64) (Finding, bool) {
	var read [2]int64 // with and without marks
	for i := range f.candidates {
		if a := f.candidates[i].amounts; a != nil {
			read[a.at] = f.candidates[i].read + a.read
		}
	}
	at := 0
	if read[1] > read[0] || read[1] == read[0] && f.amounts[1].fractions > f.amounts[0].fractions {
		at = 1
	}
	a, n := f.amounts[at], read[at]
	switch {
	case n <= best || a.fractions*2 < a.read:
		return Finding{}, false
	case n < f.values && (f.values < few || float64(n) < share*float64(f.values)):
		return Finding{}, false
	}
	found := Finding{Type: a.written(), Values: f.values, Read: n, Unread: append([]Count{}, a.unread...), Ambiguous: []Type{}, Why: f.reads(n)}
	if read[0] == read[1] {
		found.Ambiguous = []Type{f.amounts[0].written(), f.amounts[1].written()}
		found.Form, found.Why = "", undecided
	}
	return found, true
}
