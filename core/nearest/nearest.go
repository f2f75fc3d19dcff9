// Package nearest orders names by their likeness to one that was mistyped, so that an error can name the mend first.
package nearest

import (
	"sort"
	"strings"
)

// First returns names with those most like name first. Names equally like keep their order.
func First(name string, names []string) []string {
	ordered := append([]string{}, names...)
	distance := map[string]int{}
	for _, n := range names {
		distance[n] = edits(strings.ToLower(name), strings.ToLower(n))
	}
	sort.SliceStable(ordered, func(i, j int) bool { return distance[ordered[i]] < distance[ordered[j]] })
	return ordered
}

// edits is the least number of letters to insert, remove or replace to make a into b.
func edits(a, b string) int {
	from, to := []rune(a), []rune(b)
	row := make([]int, len(to)+1)
	for j := range row {
		row[j] = j
	}
	for i, c := range from {
		diagonal := row[0]
		row[0] = i + 1
		for j, d := range to {
			cost := diagonal
			if c != d {
				cost++
			}
			diagonal = row[j+1]
			row[j+1] = min(cost, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(to)]
}
