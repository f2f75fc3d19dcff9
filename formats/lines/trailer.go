package lines

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Trailer is where the trailer lines at the end of a text begin. It may become known only while the text is read, but always before the
// reader comes there. A nil Trailer is that of a text without any.
type Trailer struct {
	From int64 // number of the first trailer line; 0: there is none
}

// Has reports whether a record that begins on a line is a trailer.
func (t *Trailer) Has(line int64) bool { return t != nil && t.From > 0 && line >= t.From }

// Before is how many of so many lines, of which the first has the given number, stand in front of the trailer lines.
func (t *Trailer) Before(first int64, lines int) int {
	if t == nil || t.From == 0 {
		return lines
	}
	return int(max(0, min(int64(lines), t.From-first)))
}

// Begins reports whether a line, or the first cell of a record, begins with one of the given texts. A text that ends with a letter is a whole
// word: "Sum" begins "Sum: 7" and not "Sumitomo". Blanks, a quote and empty cells in front of the line do not count.
func Begins[T ~string | ~[]byte](line T, texts []string) bool {
	for _, t := range texts {
		if begins(line, t) {
			return true
		}
	}
	if len(texts) == 0 || len(line) == 0 || !strings.ContainsRune(inFront, rune(line[0])) {
		return false
	}
	for len(line) > 0 && strings.ContainsRune(inFront, rune(line[0])) {
		line = line[1:]
	}
	for _, t := range texts {
		if begins(line, t) {
			return true
		}
	}
	return false
}

// inFront is what may stand before the first cell that is not blank.
const inFront = "\" \t,;|"

func begins[T ~string | ~[]byte](line T, text string) bool {
	if len(line) < len(text) || string(line[:len(text)]) != text {
		return false
	}
	last, _ := utf8.DecodeLastRuneInString(text)
	next, _ := utf8.DecodeRuneInString(string(line[len(text):min(len(line), len(text)+utf8.UTFMax)]))
	return !unicode.IsLetter(last) || !unicode.IsLetter(next)
}
