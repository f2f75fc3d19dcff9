package expression

import (
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"

	"cel.dev/cel-go/cel"
)

// noOverload is how the checker says that an operator or function does not take what it is given.
var noOverload = regexp.MustCompile(`found no matching overload for '([^']*)' applied to '([^']*)'`)

// signs are the operators as they are written.
var signs = map[string]string{"@add": "+", "@subtract": "-", "@multiply": "*", "@negate": "-", "@equal": "==", "@differ": "!=", "@less": "<", "@atMost": "<=",
	"@greater": ">", "@atLeast": ">=", "@date": "date", "@matches": "matches", "_&&_": "&&", "_||_": "||", "!_": "!", "_?_:_": "?:", "@in": "in"}

var typeNames = regexp.MustCompile(`\b(string|bool|number|date|list)\b`)

// explain says the first thing that is wrong in this package's words.
func explain(text string, issues *cel.Issues) error {
	errs := issues.Errors()
	if len(errs) == 0 {
		return &Error{1, oneLine(issues.Err().Error())}
	}
	first := errs[0]
	at := place(text, first.Location.Line(), first.Location.Column())
	what := oneLine(first.Message)
	if m := noOverload.FindStringSubmatch(what); m != nil {
		return &Error{at, unfit(m[1], m[2])}
	}
	return &Error{max(at, 1), misplaced(text, strings.TrimPrefix(what, "Syntax error: "))}
}

// What the parser says of a text that is not an expression: what stands where something else has to, and what is missing.
var (
	unexpected = regexp.MustCompile(`^(?:mismatched input|extraneous input|no viable alternative at input) '(.*?)'(?: expecting .*)?$`)
	missing    = regexp.MustCompile(`^missing '(.*?)' at `)
	noToken    = regexp.MustCompile(`^token recognition error at: '(.*)'$`)
	lastToken  = regexp.MustCompile(`(?:[\p{L}\p{N}_.]+|"[^"]*"|'[^']*'|[&|=!<>]+|\S)\s*$`)
)

// misplaced says what the parser says without listing what it would have taken.
func misplaced(text, what string) string {
	if m := missing.FindStringSubmatch(what); m != nil {
		return fmt.Sprintf("a %q is missing", m[1])
	}
	if m := noToken.FindStringSubmatch(what); m != nil {
		return fmt.Sprintf("%s cannot be read here; texts are written in quotes, and column(\"…\") names a column whose name is not a word", strings.TrimSpace(m[1]))
	}
	m := unexpected.FindStringSubmatch(what)
	switch last := strings.TrimSpace(lastToken.FindString(text)); {
	case m == nil:
		return what
	case last == "":
		return "the expression is empty"
	case strings.HasSuffix(m[1], "<EOF>"):
		return fmt.Sprintf("the expression ends too early: a value is missing after %q", last)
	}
	return fmt.Sprintf("%q is not expected here", m[1])
}

// unfit says that a function does not take what it is given, and how to mend it.
func unfit(name, given string) string {
	given = strings.Replace(given, "(scratch, ", "(", 1)
	given = typeNames.ReplaceAllStringFunc(given, func(t string) string {
		return map[string]string{"string": "text", "bool": "truth value"}[t] + map[string]string{"number": "number", "date": "date", "list": "list"}[t]
	})
	given = given[strings.LastIndexByte(given[:1+strings.IndexByte(given+"(", '(')], '.')+1:] // of a member function, its arguments
	if sign, ok := signs[name]; ok {
		name = sign
	}
	what := name + " does not take " + given
	numbers, texts, dates := strings.Contains(given, "number"), strings.Contains(given, "text"), strings.Contains(given, "date")
	switch {
	case name == "+" && numbers && texts:
		what += "; write number(…) to read a text as a number, or text(…) to write a number as a text"
	case texts && numbers || texts && strings.ContainsAny(name, "-*"), texts && (name == "abs" || name == "round" || name == "divide"):
		what += "; write number(…) to read a text as a number"
	case texts && dates:
		what += "; write date(…) to read a text as a day"
	default:
		for _, f := range functions {
			if f.Name == name {
				what += "; it is written " + f.Form
			}
		}
	}
	return what
}

// place is a line and a column as the number of a character.
func place(text string, line, column int) int {
	for ; line > 1; line-- {
		_, rest, _ := strings.Cut(text, "\n")
		column += utf8.RuneCountInString(text) - utf8.RuneCountInString(rest)
		text = rest
	}
	return max(column, 0) + 1
}

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }
