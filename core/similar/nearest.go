package similar

import (
	"slices"
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
		if most := max(len(from), len(to)) / 3; Distance(from, to, most) <= max(most, 1) {
			return near, true
		}
		if len(from) > 2 && strings.HasPrefix(string(to), string(from)) {
			return near, true
		}
	}
	return "", false
}
