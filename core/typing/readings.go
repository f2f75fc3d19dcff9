package typing

import (
	"strings"

	"twinsieve/core/reading"
)

// momentLayouts are the timestamps of ISO 8601 as the layouts of a reading.
var momentLayouts = []string{"YYYY-MM-DDThh:mm:ss", "YYYY-MM-DD hh:mm:ss", "YYYY-MM-DDThh:mm", "YYYY-MM-DD hh:mm", "YYYY-MM-DDThh:mm:ssZ",
	"YYYY-MM-DD hh:mm:ssZ", "YYYY-MM-DDThh:mmZ"}

// Readings are how the type's values are read so that equal ones have equal texts: none for text, which is taken as it is. It
// reports false where the type does not say how they are written, as of ambiguous dates.
func (t Type) Readings() ([]reading.Reading, bool) {
	var last string
	switch t.Name {
	case Text, "":
		return nil, true
	case Integer:
		last = "number"
	case Decimal:
		last = "number " + t.Form
	case Date:
		last = "date " + t.Form
	case Timestamp:
		last = "time " + strings.Join(momentLayouts, " or ")
	case Boolean:
		last = "yes-no " + t.Form
	}
	if t.Form == "" && (t.Name == Decimal || t.Name == Date || t.Name == Boolean) {
		return nil, false
	}
	list := reading.MustParse("trim")
	r, err := reading.Parse(last)
	if err != nil {
		return nil, false // a type that somebody has stated may have words that no reading takes
	}
	return append(list, r), true
}

// Fits reports whether values of two types can be equal: those of one type, however they are written, and any two numbers.
func (t Type) Fits(o Type) bool {
	return t.Name == o.Name || t.numeric() && o.numeric()
}

func (t Type) numeric() bool { return t.Name == Integer || t.Name == Decimal }

// Numeric reports whether the type's values are numbers.
func (t Type) Numeric() bool { return t.numeric() }
