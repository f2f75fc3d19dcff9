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
