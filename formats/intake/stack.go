package intake

import (
	"errors"
	"fmt"
	"io"
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/memory"

	"twinsieve/core/record"
)

// MostStacked is how many sources one stack may have.
const MostStacked = 200

// Part is one source of a stack, with the label that its records bear.
type Part struct {
	*Source
	Label   string
	Missing []string // columns of the stack that it has not
}

// Stack makes one source of several, one under another. Columns are aligned by name; what a source has not is null. The
// column origin, behind the others, bears the label of the source that a record came from. Each source has its own choices;
// those for the stack are types and computed columns. The sources are closed with the stack, or at once where there is an
// error.
func Stack(parts []Part, origin string, choices Choices, forgive bool) (*Source, error) {
	r := &stacked{parts: parts}
	s := &Source{reader: r, settled: choices}
	for _, p := range parts {
		s.closers = append(s.closers, p)
	}
	err := r.align(origin)
	if err == nil {
		own := choices
		own.Blanks = nil // which the sources have seen to
		s.stack, s.settled = r, own
		err = s.compute(choices.Computed, forgive)
		s.settled = choices
	}
	if err != nil {
		_ = s.close() // what went wrong first is what counts
		return nil, err
	}
	return s, nil
}

// stacked reads sources one after another.
type stacked struct {
	parts   []Part
	at      int
	names   []string
	places  [][]int // of each part's columns among the names; -1 for none, of each name among the part's columns
	records int64
}

func (r *stacked) align(origin string) error {
	for _, p := range r.parts {
		for _, name := range p.Columns() {
			if !slices.Contains(r.names, name) {
				r.names = append(r.names, name)
			}
		}
	}
	if slices.Contains(r.names, origin) {
		return &ChoiceError{"origin", fmt.Sprintf("there is a column %q already; call the column of the origin otherwise", origin)}
	}
	labels := map[string]bool{}
	for i := range r.parts {
		p := &r.parts[i]
		if labels[p.Label] {
			return &ChoiceError{"stack", fmt.Sprintf("two sources are labelled %q; give each a label of its own", p.Label)}
		}
		labels[p.Label] = true
		places, columns := make([]int, len(r.names)), p.Columns()
		p.Missing = []string{}
		for n, name := range r.names {
			if places[n] = slices.Index(columns, name); places[n] < 0 {
				p.Missing = append(p.Missing, name)
			}
		}
		r.places = append(r.places, places)
	}
	names, err := record.CheckColumns(append(r.names, origin), 0)
	r.names = names
	return err
}

// Columns are the names of the columns.
func (r *stacked) Columns() []string { return r.names }

// Rejects is the number of rejects of all sources so far.
func (r *stacked) Rejects() (n int64) {
	for _, p := range r.parts {
		n += p.Rejects()
	}
	return n
}

// Bytes is how many bytes of all sources have been used so far.
func (r *stacked) Bytes() (n int64) {
	for _, p := range r.parts {
		n += p.Bytes()
	}
	return n
}

// Next implements [record.Reader].
func (r *stacked) Next() (*record.Batch, error) {
	for r.at < len(r.parts) {
		p := r.parts[r.at]
		b, err := p.Next()
		if err == io.EOF {
			r.at++
			continue
		}
		if fault := new(record.Unreadable); errors.As(err, &fault) {
			return nil, &record.Unreadable{Place: p.Label, What: fault.Error()}
		}
		if err != nil {
			return nil, err
		}
		out := &record.Batch{First: r.records, Lines: b.Lines, Columns: make([]*array.String, 0, len(r.names))}
		for _, place := range r.places[r.at] {
			if place >= 0 {
				out.Columns = append(out.Columns, b.Columns[place])
				continue
			}
			nulls := array.NewStringBuilder(memory.DefaultAllocator)
			nulls.AppendNulls(b.Records())
			out.Columns = append(out.Columns, nulls.NewStringArray())
		}
		labels := array.NewStringBuilder(memory.DefaultAllocator)
		for range b.Records() {
			labels.Append(p.Label)
		}
		out.Columns = append(out.Columns, labels.NewStringArray())
		r.records += int64(b.Records())
		return out, nil
	}
	return nil, io.EOF
}

// Parts are the sources of a stack; none of any other source.
func (s *Source) Parts() []Part {
	if s.stack == nil {
		return nil
	}
	return s.stack.parts
}
