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
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types/ref"
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

// Program is an expression that has been checked against columns. It never changes, so any number of goroutines may share one; each
// evaluates it through an [Evaluator] of its own.
type Program struct {
	kind      Kind
	program   cel.Program
	constants map[string]ref.Val
	places    map[string]int // of the columns that the expression names, by variable
}

// Compile checks an expression against the columns of the records that it is to be used for. The error is an [*Error].
func Compile(text string, columns []string) (*Program, error) {
	if len(text) > Most {
		return nil, &Error{1, fmt.Sprintf("the expression has %d characters; it may have at most %d", len(text), Most)}
	}
	env, err := language()
	if err != nil {
		return nil, err
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil, explain(text, issues)
	}
	r := newRewriter(text, columns, parsed)
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
	return &Program{kind, program, r.constants, r.places}, nil
}

var kinds = map[string]Kind{"string": Text, "number": Number, "date": Day, "bool": Boolean}

// language is the language without columns, which every expression extends by its own.
var language = sync.OnceValues(func() (*cel.Env, error) { return cel.NewCustomEnv(options()...) })

// Kind is what the expression gives.
func (p *Program) Kind() Kind { return p.kind }

// Columns are the columns that the expression names, ascending.
func (p *Program) Columns() []int {
	return slices.Compact(slices.Sorted(maps.Values(p.places)))
}
