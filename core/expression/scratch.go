package expression

import (
	"fmt"
	"reflect"
	"regexp"
	"strings"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
)

// scratch is what one evaluator prepares once for many records: patterns and date layouts. Functions that need it take it as their
// first argument, which the rewriter adds, so that no function has state of its own.
type scratch struct {
	patterns map[string]*regexp.Regexp
	layouts  map[string]*reading.Reader
}

// scratchVariable is the variable by which functions are given the scratch space of their evaluator.
const scratchVariable = "@scratch"

// remember is the function that stands in for one that needs the scratch space.
var remember = map[string]string{"date": "@date", "matches": "@matches"}

var scratchType = types.NewOpaqueType("scratch")

// mostRemembered is how many patterns, and how many layouts, a scratch space holds. A pattern that is computed may differ from record to
// record; then it starts again, rather than growing with the records.
const mostRemembered = 64

// mostPattern is how many bytes a regular expression may have.
const mostPattern = 1000

func newScratch() *scratch {
	return &scratch{map[string]*regexp.Regexp{}, map[string]*reading.Reader{}}
}

// recall returns what is prepared under a text, and prepares it where it is not there yet.
func recall[T any](held map[string]T, text string, prepare func(string) (T, error)) (T, error) {
	if v, ok := held[text]; ok {
		return v, nil
	}
	v, err := prepare(text)
	if err != nil {
		return v, err
	}
	if len(held) == mostRemembered {
		clear(held)
	}
	held[strings.Clone(text)] = v
	return v, nil
}

// pattern compiles a regular expression.
func pattern(text string) (*regexp.Regexp, error) {
	if len(text) > mostPattern {
		return nil, fmt.Errorf("the regular expression has %d bytes; it may have at most %d", len(text), mostPattern)
	}
	return regexp.Compile(text)
}

// layout prepares the reading of dates in a layout.
func layout(text string) (*reading.Reader, error) {
	step, err := reading.Parse("date " + text)
	if err != nil {
		return nil, err
	}
	chain, err := reading.Compile([]reading.Reading{step}, tray.Left, nil)
	if err != nil {
		return nil, err
	}
	return chain.Reader(), nil
}

// date reads a day.
func (m *scratch) date(v, form ref.Val) ref.Val {
	r, err := recall(m.layouts, string(form.(types.String)), layout)
	if err != nil {
		return types.NewErr("%s", err)
	}
	text := strings.TrimSpace(string(v.(types.String)))
	if text == "" {
		return day("")
	}
	read := r.Cell([]byte(text))
	if read.State != reading.Text {
		return types.NewErr("%q is not a date %s", text, form.(types.String))
	}
	return day(read.Text)
}

// matches reports whether a pattern is found in a text.
func (m *scratch) matches(v, text ref.Val) ref.Val {
	p, err := recall(m.patterns, string(text.(types.String)), pattern)
	if err != nil {
		return types.NewErr("%s", err)
	}
	return types.Bool(p.MatchString(string(v.(types.String))))
}

// Equal implements [ref.Val]. Nothing asks for it.
func (m *scratch) Equal(other ref.Val) ref.Val { return types.Bool(m == other) }

// Type implements [ref.Val].
func (*scratch) Type() ref.Type { return scratchType }

// Value implements [ref.Val].
func (m *scratch) Value() any { return m }

// ConvertToNative implements [ref.Val]. Nothing asks for it.
func (*scratch) ConvertToNative(t reflect.Type) (any, error) {
	return nil, fmt.Errorf("the scratch space is not a %s", t)
}

// ConvertToType implements [ref.Val]. Nothing asks for it.
func (*scratch) ConvertToType(t ref.Type) ref.Val {
	return types.NewErr("the scratch space is not a %s", t.TypeName())
}
