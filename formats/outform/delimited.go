package outform

import (
	"encoding/csv"
	"errors"
	"io"

	"twinsieve/core/record"
)

type delimitedWriter struct {
	out   io.Writer
	csv   *csv.Writer
	exact bool
	row   []string
}

func newDelimited(w io.Writer, tabs bool, columns []Column, opts Options) (Writer, error) {
	d := &delimitedWriter{out: w, csv: csv.NewWriter(w), exact: opts.Exact}
	if tabs {
		d.csv.Comma = '\t'
	}
	for _, c := range columns {
		d.row = append(d.row, d.harmless(c.Name))
	}
	return d, d.csv.Write(d.row)
}

func (d *delimitedWriter) harmless(text string) string {
	if d.exact {
		return text
	}
	return Harmless(text)
}

// Harmless sets an apostrophe before a text that a spreadsheet would run. A number is left as it is, and so is a single
// character, which nothing can be reckoned from.
func Harmless(text string) string {
	if len(text) < 2 {
		return text
	}
	switch text[0] {
	case '=', '+', '-', '@', '\t', '\r':
		if _, _, number := plainNumber(text); !number {
			return "'" + text
		}
	}
	return text
}

// Write writes a row. A line of one empty cell is quoted, for an empty line is no record.
func (d *delimitedWriter) Write(cells []record.Cell) error {
	d.row = d.row[:0]
	for _, c := range cells {
		d.row = append(d.row, d.harmless(c.Text))
	}
	if len(d.row) == 1 && d.row[0] == "" {
		d.csv.Flush()
		_, err := io.WriteString(d.out, "\"\"\n")
		return errors.Join(d.csv.Error(), err)
	}
	return d.csv.Write(d.row)
}

func (d *delimitedWriter) Close() error {
	d.csv.Flush()
	return d.csv.Error()
}
