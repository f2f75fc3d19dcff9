package intake

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

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
	Rename  map[string]string // columns that are named otherwise in the stack, by their names in the source
	Missing []string          // columns of the stack that it has not
	Left    []string          // columns of its own that the stack leaves out
	Records int64             // that have been read so far
}

// StackOptions are how sources are stacked.
type StackOptions struct {
	Origin  string // name of the column that bears the label of the source that a record came from
	Common  bool   // columns that not all sources have are left out; else what a source has not is null
	Forgive bool   // see [Options.Forgive]
}

// Stack makes one source of several, one under another. Columns are aligned by name, after those have been renamed that are
// named otherwise in some source. The column of the origin stands behind the others. Each source has its own choices;
// those for the stack are types and computed columns. The sources are closed with the stack, or at once where there is an
// error.
func Stack(parts []Part, opts StackOptions, choices Choices) (*Source, error) {
	r := &stacked{parts: parts, common: opts.Common}
	s := &Source{reader: r, settled: choices}
	for _, p := range parts {
		s.closers = append(s.closers, p)
	}
	err := r.align(opts.Origin)
	if err == nil {
		own := choices
		own.Blanks = nil // which the sources have seen to
		s.stack, s.settled = r, own
		err = s.compute(choices.Computed, opts.Forgive)
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
	places  [][]int // of each part: the place of each name among its columns; -1 for none
	records int64
	common  bool
}

// columns are the columns of a part, named as in the stack.
func (p *Part) columns() ([]string, error) {
	names := slices.Clone(p.Columns())
	for from, to := range p.Rename {
		at := slices.Index(p.Columns(), from)
		if at < 0 {
			return nil, &ChoiceError{"stack", fmt.Sprintf("%s has no column %q to rename; it has %s", p.Label, from, strings.Join(p.Columns(), ", "))}
		}
		names[at] = to
	}
	for i, name := range names {
		if slices.Contains(names[:i], name) {
			return nil, &ChoiceError{"stack", fmt.Sprintf("two columns of %s would be named %q; give one of them another name", p.Label, name)}
		}
	}
	return names, nil
}

func (r *stacked) align(origin string) error {
	columns := make([][]string, len(r.parts))
	for i := range r.parts {
		var err error
		if columns[i], err = r.parts[i].columns(); err != nil {
			return err
		}
		for _, name := range columns[i] {
			if !slices.Contains(r.names, name) {
				r.names = append(r.names, name)
			}
		}
	}
	if r.common {
		r.names = slices.DeleteFunc(r.names, func(name string) bool {
			return slices.ContainsFunc(columns, func(names []string) bool { return !slices.Contains(names, name) })
		})
		if len(r.names) == 0 {
			return &ChoiceError{"columns", "no column is in all sources; fill those that some have not, or rename columns that say the same"}
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
		places := make([]int, len(r.names))
		p.Missing, p.Left = []string{}, []string{}
		for n, name := range r.names {
			if places[n] = slices.Index(columns[i], name); places[n] < 0 {
				p.Missing = append(p.Missing, name)
			}
		}
		for c, name := range columns[i] {
			if !slices.Contains(r.names, name) {
				p.Left = append(p.Left, p.Columns()[c])
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
		p := &r.parts[r.at]
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
		p.Records += int64(b.Records())
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
