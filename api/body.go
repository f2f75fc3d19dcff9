package api

import (
	"bytes"
	"encoding"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"twinsieve/service/view"
)

// readBody reads a JSON body into an input. Whatever the input does not have is refused: a field, a value outside its list or its
// range, a field that is there twice, anything behind the document.
func readBody(w http.ResponseWriter, r *http.Request, input any) error {
	if err := wantJSON(r.Header.Get("Content-Type")); err != nil {
		return err
	}
	text, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	if tooLarge := new(http.MaxBytesError); errors.As(err, &tooLarge) {
		return view.TooLarge.New(fmt.Sprintf("The body has more than %d bytes, which is the most that a JSON body may have here.", maxBody))
	}
	if err != nil {
		return view.Invalid.New("The body did not arrive whole: " + err.Error() + ".")
	}
	return readJSON(text, input, "body")
}

// readJSON reads a JSON text into a value. what names the text in messages: "body".
func readJSON(text []byte, into any, what string) error {
	if len(bytes.TrimSpace(text)) == 0 {
		return view.Invalid.New("The " + what + " is empty; JSON is wanted here.")
	}
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	tree, err := readTree(dec, "")
	if err != nil {
		return notJSON(err, what)
	}
	if _, err := dec.Token(); err != io.EOF {
		return view.Invalid.New(fmt.Sprintf("Something follows the JSON of the %s, at byte %d; send one JSON document and nothing else.", what, dec.InputOffset()))
	}
	if err := checkTree(tree, reflect.TypeOf(into).Elem(), ""); err != nil {
		return err
	}
	if err := json.Unmarshal(text, into); err != nil {
		return notJSON(err, what)
	}
	return nil
}

// notJSON says what is wrong with a text that is not the JSON that is wanted.
func notJSON(err error, what string) error {
	problem := new(view.Problem)
	syntax, kind := new(json.SyntaxError), new(json.UnmarshalTypeError)
	switch {
	case errors.As(err, &problem):
		return problem
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return view.Invalid.New("The " + what + " ends in the middle of its JSON.")
	case errors.As(err, &syntax):
		return view.Invalid.New(fmt.Sprintf("The %s is not JSON: %s, at byte %d.", what, syntax, syntax.Offset))
	case errors.As(err, &kind):
		return invalid(kind.Field, fmt.Sprintf("the field %s is a JSON %s, where %s is wanted", kind.Field, strings.Fields(kind.Value)[0], wanted(kind.Type)))
	}
	return view.Invalid.New("The " + what + " is not the JSON that is wanted here: " + strings.TrimPrefix(err.Error(), "json: ") + ".")
}

// wanted is what a type is in JSON, in words.
func wanted(t reflect.Type) string {
	switch t.Kind() {
	case reflect.Pointer:
		return wanted(t.Elem())
	case reflect.String:
		return "a text"
	case reflect.Bool:
		return "true or false"
	case reflect.Slice, reflect.Array:
		return "a list"
	case reflect.Int, reflect.Int64, reflect.Uint, reflect.Uint64:
		return "a whole number"
	case reflect.Float64:
		return "a number"
	}
	return "an object"
}

// wantJSON refuses a body that says it is something else than JSON. One that says nothing is tried.
func wantJSON(contentType string) error {
	media, _, err := mime.ParseMediaType(contentType)
	if contentType == "" || err == nil && (media == "application/json" || strings.HasSuffix(media, "+json")) {
		return nil
	}
	return view.WrongType.New(fmt.Sprintf("The header Content-Type is %q; send JSON with Content-Type: application/json.", contentType))
}

// wantFile refuses a body that is a form around a file, which would be taken for the file itself.
func wantFile(contentType string) error {
	media, _, _ := mime.ParseMediaType(contentType) // one that cannot be read is none of these
	if strings.HasPrefix(media, "multipart/") || media == "application/x-www-form-urlencoded" {
		return view.WrongType.New(fmt.Sprintf("The header Content-Type is %q, and a form is not a file; send the file itself as the body, with Content-Type: application/octet-stream.", media))
	}
	return nil
}

// wantNothing refuses a body where none is taken.
func wantNothing(r *http.Request) error {
	if r.Body == nil {
		return nil
	}
	if n, _ := io.ReadFull(r.Body, make([]byte, 1)); n > 0 { // a body that cannot be read is as good as none
		return view.Invalid.New("This path takes no body; send none.")
	}
	return nil
}

// readTree reads a JSON value as a map, a list, a text, a number, a truth value or nil. A field that an object has twice is a problem.
func readTree(dec *json.Decoder, at string) (any, error) {
	token, err := dec.Token()
	if err != nil {
		return nil, err
	}
	switch token {
	case json.Delim('{'):
		object := map[string]any{}
		for dec.More() {
			name, err := dec.Token()
			if err != nil {
				return nil, err
			}
			field := join(at, name.(string)) // as the decoder has seen to
			if _, twice := object[name.(string)]; twice {
				return nil, invalid(field, "the field "+field+" is there twice")
			}
			if object[name.(string)], err = readTree(dec, field); err != nil {
				return nil, err
			}
		}
		_, err := dec.Token()
		return object, err
	case json.Delim('['):
		list := []any{}
		for dec.More() {
			item, err := readTree(dec, fmt.Sprintf("%s[%d]", at, len(list)))
			if err != nil {
				return nil, err
			}
			list = append(list, item)
		}
		_, err := dec.Token()
		return list, err
	}
	return token, nil
}

func join(at, name string) string {
	if at == "" {
		return name
	}
	return at + "." + name
}

// field is a field of an object.
type field struct {
	name     string
	t        reflect.Type
	required bool
	limits   limits
}

// fieldsOf are the fields that a type has in JSON.
func fieldsOf(t reflect.Type) (list []field) {
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case name == "-" || !f.IsExported() && !f.Anonymous:
		case name == "" && f.Anonymous && f.Type.Kind() == reflect.Struct:
			list = append(list, fieldsOf(f.Type)...)
		case name == "":
			list = append(list, field{f.Name, f.Type, false, limitsOf(f.Tag)})
		default:
			list = append(list, field{name, f.Type, f.Tag.Get("required") == "true", limitsOf(f.Tag)})
		}
	}
	return list
}

var (
	readsJSON = reflect.TypeFor[json.Unmarshaler]()
	readsText = reflect.TypeFor[encoding.TextUnmarshaler]()
)

// checkTree checks a JSON value against the type that it is read into, as far as the decoder does not.
func checkTree(tree any, t reflect.Type, at string) error {
	if p := reflect.PointerTo(t); p.Implements(readsJSON) || p.Implements(readsText) {
		return nil // it reads itself
	}
	switch t.Kind() {
	case reflect.Pointer:
		return checkTree(tree, t.Elem(), at)
	case reflect.Slice, reflect.Array:
		list, _ := tree.([]any)
		if t.Kind() == reflect.Array && tree != nil && len(list) != t.Len() {
			return invalid(at, fmt.Sprintf("the field %s has %d items; it has to have %d", at, len(list), t.Len()))
		}
		for i, item := range list {
			if err := checkTree(item, t.Elem(), fmt.Sprintf("%s[%d]", at, i)); err != nil {
				return err
			}
		}
	case reflect.Map:
		object, _ := tree.(map[string]any)
		for name, item := range object {
			if err := checkTree(item, t.Elem(), join(at, name)); err != nil {
				return err
			}
		}
	case reflect.Struct:
		return checkObject(tree, t, at)
	}
	return nil
}

func checkObject(tree any, t reflect.Type, at string) error {
	object, ok := tree.(map[string]any)
	if !ok {
		return nil // the decoder says what is wanted
	}
	fields := fieldsOf(t)
	var known []string
	for _, f := range fields {
		known = append(known, f.name)
	}
	for name := range object {
		if !slices.Contains(known, name) {
			what := fmt.Sprintf("there is no field %q here%s", join(at, name), didYouMean(name, known))
			return invalid(join(at, name), what+"; there are "+strings.Join(known, ", "))
		}
	}
	for _, f := range fields {
		value, given := object[f.name]
		where := join(at, f.name)
		if !given {
			if f.required {
				return invalid(where, "the field "+where+" is missing")
			}
			continue
		}
		if err := f.check(value, where); err != nil {
			return err
		}
		if err := checkTree(value, f.t, where); err != nil {
			return err
		}
	}
	return nil
}

// check holds a field's value against its list and its range; those of a list's items, where it is one.
func (f *field) check(value any, where string) error {
	switch value := value.(type) {
	case string:
		if value != "" || f.required {
			return f.limits.text(where, "the field "+where, value)
		}
	case json.Number:
		if n, err := strconv.ParseFloat(value.String(), 64); err == nil {
			return f.limits.number(where, "the field "+where, n, value.String())
		}
	case []any:
		for i, item := range value {
			if err := f.check(item, fmt.Sprintf("%s[%d]", where, i)); err != nil {
				return err
			}
		}
	}
	return nil
}
