package outform

import (
	"io"
	"unicode/utf8"

	"twinsieve/core/record"
)

// delimitedWriter writes lines, some at a time.
type delimitedWriter struct {
	out       io.Writer
	delimiter byte
	exact     bool
	row       []string
	text      []byte // lines that have not been written yet
}

// textAtOnce is how many bytes are written at a time, and a line more.
const textAtOnce = 64 << 10

func newDelimited(w io.Writer, tabs bool, columns []Column, opts Options) (Writer, error) {
	d := &delimitedWriter{out: w, delimiter: ',', exact: opts.Exact}
	if tabs {
		d.delimiter = '\t'
	}
	for _, c := range columns {
		d.row = append(d.row, c.Name)
	}
	return d, d.line()
}

// Harmless sets an apostrophe before a text that a spreadsheet would run. A number is left as it is, and so is a single
// character, which nothing can be reckoned from.
func Harmless(text string) string {
	if len(text) < 2 {
		return text
	}
	first, _ := utf8.DecodeRuneInString(text)
	switch first {
	case '=', '+', '-', '@', '\t', '\r', '\n', '＝', '＋', '－', '＠':
		if _, _, number := plainNumber(text); !number {
			return "'" + text
		}
	}
	return text
}

func (d *delimitedWriter) Write(cells []record.Cell) error {
	d.row = d.row[:0]
	for _, c := range cells {
		d.row = append(d.row, c.Text)
	}
	return d.line()
}

func (d *delimitedWriter) line() error {
	d.text = AppendLine(d.text, d.row, d.delimiter, d.exact)
	if len(d.text) < textAtOnce {
		return nil
	}
	return d.flush()
}

func (d *delimitedWriter) Close() error { return d.flush() }

// flush writes what has not been written yet.
func (d *delimitedWriter) flush() error {
	_, err := d.out.Write(d.text)
	d.text = d.text[:0]
	return err
}
