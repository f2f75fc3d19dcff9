package similar

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Nearest returns names with those most like name first, whatever their letter case, so that an error can name the mend first.
// Names that are equally like keep their order.
func Nearest(name string, names []string) []string {
	ordered := slices.Clone(names)
	distance := map[string]int{}
	from := []rune(strings.ToLower(name))
	for _, n := range names {
		to := []rune(strings.ToLower(n))
		distance[n] = Distance(from, to, len(from)+len(to))
	}
	slices.SortStableFunc(ordered, func(a, b string) int { return distance[a] - distance[b] })
	return ordered
}

// Suggest returns the name that somebody has probably meant: the nearest, where no more than a third of its characters differ, or it
// begins with what was written.
func Suggest(name string, names []string) (string, bool) {
	if name == "" || len(names) == 0 {
		return "", false
	}
	from := []rune(strings.ToLower(name))
	for _, near := range Nearest(name, names) {
		to := []rune(strings.ToLower(near))
		if most := max(len(from), len(to)) / 3; Distance(from, to, most) <= most {
			return near, true
		}
		if len(from) > 2 && strings.HasPrefix(string(to), string(from)) {
			return near, true
		}
	}
	return "", false
}

// Choice says which of some names may have been meant by one that is not among them, and lists them in their order, at most thirty of
// them: `; did you mean "fee"? Columns: "call", "fee"`. what names what they are.
func Choice(name string, names []string, what string) string {
	const most = 30
	text := "."
	if near, ok := Suggest(name, names); ok {
		text = fmt.Sprintf("; did you mean %q?", near)
	}
	text += " " + what + ": "
	for i, n := range names {
		if i == most {
			return text + fmt.Sprintf(" and %d more", len(names)-most)
		}
		if i > 0 {
			text += ", "
		}
		text += strconv.Quote(n)
	}
	return text
}
