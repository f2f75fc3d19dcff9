package intake

import (
	"io"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"twinsieve/core/record"
)

// A last row that adds up the others is no record. In a text it is seen before anything is read; of a workbook and of JSON, only the
// reading itself comes to the last record, so that one batch is held back until the next is there.

// footerWords are how footers begin, in lower case.
var footerWords = []string{"total", "totals", "sum", "subtotal", "grand total", "trailer", "trl", "footer", "end of", "eof", "records", "record count", "count", "control"}

// beginsAsFooter reports whether a text begins with one of the words, as a whole word.
func beginsAsFooter(text string) bool {
	text = strings.ToLower(strings.Trim(text, "\" \t"))
	return len(text) < 40 && slices.ContainsFunc(footerWords, func(w string) bool {
		rest, ok := strings.CutPrefix(text, w)
		next, _ := utf8.DecodeRuneInString(rest)
		return ok && !unicode.IsLetter(next)
	})
}

// lastRecord looks at the last record of a source. It leaves it out where it is a total of the others and nobody has said which lines are
// footers.
type lastRecord struct {
	record.Reader
	drop   bool
	footer func(line int64, text string)
	doubt  func(line int64, text string) // called with a last record that is kept and looks like a total

	held *record.Batch
	gave bool  // a batch before the last
	err  error // of what is behind it
}

// Next implements [record.Reader].
func (r *lastRecord) Next() (*record.Batch, error) {
	if r.err != nil {
		return nil, r.err
	}
	for {
		b, err := r.Reader.Next()
		switch {
		case err != nil && err != io.EOF:
			return nil, err
		case err == io.EOF:
			r.err = io.EOF
			if b = r.held; b == nil {
				return nil, io.EOF
			}
			r.held = nil
			if b = r.without(b); b == nil {
				return nil, io.EOF
			}
			return b, nil
		case r.held == nil:
			r.held = b
		default:
			b, r.held = r.held, b
			r.gave = true
			return b, nil
		}
	}
}

// without returns the last batch without its last record, where that is a total; nil where nothing is left.
func (r *lastRecord) without(b *record.Batch) *record.Batch {
	last := b.Records() - 1
	text, total := totalRow(b, last)
	if !total {
		return b
	}
	if !r.drop || last == 0 && !r.gave {
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

// totalRow reports whether a record is a total: its first value, and that of no record before it in the batch, begins as footers do.
func totalRow(b *record.Batch, at int) (text string, total bool) {
	cells := b.Cells(at)
	var texts []string
	first := -1
	for c, cell := range cells {
		if texts = append(texts, cell.Text); first < 0 && strings.TrimSpace(cell.Text) != "" {
			first = c
		}
	}
	if first < 0 || !beginsAsFooter(cells[first].Text) {
		return "", false
	}
	for i := range at {
		if col := b.Columns[first]; beginsAsFooter(col.Value(i)) {
			return "", false
		}
	}
	return strings.Join(texts, "\t"), true
}
