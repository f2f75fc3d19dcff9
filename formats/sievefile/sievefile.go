// Package sievefile reads and writes sieves as files, NAME.sieve.yaml, that people read, edit and keep in version control.
//
// A file is YAML with the words of a sieve's definition:
//
//	sieve: Berth billing
//	left: service-log
//	right: invoices
//	key:
//	  - left: call_no
//	    right: Voyage Call
//	    readings: [trim, ignore-case]
//	compare:
//	  - left: amount_due
//	    right: Amount
//	    as: decimal
//	    within: "0.05"
//
// Any other word is an error that names its line and column.
package sievefile

import (
	"encoding"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/similar"
)

// Ending is what the name of a sieve file ends with.
const Ending = ".sieve.yaml"

// Error is something in a sieve file that cannot be taken.
type Error struct {
	Line, Column int // 0 when no place is to blame
	What         string
}

// Error implements error.
func (e *Error) Error() string {
	if e.Line == 0 {
		return e.What
	}
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Column, e.What)
}

// Read reads a sieve file. Errors are of type *[Error].
func Read(text []byte) (sieve.Definition, error) {
	var d sieve.Definition
	if err := yaml.UnmarshalWithOptions(text, &d, yaml.Strict()); err != nil {
		if fault := faultyReading(text); fault != nil {
			return d, fault
		}
		return d, place(err)
	}
	if d.Name == "" {
		return d, &Error{What: `the sieve has no name; begin the file with "sieve: NAME"`}
	}
	return d, nil
}

var unknownWord = regexp.MustCompile(`unknown field "(.*)"`)

// unclosed is what the parser says of a bracket that is opened and not closed.
var unclosed = regexp.MustCompile(`^(?:sequence|mapping) end token '(.)' not found`)

var opening = map[string]string{"]": "[", "}": "{"}

// wordsOf are the words of a type's fields, and behind them those of what the fields hold.
func wordsOf(t reflect.Type) (words []string) {
	var within []reflect.Type
	for _, f := range reflect.VisibleFields(t) {
		word, rest, _ := strings.Cut(f.Tag.Get("yaml"), ",")
		inner := f.Type
		for inner.Kind() == reflect.Slice || inner.Kind() == reflect.Pointer {
			inner = inner.Elem()
		}
		switch {
		case word == "-" || strings.Contains(rest, "inline"):
			continue
		case !slices.Contains(words, word):
			words = append(words, word)
		}
		if inner.Kind() == reflect.Struct && !reflect.PointerTo(inner).Implements(reflect.TypeFor[encoding.TextUnmarshaler]()) {
			within = append(within, inner)
		}
	}
	for _, t := range within {
		for _, word := range wordsOf(t) {
			if !slices.Contains(words, word) {
				words = append(words, word)
			}
		}
	}
	return words
}

// faultyReading finds the first reading of a file that is none, whose place the decoder does not tell.
func faultyReading(text []byte) *Error {
	file, err := parser.ParseBytes(text, 0)
	if err != nil {
		return nil
	}
	finder := &readingFinder{}
	for _, doc := range file.Docs {
		if doc.Body != nil {
			ast.Walk(finder, doc.Body)
		}
	}
	return finder.fault
}

type readingFinder struct{ fault *Error }

// Visit implements [ast.Visitor].
func (f *readingFinder) Visit(n ast.Node) ast.Visitor {
	pair, ok := n.(*ast.MappingValueNode)
	if !ok || pair.Key.String() != "readings" || f.fault != nil {
		return f
	}
	list, ok := pair.Value.(*ast.SequenceNode)
	if !ok {
		return f
	}
	for _, v := range list.Values {
		if _, err := reading.Parse(v.GetToken().Value); err != nil && f.fault == nil {
			at := v.GetToken().Position
			f.fault = &Error{at.Line, at.Column, err.Error()}
		}
	}
	return f
}

func place(err error) *Error {
	what := err.Error()
	e := &Error{}
	if at := yaml.Error(nil); errors.As(err, &at) {
		what = at.GetMessage()
		if t := at.GetToken(); t != nil {
			e.Line, e.Column = t.Position.Line, t.Position.Column
		}
	}
	if m := unknownWord.FindStringSubmatch(what); m != nil {
		what = fmt.Sprintf("a sieve file has no word %q", m[1]) + similar.Choice(m[1], wordsOf(reflect.TypeFor[sieve.Definition]()), "Its words")
	} else if m := unclosed.FindStringSubmatch(what); m != nil {
		what = fmt.Sprintf("a %q is not closed", opening[m[1]])
	}
	e.What = strings.TrimSpace(what)
	return e
}

// Write writes a definition as a sieve file.
func Write(d sieve.Definition) ([]byte, error) {
	return yaml.MarshalWithOptions(d, yaml.IndentSequence(true))
}
