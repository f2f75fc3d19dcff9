// Package typing finds how a column's texts are to be understood: as text, integer, decimal, date, timestamp or boolean.
//
// What is found is a proposal with its evidence: how many values read as the type, and which do not. It changes nothing:
// a cell stays the text that it came as, and what a key part or compared field is read as is said by the sieve.
//
// Codes stay codes. A column in which digits stand with zeros in front of them, or in runs longer than a number has, is
// text, whatever else is in it; so are versions such as 5.9 and 5.10. Where more than one type reads every value, as
// 03/04/2026 is a day in April or in March, the type is ambiguous, and nothing is decided.
package typing

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
)

// The names of types.
const (
	Text      = "text"
	Integer   = "integer"
	Decimal   = "decimal"
	Date      = "date"
	Timestamp = "timestamp"
	Boolean   = "boolean"
)

// Names are the types that there are.
var Names = []string{Text, Integer, Decimal, Date, Timestamp, Boolean}

// Type is a type, and the form in which its values are written: of a decimal "point" or "comma", perhaps with the marks of amounts behind it
// ("comma brackets currency"), of a date its layout, of a boolean its two words, "true/false".
type Type struct {
	Name string `json:"name" enum:"text,integer,decimal,date,timestamp,boolean"`
	Form string `json:"form,omitempty"`
}

// String is the type as it is shown: "date DD.MM.YYYY".
func (t Type) String() string { return strings.TrimSpace(t.Name + " " + t.Form) }

// Finding is the type that a column's values propose, with its evidence.
type Finding struct {
	Type
	Values    int64   `json:"values" description:"Values that are not blank."`
	Read      int64   `json:"read" description:"Of these, values that read as the type."`
	Unread    []Count `json:"unread" nullable:"false" description:"The first values that do not, in the order of their texts."`
	Ambiguous []Type  `json:"ambiguous" nullable:"false" description:"The types that read equally many values, where more than one does; nothing is decided between them."`
	Why       string  `json:"why"`
}

// Count is a value, and how many records have it.
type Count struct {
	Text    string `json:"text"`
	Records int64  `json:"records"`
}

// examples is how many values that do not read are kept.
const examples = 5

// share is the least share of its values that a type must read to be proposed, and few the number of values below which it
// must read all.
const (
	share = 0.9
	few   = 10
)

// Finder finds the type of a column from its values. The zero value is not useful: see [NewFinder].
type Finder struct {
	stated     bool
	values     int64
	candidates []candidate
	untried    [4][]Count  // by kind: the first values of it; candidates that are not tried on it do not read them
	last       string      // of the lists of first values that are full, the last text: none has room for one behind it
	zeros      Count       // digits with zeros in front
	long       Count       // more digits than a number has
	amounts    [2]*amounts // with marks, in each form; nil: they are not looked for
	places     [2]Count    // decimals with one digit behind the point, and with two of which the last is a zero
}

type candidate struct {
	Type
	reads    func(text []byte) bool
	kind     kind
	any      bool     // it is tried whatever a text is made of
	shortest int      // bytes of the texts that it may read
	longest  int      // 0: any number
	between  mark     // what they must have between their digits; 0: nothing
	amounts  *amounts // of a decimal: what reads as it with marks
	read     int64
	unread   []Count
}

// kind is what a text must be made of for a candidate to be tried.
type kind int

const (
	words kind = 1 << iota
	digits
)

// mark is a sign that stands between digits, or several.
type mark int

const (
	hyphen mark = 1 << iota
	dot
	slash
	space
)

// markOf is what a character is.
func markOf(c byte) mark {
	switch c {
	case '-':
		return hyphen
	case '.':
		return dot
	case '/':
		return slash
	case ' ':
		return space
	}
	return 0
}

// dateLayouts are the layouts that are tried, the stricter of two before the laxer.
var dateLayouts = []string{"YYYY-MM-DD", "YYYY/MM/DD", "YYYY.MM.DD", "YYYYMMDD", "DD.MM.YYYY", "D.M.YYYY", "DD/MM/YYYY", "MM/DD/YYYY", "D/M/YYYY", "M/D/YYYY",
	"DD-MM-YYYY", "MM-DD-YYYY"}

// namedLayouts are the layouts that are tried of dates whose month has its English name.
var namedLayouts = []string{"DD MMM YYYY", "D MMM YYYY", "DD-MMM-YYYY", "D-MMM-YYYY", "D MMMM YYYY", "MMM D, YYYY", "MMMM D, YYYY"}

// DateLayouts are the layouts of dates that are found, the stricter of two before the laxer.
func DateLayouts() []string { return slices.Concat(dateLayouts, namedLayouts) }

// NewFinder returns a finder that has seen no value.
func NewFinder() *Finder {
	f := &Finder{amounts: [2]*amounts{newAmounts(0), newAmounts(1)}}
	for _, pair := range []string{"true/false", "yes/no", "Y/N"} {
		yes, no, _ := strings.Cut(pair, "/")
		f.candidates = append(f.candidates, candidate{Type: Type{Boolean, pair}, kind: words, reads: isOneOf(yes, no)})
	}
	for _, layout := range dateLayouts {
		f.candidates = append(f.candidates, dates(layout))
	}
	for _, layout := range namedLayouts {
		c := dates(layout)
		c.kind = digits | words
		c.shortest, c.longest = len("1 May 2031"), len("September 30, 2031")
		f.candidates = append(f.candidates, c)
	}
	f.candidates = append(f.candidates,
		candidate{Type: Type{Timestamp, ""}, kind: digits | words, reads: isTimestamp},
		candidate{Type: Type{Integer, ""}, kind: digits, reads: isInteger},
		candidate{Type: Type{Decimal, Point}, kind: digits, reads: decimals(Point), amounts: f.amounts[0]},
		candidate{Type: Type{Decimal, Comma}, kind: digits, reads: decimals(Comma), amounts: f.amounts[1]})
	return f
}

func isOneOf(yes, no string) func([]byte) bool {
	return func(b []byte) bool { return bytes.EqualFold(b, []byte(yes)) || bytes.EqualFold(b, []byte(no)) }
}

func decimals(form string) func([]byte) bool {
	var plain []byte
	return func(b []byte) (ok bool) {
		plain, ok = ReadDecimal(plain[:0], b, form)
		return ok
	}
}

// dates reads dates of four centuries in a layout. Most texts are seen to be none by their length, or because what the layout has between
// day, month and year is not in them.
func dates(layout string) candidate {
	r := readerOf("date " + layout)
	c := candidate{Type: Type{Date, layout}, kind: digits, shortest: len(layout), longest: len("DD.MM.YYYY"), reads: func(b []byte) bool {
		v := r.Cell(b)
		return v.State == reading.Text && string(v.Text[:2]) >= "17" && string(v.Text[:2]) <= "22"
	}}
	for i := range len(layout) {
		c.between |= markOf(layout[i])
	}
	if c.between == 0 || strings.Contains(layout, "DD") {
		c.longest = len(layout)
	}
	return c
}

// readerOf returns a reader of one reading that is known to be one.
func readerOf(text string) *reading.Reader {
	chain, err := reading.Compile(reading.MustParse(text), tray.Left, nil)
	if err != nil {
		panic(err)
	}
	return chain.Reader()
}

// Add tells the finder of a value, which is not blank, and how many records have it. Spaces around it do not count.
func (f *Finder) Add(text []byte, records int64) {
	f.values += records
	text = bytes.TrimSpace(text)
	k, between := kindOf(text)
	behind := string(text) > f.last // then only lists that are not full have room for it
	unread := func(list *[]Count) {
		if behind && len(*list) == examples {
			return
		}
		if *list = first(*list, text, records); len(*list) == examples {
			f.last = ""
		}
	}
	unread(&f.untried[k])
	var plain [2]bool // whether it is a decimal without marks, by form
	for i := range f.candidates {
		c := &f.candidates[i]
		switch {
		case !c.tries(k):
		case c.mayRead(len(text), between) && c.reads(text):
			c.read += records
			if c.amounts != nil {
				plain[c.amounts.at] = true
			}
		default:
			unread(&c.unread)
		}
	}
	f.addAmount(text, records, plain, unread)
	if f.last == "" {
		f.findLast()
	}
	if k == digits {
		f.code(text, records)
	}
}

// tries reports whether a candidate is tried on texts of a kind.
func (c *candidate) tries(k kind) bool { return c.any || c.kind&k == k && k != 0 }

// mayRead reports whether a text of so many bytes, with such marks in it, may be what the candidate reads.
func (c *candidate) mayRead(size int, between mark) bool {
	return size >= c.shortest && (c.longest == 0 || size <= c.longest) && between&c.between == c.between
}

// findLast finds the last text of the lists that are full.
func (f *Finder) findLast() {
	see := func(list []Count) {
		if len(list) == examples {
			f.last = max(f.last, list[examples-1].Text)
		}
	}
	for i := range f.candidates {
		see(f.candidates[i].unread)
	}
	for _, list := range f.untried {
		see(list)
	}
	for _, a := range f.amounts {
		if a != nil {
			see(a.unread)
		}
	}
}

// unreadBy are the first values that a candidate does not read, tried or not.
func (f *Finder) unreadBy(c *candidate) []Count {
	list := append([]Count{}, c.unread...)
	for k, values := range f.untried {
		if !c.tries(kind(k)) {
			list = append(list, values...)
		}
	}
	slices.SortFunc(list, func(a, b Count) int { return cmp.Compare(a.Text, b.Text) })
	together := list[:0]
	for _, v := range list {
		if n := len(together); n > 0 && together[n-1].Text == v.Text {
			together[n-1].Records += v.Records
		} else {
			together = append(together, v)
		}
	}
	return together[:min(len(together), examples)]
}

// first keeps the first counts in the order of their texts.
func first(list []Count, text []byte, records int64) []Count {
	if len(list) == examples && string(text) > list[examples-1].Text {
		return list
	}
	c := Count{string(text[:min(len(text), 100)]), records}
	at, found := slices.BinarySearchFunc(list, c, func(a, b Count) int { return cmp.Compare(a.Text, b.Text) })
	if found {
		list[at].Records += c.Records
		return list
	}
	list = slices.Insert(list, at, c)
	return list[:min(len(list), examples)]
}

// kindOf says what a text is made of, 0 for what no candidate reads, and which marks it has.
func kindOf(text []byte) (k kind, between mark) {
	if len(text) == 0 || len(text) > 60 {
		return 0, 0
	}
	for _, c := range text {
		switch {
		case c >= '0' && c <= '9':
			k |= digits
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z':
			k |= words
		case c >= 0x80 && c != 0xC2 && c != 0xA0: // but for the no-break space
			return 0, 0
		default:
			between |= markOf(c)
		}
	}
	return k, between
}

// code looks for what makes a column of digits a column of codes.
func (f *Finder) code(text []byte, records int64) {
	whole, behind, _ := bytes.Cut(bytes.TrimLeft(text, "+-"), []byte{'.'})
	allDigits := len(bytes.Trim(whole, "0123456789")) == 0
	see := func(c *Count) {
		if c.Records == 0 || string(text) < c.Text {
			c.Text = string(text)
		}
		c.Records += records
	}
	switch {
	case len(whole) > 1 && whole[0] == '0' && allDigits:
		see(&f.zeros)
	case len(whole) > mostDigits && allDigits:
		see(&f.long)
	case allDigits && len(behind) == 1:
		see(&f.places[0])
	case allDigits && len(behind) == 2 && behind[1] == '0':
		see(&f.places[1])
	}
}

// Find says what the values that were added propose.
func (f *Finder) Find() Finding {
	if f.stated {
		return f.findStated()
	}
	none := Finding{Type: Type{Name: Text}, Values: f.values, Read: f.values, Unread: []Count{}, Ambiguous: []Type{}}
	if f.values == 0 {
		none.Why = "every cell is blank"
		return none
	}
	best := f.candidates[0]
	for _, c := range f.candidates[1:] {
		if c.read > best.read {
			best = c
		}
	}
	if found, ok := f.findAmounts(best.read); ok && f.codes(found.Type) == "" {
		return found
	}
	if why := f.codes(best.Type); why != "" {
		none.Why = why
		return none
	}
	if best.read < f.values && (f.values < few || float64(best.read) < share*float64(f.values)) {
		none.Why = "no other type reads its values"
		if best.read > 0 {
			none.Why = fmt.Sprintf("%s would read only %d of %d values, and not %q", best.Type, best.read, f.values, f.unreadBy(&best)[0].Text)
		}
		return none
	}
	found := Finding{Type: best.Type, Values: f.values, Read: best.read, Unread: f.unreadBy(&best), Ambiguous: []Type{}, Why: f.reads(best.read)}
	for _, c := range f.candidates {
		if c.read == best.read && different(best.Type, c.Type) && !slices.ContainsFunc(found.Ambiguous, func(t Type) bool { return !different(t, c.Type) }) {
			found.Ambiguous = append(found.Ambiguous, c.Type)
		}
	}
	if len(found.Ambiguous) > 0 {
		found.Ambiguous = append([]Type{best.Type}, found.Ambiguous...)
		found.Form = ""
		found.Why = undecided
	}
	return found
}

const undecided = "every value reads in more than one way; nothing in them decides"

// reads says how many of the values a type reads.
func (f *Finder) reads(n int64) string {
	if n == f.values {
		return "it reads every value"
	}
	return fmt.Sprintf("it reads %d of %d values", n, f.values)
}

// codes says why a column that reads as numbers holds codes, or nothing.
func (f *Finder) codes(t Type) string {
	if t.Name != Integer && t.Name != Decimal {
		return ""
	}
	switch {
	case f.zeros.Records > 0:
		return fmt.Sprintf("digits have zeros in front of them, as in %q: codes, not numbers", f.zeros.Text)
	case f.long.Records > 0:
		return fmt.Sprintf("there are runs of more than %d digits, as %q: codes, not numbers", mostDigits, f.long.Text)
	case t.Name == Decimal && f.places[0].Records > 0 && f.places[1].Records > 0:
		return fmt.Sprintf("%q stands beside %q: versions, not numbers", f.places[1].Text, f.places[0].Text)
	}
	return ""
}

// different reports whether two types that read the same values would understand them differently. The laxer of two
// layouts reads the same days as the stricter; an integer is the same number as a decimal.
func different(a, b Type) bool {
	switch {
	case a == b:
		return false
	case a.Name == Date && b.Name == Date:
		lax := strings.NewReplacer("DD", "D", "MMMM", "MMM", "MMM", "MMM", "MM", "M")
		return lax.Replace(a.Form) != lax.Replace(b.Form)
	case a.Name == Integer && b.Name == Decimal, a.Name == Decimal && b.Name == Integer:
		return false
	case a.Name == Date && a.Form == "YYYYMMDD", b.Name == Date && b.Form == "YYYYMMDD":
		return b.Name != Decimal && a.Name != Decimal
	}
	return true
}
