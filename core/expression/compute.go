package expression

import (
	"errors"
	"fmt"
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/memory"

	"twinsieve/core/record"
)

// Column is a column that is computed from others of its record.
type Column struct {
	Name       string `json:"name"`
	Expression string `json:"expression" description:"In the Common Expression Language over the columns before it."`
}

// ColumnError is a computed column that cannot be.
type ColumnError struct {
	Column string
	Err    error // an [*Error], or what is wrong with the name
}

// Error implements error.
func (e *ColumnError) Error() string {
	return fmt.Sprintf("the computed column %q: %s", e.Column, e.Err)
}

// Unwrap returns what is wrong.
func (e *ColumnError) Unwrap() error { return e.Err }

// Failures are the cells of a computed column that could not be computed.
type Failures struct {
	Column  string `json:"column"`
	Records int64  `json:"records"`
	Line    int64  `json:"line" description:"Of the first such record."`
	Why     string `json:"why" description:"What is wrong with the first one."`
}

// Failed is what the text of a cell begins with that could not be computed; the reason and the record's number follow. It is no
// number, no date and no truth value, so that it is unreadable wherever it is read as one, and it equals no other text.
const Failed = "#uncomputed"

// mostTexts is how many bytes the computed columns of one batch may have together.
const mostTexts = 256 << 20

// Computing adds computed columns to the records of a reader. It is a [record.Reader].
type Computing struct {
	record.Reader
	names      []string
	evaluators []*Evaluator
	failures   []Failures
	most       int // bytes that the computed columns of one batch may have together
}

// MostComputed is how many computed columns a set may have.
const MostComputed = 100

// Compute adds columns to a reader's, each computed from those before it. The error is a [*ColumnError].
func Compute(r record.Reader, columns []Column) (*Computing, error) {
	c := &Computing{Reader: r, names: slices.Clone(r.Columns()), most: mostTexts}
	for _, col := range columns {
		if err := c.Add(col); err != nil {
			return nil, err
		}
	}
	return c, nil
}

// Add adds one more column, computed from those before it. It is for before the first record. The error is a [*ColumnError]; then nothing
// has been added.
func (c *Computing) Add(col Column) error {
	switch {
	case col.Name == "":
		return &ColumnError{col.Name, errors.New("it has no name")}
	case slices.Contains(c.names, col.Name):
		return &ColumnError{col.Name, errors.New("there is a column of that name already; give it another")}
	case len(c.names) == record.MaxColumns:
		return &ColumnError{col.Name, fmt.Errorf("a record set has at most %d columns", record.MaxColumns)}
	case len(c.evaluators) == MostComputed:
		return &ColumnError{col.Name, fmt.Errorf("a record set has at most %d computed columns", MostComputed)}
	}
	p, err := Compile(col.Expression, c.names)
	if err != nil {
		return &ColumnError{col.Name, err}
	}
	c.names, c.evaluators = append(c.names, col.Name), append(c.evaluators, p.Evaluator())
	c.failures = append(c.failures, Failures{Column: col.Name})
	return nil
}

// Most sets how many bytes the computed columns of one batch may have together.
func (c *Computing) Most(bytes int) { c.most = bytes }

// Columns are the reader's columns, and behind them the computed ones.
func (c *Computing) Columns() []string { return c.names }

// Failures are those of each computed column so far, for the columns that have any.
func (c *Computing) Failures() []Failures {
	some := []Failures{}
	for _, f := range c.failures {
		if f.Records > 0 {
			some = append(some, f)
		}
	}
	return some
}

// Next implements [record.Reader].
func (c *Computing) Next() (*record.Batch, error) {
	source, err := c.Reader.Next()
	if err != nil {
		return nil, err
	}
	b := &record.Batch{First: source.First, Lines: source.Lines, Columns: slices.Clone(source.Columns)}
	size := 0
	for n := range c.evaluators {
		col, err := c.column(n, b, &size)
		if err != nil {
			return nil, err
		}
		b.Columns = append(b.Columns, col)
	}
	return b, nil
}

// column computes the nth column of a batch that has all columns before it. size is how many bytes the computed columns have so far.
func (c *Computing) column(n int, b *record.Batch, size *int) (*array.String, error) {
	p, f := c.evaluators[n], &c.failures[n]
	column := array.NewStringBuilder(memory.DefaultAllocator)
	column.Reserve(b.Records())
	for i := range b.Records() {
		text, blank, err := p.Cell(b, i)
		if err != nil {
			if f.Records++; f.Records == 1 {
				f.Line, f.Why = b.Line(i), err.Error()
			}
			text = fmt.Sprintf("%s: %s (record %d)", Failed, err, b.First+int64(i)+1)
		}
		if *size += len(text); *size > c.most {
			return nil, &record.Unreadable{Place: fmt.Sprintf("column %q", f.Column), What: "its computed texts are too long to be kept; let the expression make shorter ones"}
		}
		if blank {
			column.AppendNull()
		} else {
			column.Append(text)
		}
	}
	return column.NewStringArray(), nil
}
