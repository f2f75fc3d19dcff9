package cli

import (
	"io"
	"regexp"
	"strings"
	"unicode/utf8"
)

// What is in cells, names and messages may come from anybody. Control characters could move the cursor, change the title or clear the
// screen, and direction characters show a text in another order than it has, so none of them reaches a terminal.

// harmful reports whether a character must not reach a terminal. Line feeds and tabs are for who prints.
func harmful(r rune) bool {
	switch {
	case r < ' ' && r != '\n' && r != '\t', r >= 0x7f && r <= 0x9f:
		return true
	case r == 0x061c, r == 0x200e, r == 0x200f, r >= 0x202a && r <= 0x202e, r >= 0x2066 && r <= 0x2069, r == 0x2028, r == 0x2029:
		return true
	}
	return false
}

// harmless is a text of which nothing harmful is left.
func harmless(text string) string {
	if !strings.ContainsFunc(text, harmful) && utf8.ValidString(text) {
		return text
	}
	return strings.Map(func(r rune) rune {
		if harmful(r) {
			return utf8.RuneError
		}
		return r
	}, text)
}

// painted are the only sequences that reach a terminal: those by which this program paints.
var painted = regexp.MustCompile(`\x1b\[(?:38;5;37|38;5;172|1|0)m`)

// harmlessPainted is harmless for a text that may have been painted.
func harmlessPainted(text string) string {
	if !strings.ContainsRune(text, '\x1b') {
		return harmless(text)
	}
	var out strings.Builder
	from := 0
	for _, at := range painted.FindAllStringIndex(text, -1) {
		out.WriteString(harmless(text[from:at[0]]))
		out.WriteString(text[at[0]:at[1]])
		from = at[1]
	}
	out.WriteString(harmless(text[from:]))
	return out.String()
}

// terminalWriter writes to a terminal what is harmless there. Each piece that it is given ends where a character does.
type terminalWriter struct{ io.Writer }

func (t terminalWriter) Write(p []byte) (int, error) {
	if _, err := io.WriteString(t.Writer, harmlessPainted(string(p))); err != nil {
		return 0, err
	}
	return len(p), nil
}
