package typing

import (
	"bytes"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/currency"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
)

// Amounts of money come with marks that numbers do not have: a currency, brackets or a minus behind for those below zero. A column of them is
// proposed as decimal with the marks that it has. A currency is a sign or a code of ISO 4217, so that codes such as TQ-17 are none; and half of
// the values have a fraction, as amounts have.

// The words of the marks, as the reading number has them.
const (
	brackets      = "brackets"
	trailingMinus = "trailing-minus"
	currencyMark  = "currency"
)

var amountMarks = []string{brackets, trailingMinus, currencyMark}

// amounts counts the values that read as amounts with marks, in one form.
type amounts struct {
	form      string // point or comma
	reader    *reading.Reader
	read      int64
	fractions int64
	marks     map[string]bool // those that were seen
	unread    []Count
}

func newAmounts(form string) *amounts {
	return &amounts{form: form, reader: numberReader(form + " " + strings.Join(amountMarks, " ")), marks: map[string]bool{}}
}

// numberReader returns a reader of numbers in a form that is known to be one.
func numberReader(form string) *reading.Reader {
	chain, err := reading.Compile(reading.MustParse("number "+form), tray.Left, nil)
	if err != nil {
		panic(err)
	}
	return chain.Reader()
}

// add tells of a value without spaces around it, and of its marks.
func (a *amounts) add(text []byte, marks []string, records int64) {
	if v := a.reader.Cell(text); v.State != reading.Text || len(v.Text) > mostDigits {
		a.unread = first(a.unread, text, records)
		return
	} else if bytes.IndexByte(v.Text, '.') >= 0 || bytes.Contains(text, []byte{map[string]byte{Point: '.', Comma: ','}[a.form], '0'}) {
		a.fractions += records
	}
	a.read += records
	for _, m := range marks {
		a.marks[m] = true
	}
}

// written is the type with the marks that were seen.
func (a *amounts) written() Type {
	form := a.form
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
func (f *Finder) findAmounts(plain int64) (Finding, bool) {
	best := f.amounts[0]
	if other := f.amounts[1]; other.read > best.read || other.read == best.read && other.fractions > best.fractions {
		best = other
	}
	switch {
	case len(best.marks) == 0 || best.read <= plain || best.fractions*2 < best.read:
		return Finding{}, false
	case best.read < f.values && (f.values < few || float64(best.read) < share*float64(f.values)):
		return Finding{}, false
	}
	found := Finding{Type: best.written(), Values: f.values, Read: best.read, Unread: append([]Count{}, best.unread...), Ambiguous: []Type{}, Why: f.reads(best.read)}
	if f.amounts[0].read == f.amounts[1].read {
		found.Ambiguous = []Type{f.amounts[0].written(), f.amounts[1].written()}
		found.Form, found.Why = "", undecided
	}
	return found, true
}
