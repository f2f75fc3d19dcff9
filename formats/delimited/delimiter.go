package delimited

import "bytes"

// Delimiters are the delimiters that can be found, in the order of preference where nothing else decides.
const Delimiters = ",;\t|"

// FindDelimiter guesses the delimiter from the beginning of a text: the one with which the most lines have as many cells as the first, and more
// than one. Where several divide as many lines alike, the one with the greatest share of numbers and dates among its cells is taken, for a
// wrong one cuts them in two; then the one whose cells begin with the fewest spaces, and then the one with the most cells. It says how many of
// the lines looked at are alike; with no delimiter that divides the first line, none: then it is the one that divides the fewest of the others.
func FindDelimiter(sample []byte) (best byte, alike, of int) {
	best = Delimiters[0]
	var taken divided
	whole := -1 // lines that are not divided
	for _, d := range []byte(Delimiters) {
		now := divide(sample, d, 50)
		if len(now.lines) == 0 || now.lines[0] < 2 {
			if same := now.alike(); alike == 0 && same > whole {
				best, whole = d, same
			}
			continue
		}
		if same := now.alike(); same > alike || same == alike && now.fitsBetter(taken) {
			best, alike, of, taken = d, same, len(now.lines), now
		}
	}
	return best, alike, of
}

// divided is what a delimiter makes of the first lines of a text.
type divided struct {
	lines  []int // the cells of each
	cells  int   // of all of them
	values int   // of which are numbers or dates
	spaced int   // of which begin with a space
}

// alike is how many lines have as many cells as the first.
func (d divided) alike() (n int) {
	for _, cells := range d.lines {
		if cells == d.lines[0] {
			n++
		}
	}
	return n
}

// fitsBetter compares what two delimiters make of a text that both divide evenly.
func (d divided) fitsBetter(other divided) bool {
	if a, b := d.values*other.cells, other.values*d.cells; a != b {
		return a > b
	}
	if d.spaced != other.spaced {
		return d.spaced < other.spaced
	}
	return d.lines[0] > other.lines[0]
}

// divide takes the first lines apart, at most so many. Delimiters and line ends in quotes do not count, and neither do empty lines.
func divide(sample []byte, delimiter byte, most int) (out divided) {
	cells, quoted, begin := 1, false, 0
	line := 0 // where it begins
	end := func(at int) {
		cell := bytes.Trim(sample[begin:at], "\r")
		if len(cell) > 0 && cell[0] == ' ' {
			out.spaced++
		}
		if IsValue(bytes.Trim(cell, "\" ")) {
			out.values++
		}
		out.cells++
	}
	for i, c := range sample {
		switch {
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == delimiter:
			end(i)
			cells, begin = cells+1, i+1
		case c == '\n':
			if len(bytes.Trim(sample[line:i], "\r")) > 0 {
				end(i)
				out.lines = append(out.lines, cells)
			}
			if len(out.lines) == most {
				return out
			}
			cells, begin, line = 1, i+1, i+1
		}
	}
	if len(out.lines) == 0 && len(bytes.Trim(sample[line:], "\r")) > 0 {
		end(len(sample))
		out.lines = append(out.lines, cells)
	}
	return out
}

// IsValue reports whether a cell is written as numbers and dates are, rather than as names.
func IsValue[T string | []byte](cell T) bool {
	digits := 0
	for i := range len(cell) {
		switch c := cell[i]; c {
		case '0', '1', '2', '3', '4', '5', '6', '7', '8', '9':
			digits++
		case '+', '-', '.', ',', '/', ':', ' ', '%':
		default:
			return false
		}
	}
	return digits > 0
}
