package intake

import (
	"io"
	"iter"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"twinsieve/core/record"
	"twinsieve/formats/delimited"
)

// A last row that adds up the others is no record. It is told by its first value, which begins with a word of that kind as no other's does,
// and by its shape, which no record has. In a text it is seen before anything is read; of a workbook and of JSON, only the reading itself
// comes to the last record, so that one batch is held back until the next is there.

// footerWords are how footers begin, in lower case.
var footerWords = []string{"total", "totals", "sum", "subtotal", "grand total", "trailer", "trl", "footer", "end of", "eof", "records", "record count", "count", "control"}

// footerWord is the word of footers that a text begins with, as a whole word; empty where there is none.
func footerWord(text string) string {
	text = strings.ToLower(strings.Trim(text, "\" \t"))
	at := slices.IndexFunc(footerWords, func(w string) bool {
		rest, ok := strings.CutPrefix(text, w)
		next, _ := utf8.DecodeRuneInString(rest)
		return ok && !unicode.IsLetter(next)
	})
	if at < 0 || len(text) >= 40 {
		return ""
	}
	return footerWords[at]
}

// likeness is what the records of a source look like, to tell a total from them.
type likeness struct {
	records  int
	nameless bool // a record has nothing in its first column
	numbers  bool // the record looked at last has nothing in its first column, and nothing but numbers in the others

	shapes map[string]bool
	many   bool            // there are more shapes than are kept, so that none is told from them
	words  map[string]bool // of footers, with which records begin
	shape  []byte          // of the record looked at last
}

// mostShapes is how many shapes are kept.
const mostShapes = 1000

func newLikeness() *likeness { return &likeness{shapes: map[string]bool{}, words: map[string]bool{}} }

// add takes in a record by its cells.
func (l *likeness) add(cells iter.Seq[string]) {
	if w := footerWord(l.look(cells)); w != "" {
		l.words[w] = true
	}
	l.records++
	l.nameless = l.nameless || len(l.shape) > 0 && l.shape[0] == '_'
	if l.many = l.many || len(l.shapes) > mostShapes; !l.many && !l.shapes[string(l.shape)] {
		l.shapes[string(l.shape)] = true
	}
}

// leastNamed is how many records there are at least, each with something in its first column, before one without is strange.
const leastNamed = 3

// total says of the last record, which has not been added, whether it looks like a total: it begins as one does, or it alone has nothing in
// the first column, and numbers in others. It is sure where it begins so and can be told from the others by its shape, too.
func (l *likeness) total(cells iter.Seq[string]) (looks, sure bool) {
	w := footerWord(l.look(cells))
	begins := w != "" && !l.words[w]
	bare := l.numbers && !l.nameless && l.records >= leastNamed
	return begins || bare, begins && !l.many && len(l.shapes) > 0 && !l.shapes[string(l.shape)]
}

// look makes the shape of a record, and returns its first value that is not blank. The shape is which cells are blank, which hold only what
// numbers and dates are written with, and of that first value, which runs of letters, digits and other characters it has.
func (l *likeness) look(cells iter.Seq[string]) (first string) {
	l.shape = l.shape[:0]
	filled, numbers := 0, 0
	for text := range cells {
		text = strings.Trim(text, "\" \t\r")
		if text != "" {
			filled++
			if delimited.IsValue(text) {
				numbers++
			}
		}
		switch {
		case text == "":
			l.shape = append(l.shape, '_')
		case first == "":
			first = text
			l.shape = appendRuns(l.shape, text)
		case strings.Trim(text, "0123456789.,-+/: ") == "":
			l.shape = append(l.shape, 'n')
		default:
			l.shape = append(l.shape, 't')
		}
	}
	l.numbers = len(l.shape) > 0 && l.shape[0] == '_' && filled > 0 && filled == numbers
	return first
}

// appendRuns appends a sign for each run of letters, of digits and of anything else.
func appendRuns(shape []byte, text string) []byte {
	before := byte('(')
	for _, c := range text {
		sign := byte('-')
		switch {
		case unicode.IsLetter(c):
			sign = 'a'
		case unicode.IsDigit(c):
			sign = '9'
		}
		if sign != before {
			shape = append(shape, sign)
		}
		before = sign
	}
	return append(shape, ')')
}

// lastRecord looks at the last record of a source, and leaves it out where it is a total and nobody has said which lines are footers.
type lastRecord struct {
	record.Reader
	drop   bool
	footer func(line int64, text string)
	doubt  func(line int64, text string) // called with a last record that is kept and looks like a total

	held   *record.Batch
	others *likeness
	err    error // of what is behind the batch that is held
}

// Next implements [record.Reader].
func (r *lastRecord) Next() (*record.Batch, error) {
	if r.err != nil {
		return nil, r.err
	}
	for {
		b, err := r.Reader.Next()
		switch {
		case err == io.EOF && r.held != nil:
			b, r.held, r.err = r.held, nil, io.EOF
			if b = r.without(b); b == nil {
				return nil, io.EOF
			}
			return b, nil
		case err != nil:
			return nil, err
		case r.held == nil:
			r.held = b
		default:
			b, r.held = r.held, b
			r.see(b, b.Records())
			return b, nil
		}
	}
}

// see takes in the first records of a batch.
func (r *lastRecord) see(b *record.Batch, records int) {
	for i := range records {
		r.others.add(cellsOf(b, i))
	}
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

// without returns the last batch without its last record, where that is a total; nil where nothing is left.
func (r *lastRecord) without(b *record.Batch) *record.Batch {
	last := b.Records() - 1
	r.see(b, last)
	looks, sure := r.others.total(cellsOf(b, last))
	text := strings.Join(slices.Collect(cellsOf(b, last)), "\t")
	switch {
	case !looks:
		return b
	case !sure || !r.drop:
		r.doubt(b.Line(last), text)
		return b
	}
	r.footer(b.Line(last), text)
	places := make([]int, last)
	for i := range places {
		places[i] = i
	}
	return record.Pick(b, places)
}
