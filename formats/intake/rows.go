package intake

import (
	"io"

	"twinsieve/core/record"
)

// RowsReader is a reader of records that are no file's, such as the rows of a query.
type RowsReader interface {
	record.Reader
	io.Closer
}

// Rows makes a source of records that are no file's. The choices about files cannot be followed for them: blank markers
// types and computed columns are all that can be chosen, and forgive is [Options.Forgive]. The reader is closed with the source, or at once where there is an error.
func Rows(r RowsReader, choices Choices, forgive bool) (*Source, error) {
	s := &Source{reader: r, settled: choices, closers: []io.Closer{r}}
	err := choices.checkRows()
	if err == nil {
		err = s.compute(choices.Computed, forgive)
	}
	if err != nil {
		_ = s.close() // what went wrong first is what counts
		return nil, err
	}
	return s, nil
}

// checkRows refuses what can be chosen of files only.
func (c *Choices) checkRows() error {
	if err := c.Check(); err != nil {
		return err
	}
	for _, m := range c.aboutFiles() {
		if m.made {
			return &ChoiceError{m.name, "it is a choice about files, and these are rows, not a file; leave it out"}
		}
	}
	if c.Format != "" {
		return &ChoiceError{"format", "it is a choice about files, and these are rows, not a file; leave it out"}
	}
	return nil
}
