// Package similar measures how alike two texts are.
//
// The distance of two texts is the least number of slips that lead from one to the other: a character put in, left out, or
// mistaken for another, or two neighbours exchanged, where no character takes part in two slips. A text's characters are
// Unicode's code points.
package similar

import "unicode/utf8"

// Distance returns the distance of a and b, or most+1 where it is greater than most.
func Distance(a, b []rune, most int) int {
	for len(a) > 0 && len(b) > 0 && a[0] == b[0] {
		a, b = a[1:], b[1:]
	}
	for len(a) > 0 && len(b) > 0 && a[len(a)-1] == b[len(b)-1] {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	if len(a) > len(b) {
		a, b = b, a
	}
	if len(b)-len(a) > most {
		return most + 1
	}
	var buffer [3 * 64]int
	rows := buffer[:]
	if 3*(len(b)+1) > len(rows) {
		rows = make([]int, 3*(len(b)+1))
	}
	n := len(b) + 1
	before, last, row := rows[:n], rows[n:2*n], rows[2*n:3*n]
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
			d := last[j-1]
			if a[i-1] != b[j-1] {
				d = min(d, last[j], row[j-1]) + 1
				if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
					d = min(d, before[j-2]+1)
				}
			}
			row[j] = d
			least = min(least, d)
		}
		if least > most {
			return most + 1
		}
		before, last, row = last, row, before
	}
	return min(last[len(b)], most+1)
}

// Alike returns how many characters of the longer text are left after the slips, and how many it has: two texts are alike to
// kept parts of length. Two empty texts are alike wholly, as 1 of 1.
func Alike(a, b []byte) (kept, length int) {
	x, y := runes(a), runes(b)
	length = max(len(x), len(y))
	if length == 0 {
		return 1, 1
	}
	return length - Distance(x, y, length), length
}

func runes(text []byte) []rune {
	list := make([]rune, 0, utf8.RuneCount(text))
	for len(text) > 0 {
		r, size := utf8.DecodeRune(text)
		list = append(list, r)
		text = text[size:]
	}
	return list
}
