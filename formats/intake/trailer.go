package intake

import (
	"io"
	"iter"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"twinsieve/core/record"
	"twinsieve/formats/delimited"
)

// A trailer is a last record, or several, that is none: it begins with a word of that kind as no other record does, and its shape is that of no
// record. In a text the last lines are looked at before they are read; of a workbook and of JSON, only the reading itself comes to the last
// records, so that a batch is held back until the next is there.

// trailerWords are how trailers begin, in lower case.
var trailerWords = []string{"total", "totals", "sum", "subtotal", "grand total", "trailer", "trl", "footer", "end of", "eof", "records", "record count", "count", "control"}

// besideWords may stand beside a trailer word in its cell. A cell with any other word may be a name: "Total SA", "Control Tower".
var besideWords = strings.Fields("all amount amounts and balance by credit credits data debit debits due file for grand in line lines number of on overall report row rows the to transactions value eur gbp usd")

// mostTrailers is how many trailer lines an ending has at most.
const mostTrailers = 5

// trailerWord is the word of trailers that a cell begins with, as a whole word; empty where there is none.
func trailerWord(cell string) (found string) {
	cell = strings.ToLower(strings.Trim(cell, "\" \t"))
	for _, w := range trailerWords {
		rest, ok := strings.CutPrefix(cell, w)
		next, _ := utf8.DecodeRuneInString(rest)
		if ok && !unicode.IsLetter(next) && len(w) > len(found) && len(cell) < 40 {
			found = w
		}
	}
	return found
}

// mayBeName reports whether a cell has words other than those of trailers and what may stand beside them.
func mayBeName(cell string) bool {
	for word := range strings.FieldsFuncSeq(strings.ToLower(cell), func(c rune) bool { return !unicode.IsLetter(c) }) {
		if !slices.Contains(besideWords, word) && !slices.ContainsFunc(trailerWords, func(w string) bool { return slices.Contains(strings.Fields(w), word) }) {
			return true
		}
	}
	return false
}

// likeness is what the records of a source look like, to tell a trailer from them.
type likeness struct {
	records  int
	nameless bool // a record has nothing in its first column
	numbers  bool // the record looked at last has nothing in its first column, and nothing but numbers in the others

	shapes  map[string]bool
	many    bool            // there are more shapes than are kept: they tell nothing
	classes map[string]bool // which cells are blank, numbers and text
	kinds   map[string]bool // how many cells there are, and which of these the first is
	words   map[string]bool // of trailers, with which records begin

	shape, class, kind []byte // of the record looked at last
}

// mostShapes is how many shapes are kept.
const mostShapes = 1000

func newLikeness() *likeness {
	return &likeness{shapes: map[string]bool{}, classes: map[string]bool{}, kinds: map[string]bool{}, words: map[string]bool{}}
}

// add takes in a record by its cells.
func (l *likeness) add(cells iter.Seq[string]) {
	if w := trailerWord(l.look(cells)); w != "" {
		l.words[w] = true
	}
	l.records++
	l.nameless = l.nameless || len(l.shape) > 0 && l.shape[0] == '_'
	l.kinds[string(l.kind)] = true
	if len(l.classes) < mostShapes {
		l.classes[string(l.class)] = true
	}
	if l.many = l.many || len(l.shapes) > mostShapes; !l.many {
		l.shapes[string(l.shape)] = true
	}
}

// leastNamed is how many records there are at least, each with something in its first column, before one without is strange.
const leastNamed = 3

// total says of a record that has not been added whether it looks like a total: it begins as one does, or it alone has nothing in the first
// column, and numbers in others.
func (l *likeness) total(cells iter.Seq[string]) bool {
	w := trailerWord(l.look(cells))
	return w != "" && (!l.words[w] || !l.kinds[string(l.kind)]) || l.numbers && !l.nameless && l.records >= leastNamed
}

// trailer reports whether a record that has not been added is a trailer. Where its first cell may be a name, another way of writing that cell
// and other blanks do not make another shape.
func (l *likeness) trailer(cells iter.Seq[string]) bool {
	first := l.look(cells)
	w := trailerWord(first)
	switch {
	case w == "" || l.words[w] || l.records == 0:
		return false
	case mayBeName(first):
		return !l.kinds[string(l.kind)]
	case l.many:
		return len(l.classes) < mostShapes && !l.classes[string(l.class)]
	}
	return !l.shapes[string(l.shape)]
}

// ending is how many of the last records are trailers: all that stand in front of them have been added, and the others are added here.
func (l *likeness) ending(last []iter.Seq[string]) int {
	for i := range last {
		if rest := last[i:]; !slices.ContainsFunc(rest, func(cells iter.Seq[string]) bool { return !l.trailer(cells) }) {
			return len(rest)
		}
		if i < len(last)-1 {
			l.add(last[i])
		}
	}
	return 0
}

// look makes the shape of a record, and returns its first value that is not blank. The shape is which cells are blank, which hold only what
// numbers and dates are written with, and of that first value, which runs of letters, digits and other characters it has.
func (l *likeness) look(cells iter.Seq[string]) (first string) {
	l.shape, l.class = l.shape[:0], l.class[:0]
	filled, numbers := 0, 0
	for text := range cells {
		text = strings.Trim(text, "\" \t\r")
		kind := byte('t')
		switch {
		case text == "":
			kind = '_'
		case strings.Trim(text, "0123456789.,-+/: ") == "":
			kind = 'n'
		}
		if text != "" {
			filled++
			if delimited.IsValue(text) {
				numbers++
			}
		}
		if text != "" && first == "" {
			first = text
			l.shape = appendRuns(l.shape, text)
		} else {
			l.shape = append(l.shape, kind)
		}
		l.class = append(l.class, kind)
	}
	l.kind = append(strconv.AppendInt(l.kind[:0], int64(len(l.class)), 10), l.class[:min(len(l.class), 1)]...)
	l.numbers = len(l.shape) > 0 && l.shape[0] == '_' && filled > 0 && filled == numbers
	return first
}

// appendRuns appends a sign for each run of letters, of digits, of blanks and of anything else.
func appendRuns(shape []byte, text string) []byte {
	before := byte('(')
	for _, c := range text {
		sign := byte('-')
		switch {
		case unicode.IsLetter(c):
			sign = 'a'
		case unicode.IsDigit(c):
			sign = '9'
		case c == ' ':
			sign = ' '
		}
		if sign != before {
			shape = append(shape, sign)
		}
		before = sign
	}
	return append(shape, ')')
}

// lastRecords looks at the last records of a source, and leaves out those that are trailers, where nobody has said which lines are.
type lastRecords struct {
	record.Reader
	drop   bool
	found  func(first string, words []string) // called with the first trailer and how all begin
	footer func(line int64, text string)
	doubt  func(line int64, text string) // called with a last record that is kept and looks like a total

	held   []*record.Batch // of which those behind the first have fewer records than trailers can be
	others *likeness
	ended  bool
}

// Next implements [record.Reader].
func (r *lastRecords) Next() (*record.Batch, error) {
	for !r.ended {
		b, err := r.Reader.Next()
		if err == io.EOF {
			r.ended = true
			r.end()
			break
		}
		if err != nil {
			return nil, err
		}
		if r.held = append(r.held, b); len(r.held) > 1 && b.Records() >= mostTrailers || len(r.held) > mostTrailers {
			return r.give(), nil
		}
	}
	if len(r.held) == 0 {
		return nil, io.EOF
	}
	b := r.held[0]
	r.held = r.held[1:]
	return b, nil
}

// give lets go of the first batch that is held.
func (r *lastRecords) give() *record.Batch {
	b := r.held[0]
	r.held = r.held[1:]
	for i := range b.Records() {
		r.others.add(cellsOf(b, i))
	}
	return b
}

// end takes the trailers from the batches that are held.
func (r *lastRecords) end() {
	type place struct {
		batch *record.Batch
		at    int
	}
	var places []place
	for _, b := range r.held {
		for i := range b.Records() {
			places = append(places, place{b, i})
		}
	}
	if len(places) == 0 {
		return
	}
	last := places[max(0, len(places)-mostTrailers):]
	for _, p := range places[:len(places)-len(last)] {
		r.others.add(cellsOf(p.batch, p.at))
	}
	var cells []iter.Seq[string]
	for _, p := range last {
		cells = append(cells, cellsOf(p.batch, p.at))
	}
	text := func(p place) string {
		return strings.Join(slices.Collect(cellsOf(p.batch, p.at)), "\t")
	}
	trailers := 0
	if r.drop {
		trailers = r.others.ending(cells)
	} else {
		for _, c := range cells[:len(cells)-1] {
			r.others.add(c)
		}
	}
	if trailers == 0 {
		if p := last[len(last)-1]; r.others.total(cellsOf(p.batch, p.at)) {
			r.doubt(p.batch.Line(p.at), text(p))
		}
		return
	}
	first := last[len(last)-trailers]
	var words []string
	for _, p := range last[len(last)-trailers:] {
		words = append(words, beginning(r.others.look(cellsOf(p.batch, p.at))))
		r.footer(p.batch.Line(p.at), text(p))
	}
	r.found(text(first), words)
	at := slices.Index(r.held, first.batch)
	if r.held = r.held[:at:at]; first.at == 0 {
		return
	}
	kept := make([]int, first.at)
	for i := range kept {
		kept[i] = i
	}
	r.held = append(r.held, record.Pick(first.batch, kept))
}

// cellsOf are the cells of a record.
func cellsOf(b *record.Batch, i int) iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, col := range b.Columns {
			if !yield(col.Value(i)) {
				return
			}
		}
	}
}

// beginning is the trailer word that a cell begins with, as it is written there.
func beginning(cell string) string {
	cell = strings.Trim(cell, "\" \t")
	return cell[:len(trailerWord(cell))]
}
