package outform

import (
	"io"
	"strings"
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

// Harmless sets an apostrophe before a text that a spreadsheet would run as a formula. A number with a sign stays as it is, however it is
// written, and so does a single character, from which nothing can be computed.
func Harmless(text string) string {
	if len(text) < 2 {
		return text
	}
	first, _ := utf8.DecodeRuneInString(text)
	switch first {
	case '=', '+', '-', '@', '\t', '\r', '\n', '＝', '＋', '－', '＠':
		if !signedNumber(text) {
			return "'" + text
		}
	}
	return text
}

// signedNumber reports whether a text is a sign and a number as people write it: digits, with points, commas, apostrophes or spaces among
// them, and perhaps an exponent or a per cent sign behind them. Nothing in it can be run.
func signedNumber(text string) bool {
	if text[0] != '+' && text[0] != '-' {
		return false
	}
	rest := strings.TrimSuffix(text[1:], "%")
	digits, exponent := 0, false
	for i, r := range rest {
		switch {
		case r >= '0' && r <= '9':
			digits++
		case (r == 'e' || r == 'E') && digits > 0 && !exponent:
			digits, exponent = 0, true
		case (r == '+' || r == '-') && exponent && (rest[i-1] == 'e' || rest[i-1] == 'E'):
		case exponent || !strings.ContainsRune(".,' \u00a0\u2009\u202f", r):
			return false
		}
	}
	return digits > 0
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
