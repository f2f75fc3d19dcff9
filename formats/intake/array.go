package intake

import (
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/record"
	"twinsieve/formats/jsontext"
)

// asides are how arrays are named that stand beside the records of a document, in lower case.
var asides = []string{"columns", "error", "errors", "fields", "filters", "header", "headers", "included", "info", "links", "messages", "meta", "metadata",
	"pagination", "parameters", "schema", "summary", "totals", "warning", "warnings"}

// findArray finds the array that holds the records: of those with objects, the one with the most whose name is not that of something
// aside. An empty one is taken before such an aside, and then there are no records.
func (f *finder) findArray() error {
	c := &f.settled
	text, err := f.decoded()
	if err != nil {
		return err
	}
	found := jsontext.Arrays(text)
	c.Pointer = NoPointer
	if len(found) == 0 || found[0].Pointer == "" {
		return nil
	}
	rank := func(a jsontext.Array) int {
		name := strings.ToLower(a.Pointer[strings.LastIndexByte(a.Pointer, '/')+1:])
		switch aside := slices.Contains(asides, name); {
		case aside:
			return 0
		case a.Objects == 0:
			return 1
		}
		return 2
	}
	best := slices.MaxFunc(found, func(a, b jsontext.Array) int {
		if r := rank(a) - rank(b); r != 0 {
			return r
		}
		return int(a.Objects - b.Objects)
	})
	var others, say []string
	for _, a := range found {
		if a.Pointer == best.Pointer {
			continue
		}
		others = append(others, a.Pointer)
		objects := "objects"
		if a.Objects == 1 {
			objects = "object"
		}
		say = append(say, fmt.Sprintf("%s (%d %s)", a.Pointer, a.Objects, objects))
	}
	c.Pointer = best.Pointer
	if best.Objects == 0 {
		what := fmt.Sprintf("the array at %s, where its records seem to be, is empty", best.Pointer)
		if len(say) > 0 {
			what += fmt.Sprintf("; other arrays: %s. State the JSON Pointer of the one that holds the records, such as %s", strings.Join(say, ", "), others[0])
		}
		return &record.Unreadable{What: what}
	}
	why := "it is the only array of objects"
	if len(say) > 0 {
		why = fmt.Sprintf("it has %d objects; other arrays: %s", best.Objects, strings.Join(say, ", "))
	}
	f.guess("pointer", best.Pointer, false, why, append(others, NoPointer)...)
	return nil
}
