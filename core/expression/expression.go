// Package expression reads a record through a formula: to compute a column from others, or to say whether a record is
// wanted.
//
// The language is the Common Expression Language (https://cel.dev) with the values of record sets in place of its own:
//
//   - A column is a text: its name, or column("Call No") where the name is no word. A dotted name is written as it is.
//     A blank is the empty text.
//   - Numbers are exact decimals, and so are those that stand in an expression: 0.1 + 0.2 == 0.3.
//     A text becomes one by number(fee), or number(fee, "comma") where it is written with a decimal comma; zero(fee) is the
//     same with 0 for a blank. Any other number(…) of a blank is a blank number, and what is reckoned with one is blank.
//   - Days come from date(day), or date(day, "DD/MM/YYYY").
//   - Texts are joined by +. See [Functions] for what else there is.
//   - Comparisons are two-valued: a blank equals a blank and nothing else; an order test on a blank is false.
//
// A value that cannot be read, such as number("n/a"), makes what depends on it undecidable, which is an error of that one
// record. Whether something depends on it is decided as the language does: false && undecidable is false.
//
// Types are checked before the first record is read, and nothing is converted in silence: fee > 100 is an error that says to
// write number(fee) > 100.
package expression

import (
	"fmt"
	"maps"
	"slices"
	"strconv"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"twinsieve/core/exact"
	"twinsieve/core/record"
)

// Most is how many bytes an expression may have.
const Most = 4000

// MostText is how many bytes a text that an expression makes may have.
const MostText = 1 << 20

// Error is something wrong with an expression.
type Error struct {
	At   int // character at which it is, counted from 1
	What string
}

// Error implements error.
func (e *Error) Error() string { return fmt.Sprintf("at character %d: %s", e.At, e.What) }

// Kind is what an expression gives.
type Kind string

// The kinds.
const (
	Text    Kind = "text"
	Number  Kind = "number"
	Day     Kind = "date"
	Boolean Kind = "boolean"
)

// Program is an expression that has been checked against columns. Each goroutine needs its own.
type Program struct {
	kind    Kind
	program cel.Program
	row     *row
}

// Compile checks an expression against the columns of the records that it is to be used for. The error is an [*Error].
func Compile(text string, columns []string) (*Program, error) {
	if len(text) > Most {
		return nil, &Error{1, fmt.Sprintf("the expression has %d characters; it may have at most %d", len(text), Most)}
	}
	l := &library{}
	env, err := cel.NewCustomEnv(l.options()...)
	if err != nil {
		return nil, err
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil, explain(text, issues)
	}
	r := &rewriter{text: []rune(text), columns: columns, source: parsed}
	if err := r.rewrite(); err != nil {
		return nil, err
	}
	if env, err = env.Extend(r.variables...); err != nil {
		return nil, err
	}
	checked, issues := env.Check(parsed)
	if issues.Err() != nil {
		return nil, explain(text, issues)
	}
	kind, ok := kinds[checked.OutputType().String()]
	if !ok {
		return nil, &Error{1, fmt.Sprintf("the expression gives a %s, which is no cell; let it give a text, a number, a date or a truth value", checked.OutputType())}
	}
	program, err := env.Program(checked)
	if err != nil {
		return nil, &Error{1, oneLine(err.Error())}
	}
	return &Program{kind, program, &row{constants: r.constants, places: r.places}}, nil
}

var kinds = map[string]Kind{"string": Text, "number": Number, "date": Day, "bool": Boolean}

// Copy returns a program that another goroutine may use at the same time.
func (p *Program) Copy() *Program {
	return &Program{p.kind, p.program, &row{constants: p.row.constants, places: p.row.places}}
}

// Kind is what the expression gives.
func (p *Program) Kind() Kind { return p.kind }

// Cell is what the expression gives for the batch's record i: the text of a cell, and whether it is blank. The error says
// why it cannot be decided.
func (p *Program) Cell(b *record.Batch, i int) (text string, blank bool, err error) {
	v, err := p.eval(b, i)
	if err != nil {
		return "", false, err
	}
	switch v := v.(type) {
	case types.String:
		return string(v), v == "", nil
	case types.Bool:
		return strconv.FormatBool(bool(v)), false, nil
	case number:
		if v.blank {
			return "", true, nil
		}
		return exact.Text(v.value), false, nil
	case day:
		return string(v), v == "", nil
	}
	return "", false, fmt.Errorf("it gives a %s", v.Type().TypeName()) // which the check has excluded
}

// Wants reports whether an expression of the kind [Boolean] holds for the batch's record i. The error says why that cannot
// be decided.
func (p *Program) Wants(b *record.Batch, i int) (bool, error) {
	v, err := p.eval(b, i)
	if err != nil {
		return false, err
	}
	holds, _ := v.(types.Bool)
	return bool(holds), nil
}

// Holds is [Program.Wants] for a record whose cells are at hand.
func (p *Program) Holds(cells []record.Cell) (bool, error) {
	b := record.NewBuilder(len(cells))
	for c, cell := range cells {
		if cell.Null {
			b.Null(c)
		} else {
			b.Cell(c, []byte(cell.Text))
		}
	}
	b.Close(0)
	return p.Wants(b.Flush(), 0)
}

// WantsTexts is [Program.Wants] for a record of which text gives the text of each column; an empty one is blank.
func (p *Program) WantsTexts(text func(column int) string) (bool, error) {
	p.row.text = text
	defer func() { p.row.text = nil }()
	return p.Wants(nil, 0)
}

// Columns are the columns that the expression names, ascending.
func (p *Program) Columns() []int {
	return slices.Compact(slices.Sorted(maps.Values(p.row.places)))
}

func (p *Program) eval(b *record.Batch, i int) (ref.Val, error) {
	p.row.batch, p.row.at = b, i
	v, _, err := p.program.Eval(p.row)
	if err != nil {
		return nil, fmt.Errorf("%s", oneLine(err.Error()))
	}
	return v, nil
}

// row gives the program the values of the record that it is at.
type row struct {
	constants map[string]ref.Val
	places    map[string]int // of the columns that the expression names
	batch     *record.Batch
	at        int
	text      func(column int) string // instead of the batch
}

// ResolveName implements [cel.Activation].
func (r *row) ResolveName(name string) (any, bool) {
	if c, ok := r.places[name]; ok {
		if r.text != nil {
			return types.String(r.text(c)), true
		}
		col := r.batch.Columns[c]
		if col.IsNull(r.at) {
			return types.String(""), true
		}
		return types.String(col.Value(r.at)), true
	}
	v, ok := r.constants[name]
	return v, ok
}

// Parent implements [cel.Activation].
func (r *row) Parent() cel.Activation { return nil }
