package typing

import (
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/reading"
)

// Parse reads a type as [Type.String] writes it: "text", "integer", "decimal comma", "date DD.MM.YYYY", "boolean yes/no".
func Parse(text string) (Type, error) {
	name, form, _ := strings.Cut(text, " ")
	t := Type{name, form}
	switch name {
	case Text, Integer, Timestamp:
		if form != "" {
			return Type{}, fmt.Errorf("the type %s has no forms; write %s alone", name, name)
		}
	case Decimal:
		point, marks, _ := strings.Cut(form, " ")
		if _, err := reading.Parse("number " + form); err != nil && marks != "" {
			return Type{}, err
		}
		if point != Point && point != Comma {
			return Type{}, fmt.Errorf("%q does not say how decimals are written; write decimal %s or decimal %s", text, Point, Comma)
		}
	case Date:
		if _, err := reading.Parse("date " + form); err != nil {
			return Type{}, err
		}
	case Boolean:
		if yes, no, ok := strings.Cut(form, "/"); !ok || yes == "" || no == "" {
			return Type{}, fmt.Errorf("%q does not say the two words; write boolean yes/no", text)
		}
	default:
		if !slices.Contains(Names, name) {
			return Type{}, fmt.Errorf("%q is no type; write one of %s", name, strings.Join(Names, ", "))
		}
	}
	return t, nil
}

// NewStated returns a finder for a column whose type somebody has stated: it counts which values read as that.
func NewStated(t Type) *Finder {
	f := &Finder{stated: true}
	c := candidate{Type: t, kind: digits | words, any: true}
	values := NewValues(t)
	switch t.Name {
	case Text:
		c.reads = func([]byte) bool { return true }
	case Boolean:
		yes, no, _ := strings.Cut(t.Form, "/")
		c.reads = isOneOf(yes, no)
	case Integer, Decimal:
		c.reads = func(b []byte) bool { _, ok := values.Number(b); return ok }
	default:
		c.reads = func(b []byte) bool { _, ok := values.Seconds(b); return ok }
	}
	f.candidates = []candidate{c}
	return f
}

func (f *Finder) findStated() Finding {
	c := f.candidates[0]
	return Finding{Type: c.Type, Values: f.values, Read: c.read, Unread: f.unreadBy(&c), Ambiguous: []Type{},
		Why: fmt.Sprintf("it was stated, and reads %d of %d values", c.read, f.values)}
}
