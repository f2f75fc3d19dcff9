package intake

import (
	"errors"
	"fmt"

	"twinsieve/core/expression"
	"twinsieve/core/record"
)

// marked is a reader whose blank markers are blank.
type marked struct {
	record.Reader
	markers record.Markers
}

// Next implements [record.Reader].
func (m marked) Next() (*record.Batch, error) {
	b, err := m.Reader.Next()
	if err != nil {
		return nil, err
	}
	return m.markers.Apply(b), nil
}

// Lost is a computed column that could not be this time.
type Lost struct {
	Column string `json:"column"`
	Why    string `json:"why"`
}

// compute adds what is computed to what is read.
func (s *Source) compute(columns []expression.Column, forgive bool) error {
	s.reader = marked{s.reader, record.NewMarkers(s.settled.Blanks)}
	var possible []expression.Column
	for _, c := range columns {
		_, err := expression.Compute(s.reader, append(possible[:len(possible):len(possible)], c))
		if err == nil {
			possible = append(possible, c)
			continue
		}
		if !forgive {
			return &ChoiceError{"computed", computedError(err)}
		}
		s.lost = append(s.lost, Lost{c.Name, errors.Unwrap(err).Error()})
	}
	if len(possible) == 0 {
		return nil
	}
	computing, err := expression.Compute(s.reader, possible)
	if err != nil {
		return err // which the loop has excluded
	}
	s.reader, s.computing = computing, computing
	return nil
}

func computedError(err error) string {
	if c := new(expression.ColumnError); errors.As(err, &c) {
		return fmt.Sprintf("column %q: %s", c.Column, c.Err)
	}
	return err.Error()
}

// Failures are the cells of computed columns that could not be computed so far.
func (s *Source) Failures() []expression.Failures {
	if s.computing == nil {
		return []expression.Failures{}
	}
	return s.computing.Failures()
}

// Lost are the computed columns that were left out because they could not be, where [Options.Forgive] says so.
func (s *Source) Lost() []Lost { return append([]Lost{}, s.lost...) }
