package expression

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"twinsieve/core/exact"
	"twinsieve/core/similar"
)

// rewriter turns what has been parsed into what is checked: names become columns, numbers exact ones, and operators those of
// this package.
type rewriter struct {
	text      []rune
	columns   []string
	source    *cel.Ast
	constants map[string]ref.Val
	places    map[string]int
	variables []cel.EnvOption
	lastID    int64 // of the expressions so far
}

func newRewriter(text string, columns []string, source *cel.Ast) *rewriter {
	return &rewriter{text: []rune(text), columns: columns, source: source, lastID: ast.MaxID(source.NativeRep()),
		constants: map[string]ref.Val{}, places: map[string]int{}}
}

// ours are the operators whose meaning is this package's.
var ours = map[string]string{operators.Add: "@add", operators.Subtract: "@subtract", operators.Multiply: "@multiply", operators.Negate: "@negate",
	operators.Equals: "@equal", operators.NotEquals: "@differ", operators.Less: "@less", operators.LessEquals: "@atMost", operators.Greater: "@greater",
	operators.GreaterEquals: "@atLeast"}

// kept are the operators that are the language's own.
var kept = []string{operators.LogicalAnd, operators.LogicalOr, operators.LogicalNot, operators.Conditional, operators.In}

func (r *rewriter) rewrite() error {
	return r.visit(r.source.NativeRep().Expr())
}

func (r *rewriter) at(e ast.Expr) int {
	if o, ok := r.source.NativeRep().SourceInfo().GetOffsetRange(e.ID()); ok {
		return int(o.Start) + 1
	}
	return 1
}

func (r *rewriter) wrong(e ast.Expr, format string, args ...any) error {
	return &Error{r.at(e), fmt.Sprintf(format, args...)}
}

var fac = ast.NewExprFactory()

func (r *rewriter) visit(e ast.Expr) error {
	switch e.Kind() {
	case ast.IdentKind:
		return r.column(e, e.AsIdent())
	case ast.SelectKind:
		if name, ok := dotted(e); ok {
			return r.column(e, name)
		}
		return r.wrong(e, "a value has no parts; a column whose name has a point is written whole")
	case ast.LiteralKind:
		return r.literal(e)
	case ast.ListKind:
		return r.all(e.AsList().Elements())
	case ast.CallKind:
		return r.call(e)
	}
	return r.wrong(e, "this has no place in an expression over a record")
}

func (r *rewriter) all(list []ast.Expr) error {
	for _, e := range list {
		if err := r.visit(e); err != nil {
			return err
		}
	}
	return nil
}

// dotted is a chain of names with points between them.
func dotted(e ast.Expr) (string, bool) {
	switch e.Kind() {
	case ast.IdentKind:
		return e.AsIdent(), true
	case ast.SelectKind:
		s := e.AsSelect()
		name, ok := dotted(s.Operand())
		return name + "." + s.FieldName(), ok && !s.IsTestOnly()
	}
	return "", false
}

func (r *rewriter) column(e ast.Expr, name string) error {
	place := slices.Index(r.columns, name)
	if place < 0 {
		return r.wrong(e, "there is no column %q%s", name, similar.Choice(name, r.columns, "Columns"))
	}
	variable := "@c" + strconv.Itoa(place)
	r.declare(variable, cel.StringType)
	r.places[variable] = place
	e.SetKindCase(fac.NewIdent(e.ID(), variable))
	return nil
}

func (r *rewriter) declare(variable string, t *cel.Type) {
	if _, known := r.places[variable]; !known && r.constants[variable] == nil {
		r.variables = append(r.variables, cel.Variable(variable, t))
	}
}

// numeral is a number as it stands in an expression.
var numeral = regexp.MustCompile(`^(-?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?)([\p{L}0-9_]?)`)

func (r *rewriter) literal(e ast.Expr) error {
	switch v := e.AsLiteral().(type) {
	case types.String, types.Bool:
		return nil
	case types.Int, types.Double:
		// The parser's number may have been rounded: what stands there counts.
		stands := numeral.FindStringSubmatch(string(r.text[r.at(e)-1:]))
		if stands == nil || stands[2] != "" {
			return r.wrong(e, "%v is written in a way that is not read here; write its decimal digits", v.Value())
		}
		plain, ok := exact.Plain(nil, []byte(stands[1]))
		if !ok {
			return r.wrong(e, "the number has more than %d digits", exact.MaxDigits)
		}
		variable := "@n" + string(plain)
		r.declare(variable, numberType)
		r.constants[variable] = number{value: exact.Decimal(plain)}
		e.SetKindCase(fac.NewIdent(e.ID(), variable))
		return nil
	}
	return r.wrong(e, "there are texts in quotes, numbers, true and false; this is none of them")
}

func (r *rewriter) call(e ast.Expr) error {
	c := e.AsCall()
	name, args := c.FunctionName(), c.Args()
	switch {
	case name == "column" && !c.IsMemberFunction():
		if len(args) != 1 || args[0].Kind() != ast.LiteralKind || args[0].AsLiteral().Type() != types.StringType {
			return r.wrong(e, `column takes the name of a column in quotes, as in column("Call No")`)
		}
		return r.column(e, string(args[0].AsLiteral().(types.String)))
	case name == operators.Divide || name == operators.Modulo:
		return r.wrong(e, "dividing may leave digits without end; write divide(a, b, places)")
	case name == operators.Index:
		return r.wrong(e, "a value has no parts; write part(text, separator, n)")
	}
	own, operator := ours[name]
	known := slices.ContainsFunc(functions, func(f Function) bool { return f.Name == name && f.member == c.IsMemberFunction() })
	if !operator && !known && !slices.Contains(kept, name) {
		var names []string
		for _, f := range functions {
			names = append(names, f.Name)
		}
		return r.wrong(e, "there is no function %s here%s", name, similar.Choice(name, names, "Functions"))
	}
	if c.IsMemberFunction() {
		if err := r.visit(c.Target()); err != nil {
			return err
		}
	}
	if err := r.all(args); err != nil {
		return err
	}
	if operator {
		e.SetKindCase(fac.NewCall(e.ID(), own, args...))
	}
	if with, ok := remember[name]; ok {
		return r.remembering(e, with)
	}
	return nil
}

// remembering puts in the place of a call the one that is given the scratch space. What is prepared from a text in quotes is tried, so that
// it is refused here rather than for every record.
func (r *rewriter) remembering(e ast.Expr, with string) error {
	c := e.AsCall()
	r.lastID++
	args := []ast.Expr{fac.NewIdent(r.lastID, scratchVariable)}
	if c.IsMemberFunction() {
		args = append(args, c.Target())
	}
	args = append(args, c.Args()...)
	if len(args) == 3 && args[2].Kind() == ast.LiteralKind {
		if text, ok := args[2].AsLiteral().(types.String); ok {
			var err error
			if with == remember["date"] {
				_, err = layout(string(text))
			} else {
				_, err = pattern(string(text))
			}
			if err != nil {
				return r.wrong(args[2], "%s", err)
			}
		}
	}
	e.SetKindCase(fac.NewCall(e.ID(), with, args...))
	return nil
}
