package api

import (
	"fmt"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/similar"
	"twinsieve/service/view"
)

// parameter is one parameter of a route: a field of its input with the tag path, query or header.
type parameter struct {
	name     string
	index    []int // of the field
	kind     reflect.Type
	required bool
	limits   limits
}

// parameters are a route's, by where they are given.
type parameters struct {
	path, query, header []parameter
}

// parametersOf finds the parameters of an input.
func parametersOf(input any) *parameters {
	all := &parameters{}
	if input != nil {
		all.collect(reflect.TypeOf(input).Elem(), nil)
	}
	return all
}

func (all *parameters) collect(t reflect.Type, index []int) {
	for i := range t.NumField() {
		f := t.Field(i)
		at := append(slices.Clone(index), i)
		if f.Anonymous && f.Type.Kind() == reflect.Struct {
			all.collect(f.Type, at)
			continue
		}
		for tag, list := range map[string]*[]parameter{"path": &all.path, "query": &all.query, "header": &all.header} {
			if name := f.Tag.Get(tag); name != "" {
				*list = append(*list, parameter{name, at, f.Type, f.Tag.Get("required") == "true", limitsOf(f.Tag)})
			}
		}
	}
}

// names are the names of the query's parameters, in the order in which the document lists them.
func names(list []parameter) (all []string) {
	for _, p := range list {
		all = append(all, p.name)
	}
	return all
}

// read fills in an input from a request. Whatever the route does not take is refused.
func (all *parameters) read(r *http.Request, path map[string]string, input any) error {
	into := reflect.ValueOf(input).Elem()
	for _, p := range all.path {
		if err := p.set(into, "the path", []string{path[p.name]}); err != nil {
			return err
		}
	}
	query, err := url.ParseQuery(r.URL.RawQuery)
	if err != nil {
		return view.Invalid.New("The query of the address cannot be read: " + err.Error() + ".")
	}
	for name := range query {
		if !slices.ContainsFunc(all.query, func(p parameter) bool { return p.name == name }) {
			return unknownParameter(name, names(all.query))
		}
	}
	for _, p := range all.query {
		values, given := query[p.name]
		if !given && !p.required {
			continue
		}
		if !given {
			return invalid(p.name, p.says()+" is missing")
		}
		if err := p.set(into, "the query", values); err != nil {
			return err
		}
	}
	for _, p := range all.header {
		if values := r.Header.Values(p.name); len(values) > 0 {
			if err := p.set(into, "the header", values); err != nil {
				return err
			}
		}
	}
	if len(all.header) == 0 && r.Header.Get("If-Match") != "" {
		return invalid("If-Match", "this path has no versions that If-Match could name; leave the header out")
	}
	return nil
}

// invalid is a problem with one place that is wrong.
func invalid(where, what string) *view.Problem {
	return view.Invalid.New(strings.ToUpper(what[:1])+what[1:]+".", view.Fault{Where: where, What: what})
}

func unknownParameter(name string, known []string) error {
	what := fmt.Sprintf("there is no parameter %q here", name)
	if len(known) == 0 {
		return invalid(name, what+"; this path takes none")
	}
	what += didYouMean(name, known)
	return invalid(name, what+"; this path takes "+strings.Join(known, ", "))
}

// didYouMean suggests the nearest of some names, where one is near.
func didYouMean(name string, known []string) string {
	if near, ok := similar.Suggest(name, known); ok {
		return fmt.Sprintf(" (did you mean %q?)", near)
	}
	return ""
}

// says names the parameter in a sentence.
func (p *parameter) says() string { return "the parameter " + p.name }

// set reads the parameter's values into its field.
func (p *parameter) set(into reflect.Value, place string, values []string) error {
	field := into.FieldByIndex(p.index)
	if p.kind.Kind() == reflect.Slice {
		for _, v := range values {
			if err := p.limits.text(p.name, p.says(), v); err != nil {
				return err
			}
			field.Set(reflect.Append(field, reflect.ValueOf(v).Convert(p.kind.Elem())))
		}
		return nil
	}
	if len(values) > 1 {
		return invalid(p.name, fmt.Sprintf("%s is given %d times in %s; give it once", p.says(), len(values), place))
	}
	value := values[0]
	var err error
	switch p.kind.Kind() {
	case reflect.String:
		field.SetString(value)
		return p.limits.text(p.name, p.says(), value)
	case reflect.Bool:
		switch value {
		case "true", "false":
			field.SetBool(value == "true")
			return nil
		}
		return invalid(p.name, fmt.Sprintf("%s is %q; write true or false", p.says(), value))
	case reflect.Int, reflect.Int64:
		var n int64
		if n, err = strconv.ParseInt(value, 10, 64); err == nil {
			field.SetInt(n)
			return p.limits.number(p.name, p.says(), float64(n), value)
		}
	case reflect.Uint:
		var n uint64
		if n, err = strconv.ParseUint(value, 10, 63); err == nil {
			field.SetUint(n)
			return p.limits.number(p.name, p.says(), float64(n), value)
		}
	default:
		panic("api: a parameter of type " + p.kind.String())
	}
	return invalid(p.name, fmt.Sprintf("%s in %s is %q, which is not a whole number", p.says(), place, value))
}

// limits are what a value may be: one of a list, or a number within a range.
type limits struct {
	list        []string
	least, most *float64
}

func limitsOf(tag reflect.StructTag) (l limits) {
	if list := tag.Get("enum"); list != "" {
		l.list = strings.Split(list, ",")
	}
	for name, into := range map[string]**float64{"minimum": &l.least, "maximum": &l.most} {
		if text := tag.Get(name); text != "" {
			n, err := strconv.ParseFloat(text, 64)
			if err != nil {
				panic("api: the tag " + name + " is not a number: " + text)
			}
			*into = &n
		}
	}
	return l
}

// text refuses a text that is not one of the list. what names in a sentence what is where.
func (l *limits) text(where, what, value string) error {
	if l.list == nil || slices.Contains(l.list, value) {
		return nil
	}
	return invalid(where, fmt.Sprintf("%s is %q%s; write one of %s", what, value, didYouMean(value, l.list), strings.Join(l.list, ", ")))
}

// number refuses a number outside the range. shown is the number as it was given.
func (l *limits) number(where, what string, n float64, shown string) error {
	switch {
	case l.least != nil && l.most != nil && (n < *l.least || n > *l.most):
		return invalid(where, fmt.Sprintf("%s is %s; it may be %s to %s", what, shown, plain(*l.least), plain(*l.most)))
	case l.least != nil && n < *l.least:
		return invalid(where, fmt.Sprintf("%s is %s; it may be %s or more", what, shown, plain(*l.least)))
	case l.most != nil && n > *l.most:
		return invalid(where, fmt.Sprintf("%s is %s; it may be %s at most", what, shown, plain(*l.most)))
	}
	return nil
}

func plain(n float64) string { return strconv.FormatFloat(n, 'f', -1, 64) }
