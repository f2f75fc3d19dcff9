package expression

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/env"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/typing"
)

// Function is something that an expression can call.
type Function struct {
	Name    string `json:"name"`
	Form    string `json:"form" description:"How it is written."`
	Meaning string `json:"meaning"`
	member  bool
}

var functions = []Function{
	{"column", `column("Call No")`, "the column of that name", false},
	{"blank", "blank(x)", "whether it is blank", false},
	{"number", `number(text), number(text, "comma")`, "the number that the text is; a blank stays blank", false},
	{"zero", `zero(text), zero(text, "comma"), zero(number)`, "the same, and 0 for a blank", false},
	{"round", "round(number, places)", "rounded to a number of places, halves away from zero", false},
	{"abs", "abs(number)", "without its sign", false},
	{"divide", "divide(a, b, places)", "the quotient, rounded to a number of places", false},
	{"date", `date(text), date(text, "DD/MM/YYYY")`, "the day that the text is; YYYY-MM-DD unless a layout is given", false},
	{"text", "text(x)", "a number, a date or a truth value as a text", false},
	{"part", `part(text, "/", n)`, "the nth of the parts between separators, counted from the end where n is below 0; blank where there are fewer", false},
	{"first", "first(text, n)", "its first n characters", false},
	{"last", "last(text, n)", "its last n characters", false},
	{"trim", "trim(text)", "without spaces at its ends", false},
	{"upper", "upper(text)", "in capital letters", false},
	{"lower", "lower(text)", "in small letters", false},
	{"replace", "replace(text, what, with)", "replaces every occurrence of `what` by `with`", false},
	{"length", "length(text)", "how many characters it has", false},
	{"startsWith", `text.startsWith("MW")`, "whether it starts with that text", true},
	{"endsWith", `text.endsWith("/1")`, "whether it ends with that text", true},
	{"contains", `text.contains("tug")`, "whether it contains that text", true},
	{"matches", `text.matches("^MW-[0-9]+$")`, "whether the regular expression (RE2 syntax) is found in it", true},
}

// Functions are what an expression can call, besides the operators
// + - * == != < <= > >= && || ! in and ?:
func Functions() []Function { return functions }

// options are what the language has here. No function has state of its own: those that prepare something are given the scratch space of
// the evaluator that calls them.
func options() []cel.EnvOption {
	var own []*env.Function
	for _, name := range append([]string{"startsWith", "endsWith", "contains"}, kept...) {
		own = append(own, &env.Function{Name: name})
	}
	s, b, n, d := cel.StringType, cel.BoolType, numberType, dayType
	options := []cel.EnvOption{cel.StdLib(cel.StdLibSubset(&env.LibrarySubset{DisableMacros: true, IncludeFunctions: own})), cel.ClearMacros(), cel.ParserRecursionLimit(250),
		one("blank", "text", s, b, func(v ref.Val) ref.Val { return v.(types.String).Equal(types.String("")) }),
		one("blank", "number", n, b, func(v ref.Val) ref.Val { return types.Bool(v.(number).blank) }),
		one("blank", "date", d, b, func(v ref.Val) ref.Val { return types.Bool(v.(day) == "") }),
		one("number", "text", s, n, func(v ref.Val) ref.Val { return readNumber(v, typing.Point) }),
		two("number", "form", s, s, n, readNumberIn),
		one("zero", "text", s, n, func(v ref.Val) ref.Val { return orZero(readNumber(v, typing.Point)) }),
		two("zero", "form", s, s, n, func(v, form ref.Val) ref.Val { return orZero(readNumberIn(v, form)) }),
		one("zero", "number", n, n, orZero),
		two("round", "number", n, n, n, round),
		one("abs", "number", n, n, func(v ref.Val) ref.Val { return number{v.(number).value.Abs(), v.(number).blank} }),
		one("@negate", "number", n, n, func(v ref.Val) ref.Val { return number{v.(number).value.Neg(), v.(number).blank} }),
		many("divide", []*cel.Type{n, n, n}, n, divide),
		cel.Variable(scratchVariable, scratchType),
		two(remember["date"], "text", scratchType, s, d, func(m, v ref.Val) ref.Val { return m.(*scratch).date(v, types.String(reading.ISODate)) }),
		many(remember["date"], []*cel.Type{scratchType, s, s}, d, func(args ...ref.Val) ref.Val { return args[0].(*scratch).date(args[1], args[2]) }),
		one("text", "number", n, s, func(v ref.Val) ref.Val { return types.String(v.(number).text()) }),
		one("text", "date", d, s, func(v ref.Val) ref.Val { return types.String(v.(day)) }),
		one("text", "truth", b, s, func(v ref.Val) ref.Val { return v.ConvertToType(types.StringType) }),
		many("part", []*cel.Type{s, s, n}, s, part),
		two("first", "text", s, n, s, func(v, n ref.Val) ref.Val { return ends(v, n, true) }),
		two("last", "text", s, n, s, func(v, n ref.Val) ref.Val { return ends(v, n, false) }),
		one("trim", "text", s, s, onText(strings.TrimSpace)),
		one("upper", "text", s, s, onText(eachRune(unicode.ToUpper))),
		one("lower", "text", s, s, onText(eachRune(unicode.ToLower))),
		many("replace", []*cel.Type{s, s, s}, s, replace),
		one("length", "text", s, n, func(v ref.Val) ref.Val {
			return number{value: decimal.NewFromInt(int64(utf8.RuneCountInString(string(v.(types.String)))))}
		}),
		many(remember["matches"], []*cel.Type{scratchType, s, s}, b, func(args ...ref.Val) ref.Val { return args[0].(*scratch).matches(args[1], args[2]) }),
		two("@add", "text", s, s, s, join),
		two("@add", "number", n, n, n, reckon(decimal.Decimal.Add)),
		two("@subtract", "number", n, n, n, reckon(decimal.Decimal.Sub)),
		two("@multiply", "number", n, n, n, reckon(decimal.Decimal.Mul)),
	}
	for kind, t := range map[string]*cel.Type{"text": s, "number": n, "date": d, "truth": b} {
		options = append(options, two("@equal", kind, t, t, b, func(x, y ref.Val) ref.Val { return x.Equal(y) }),
			two("@differ", kind, t, t, b, func(x, y ref.Val) ref.Val { return !x.Equal(y).(types.Bool) }))
		if kind == "truth" {
			continue
		}
		for name, holds := range map[string]func(int) bool{"@less": func(c int) bool { return c < 0 }, "@atMost": func(c int) bool { return c <= 0 },
			"@greater": func(c int) bool { return c > 0 }, "@atLeast": func(c int) bool { return c >= 0 }} {
			options = append(options, two(name, kind, t, t, b, func(x, y ref.Val) ref.Val { return ordered(x, y, holds) }))
		}
	}
	return options
}

func one(name, kind string, in, out *cel.Type, do func(ref.Val) ref.Val) cel.EnvOption {
	return cel.Function(name, cel.Overload(name+"_"+kind, []*cel.Type{in}, out, cel.UnaryBinding(do)))
}

func two(name, kind string, a, b, out *cel.Type, do func(a, b ref.Val) ref.Val) cel.EnvOption {
	return cel.Function(name, cel.Overload(name+"_"+kind, []*cel.Type{a, b}, out, cel.BinaryBinding(do)))
}

func many(name string, in []*cel.Type, out *cel.Type, do func(...ref.Val) ref.Val) cel.EnvOption {
	return cel.Function(name, cel.Overload(name+"_values", in, out, cel.FunctionBinding(do)))
}

func (n number) text() string {
	if n.blank {
		return ""
	}
	return exact.Text(n.value)
}

// readNumber reads a text as a number of a form. A blank text is a blank number.
func readNumber(v ref.Val, form string) ref.Val {
	text := strings.TrimSpace(string(v.(types.String)))
	if text == "" {
		return number{blank: true}
	}
	plain, ok := reading.Number(nil, []byte(text), form == typing.Comma)
	if !ok {
		return types.NewErr("%q is not a number", text)
	}
	return number{value: exact.Decimal(plain)}
}

func readNumberIn(v, form ref.Val) ref.Val {
	if f := string(form.(types.String)); f == typing.Point || f == typing.Comma {
		return readNumber(v, f)
	}
	return types.NewErr("%q is not a form of numbers; write %q or %q", form.Value(), typing.Point, typing.Comma)
}

func orZero(v ref.Val) ref.Val {
	if n, ok := v.(number); ok && n.blank {
		return number{}
	}
	return v
}

// bounded refuses numbers that no cell could be read as.
func bounded(d decimal.Decimal) ref.Val {
	exponent := int(d.Exponent())
	if max(d.NumDigits()+max(exponent, 0), -exponent) > exact.MaxDigits {
		return types.NewErr("the number has more than %d digits", exact.MaxDigits)
	}
	return number{value: d}
}

// reckon is an operation on numbers; a blank makes its outcome blank.
func reckon(do func(a, b decimal.Decimal) decimal.Decimal) func(a, b ref.Val) ref.Val {
	return func(a, b ref.Val) ref.Val {
		x, y := a.(number), b.(number)
		if x.blank || y.blank {
			return number{blank: true}
		}
		return bounded(do(x.value, y.value))
	}
}

// wholeNumber is a number that counts something.
func wholeNumber(v ref.Val, least, most int64) (int, ref.Val) {
	n := v.(number)
	if n.blank || !n.value.IsInteger() || n.value.LessThan(decimal.NewFromInt(least)) || n.value.GreaterThan(decimal.NewFromInt(most)) {
		return 0, types.NewErr("%q is not a whole number from %d to %d", n.text(), least, most)
	}
	return int(n.value.IntPart()), nil
}

// mostPlaces is how many places a number can be rounded to.
const mostPlaces = 100

func round(v, places ref.Val) ref.Val {
	n, wrong := wholeNumber(places, 0, mostPlaces)
	if wrong != nil {
		return wrong
	}
	return number{v.(number).value.Round(int32(n)), v.(number).blank}
}

func divide(args ...ref.Val) ref.Val {
	n, wrong := wholeNumber(args[2], 0, mostPlaces)
	if wrong != nil {
		return wrong
	}
	a, b := args[0].(number), args[1].(number)
	switch {
	case a.blank || b.blank:
		return number{blank: true}
	case b.value.IsZero():
		return types.NewErr("%s is divided by zero", a.text())
	}
	return bounded(a.value.DivRound(b.value, int32(n)))
}

func onText(do func(string) string) func(ref.Val) ref.Val {
	return func(v ref.Val) ref.Val { return types.String(do(string(v.(types.String)))) }
}

// eachRune changes a text character by character. Bytes that are not characters stay as they are, so that different ones stay
// different.
func eachRune(change func(rune) rune) func(string) string {
	return func(text string) string {
		out := make([]byte, 0, len(text))
		for len(text) > 0 {
			r, size := utf8.DecodeRuneInString(text)
			if r == utf8.RuneError && size == 1 {
				out = append(out, text[0])
			} else {
				out = utf8.AppendRune(out, change(r))
			}
			text = text[size:]
		}
		return string(out)
	}
}

func shortText(text string) ref.Val {
	if len(text) > MostText {
		return types.NewErr("the text has more than %d bytes", MostText)
	}
	return types.String(text)
}

func join(a, b ref.Val) ref.Val {
	x, y := string(a.(types.String)), string(b.(types.String))
	if len(x)+len(y) > MostText {
		return types.NewErr("the text has more than %d bytes", MostText)
	}
	return types.String(x + y)
}

func replace(args ...ref.Val) ref.Val {
	text, what, with := string(args[0].(types.String)), string(args[1].(types.String)), string(args[2].(types.String))
	if what == "" {
		return args[0]
	}
	if n := strings.Count(text, what); len(text)+n*(len(with)-len(what)) > MostText {
		return types.NewErr("the text has more than %d bytes", MostText)
	}
	return shortText(strings.ReplaceAll(text, what, with))
}

func part(args ...ref.Val) ref.Val {
	n, wrong := wholeNumber(args[2], -MostText, MostText)
	if wrong != nil {
		return wrong
	}
	parts := strings.Split(string(args[0].(types.String)), string(args[1].(types.String)))
	if n < 0 {
		n += len(parts) + 1
	}
	if n < 1 || n > len(parts) {
		return types.String("")
	}
	return types.String(parts[n-1])
}

// ends is the beginning or the end of a text.
func ends(v, many ref.Val, beginning bool) ref.Val {
	n, wrong := wholeNumber(many, 0, MostText)
	if wrong != nil {
		return wrong
	}
	text := string(v.(types.String))
	cut := 0 // where the first n characters end, or the last n begin
	if beginning {
		for ; n > 0 && cut < len(text); n-- {
			_, size := utf8.DecodeRuneInString(text[cut:])
			cut += size
		}
		return types.String(text[:cut])
	}
	for cut = len(text); n > 0 && cut > 0; n-- {
		_, size := utf8.DecodeLastRuneInString(text[:cut])
		cut -= size
	}
	return types.String(text[cut:])
}

// ordered is an order test, which is false where one of the two is blank.
func ordered(a, b ref.Val, holds func(int) bool) ref.Val {
	switch x := a.(type) {
	case number:
		y := b.(number)
		return types.Bool(!x.blank && !y.blank && holds(x.value.Cmp(y.value)))
	case day:
		y := b.(day)
		return types.Bool(x != "" && y != "" && holds(strings.Compare(string(x), string(y))))
	}
	x, y := string(a.(types.String)), string(b.(types.String))
	return types.Bool(x != "" && y != "" && holds(strings.Compare(x, y)))
}
