package outform

import (
	"unicode"
	"unicode/utf8"
)

// AppendLine appends a line of delimited text, its end included. Each cell is written as encoding/csv would: a test holds it against that, which takes three
// times as long. A line of one empty cell is quoted, for an empty line is no record. Unless exact is set, what a
// spreadsheet would run is made [Harmless].
func AppendLine(text []byte, cells []string, delimiter byte, exact bool) []byte {
	for i, cell := range cells {
		if i > 0 {
			text = append(text, delimiter)
		}
		if !exact {
			cell = Harmless(cell)
		}
		if needsQuotes(cell, delimiter) || cell == "" && len(cells) == 1 {
			text = appendQuoted(text, cell)
		} else {
			text = append(text, cell...)
		}
	}
	return append(text, '\n')
}

// ends are the bytes for which a cell is quoted wherever they stand, beside the delimiter.
var ends = [256]bool{'"': true, '\n': true, '\r': true}

// needsQuotes reports whether a cell is to be quoted: something in it would end it, a space stands in front, or it is what marks the end of data elsewhere.
func needsQuotes(cell string, delimiter byte) bool {
	if cell == "" {
		return false
	}
	for i := range len(cell) {
		if c := cell[i]; ends[c] || c == delimiter {
			return true
		}
	}
	if first := cell[0]; first > ' ' && first < utf8.RuneSelf && first != '\\' { // as nearly all are
		return false
	}
	first, _ := utf8.DecodeRuneInString(cell)
	return cell == `\.` || unicode.IsSpace(first)
}

func appendQuoted(text []byte, cell string) []byte {
	text = append(text, '"')
	for i := range len(cell) {
		if cell[i] == '"' {
			text = append(text, '"')
		}
		text = append(text, cell[i])
	}
	return append(text, '"')
}
