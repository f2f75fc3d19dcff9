// Package lookalike knows characters that people cannot tell apart, or cannot see: letters of another script drawn like
// Latin ones, typographic quotes, dashes and spaces, and characters without any shape.
//
// It makes them plain, and it names the place where two texts that look the same differ.
package lookalike

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/runenames"
)

// letters are, in pairs, letters of other scripts and the Latin letter that each looks like. Small letters whose capitals look
// Latin are among them, so that it does not matter whether letter case was ignored before.
const letters = "АAВBЕEІIЈJКKМMНHОOРPСCТTУYХXЅSԚQԜWҮY" + // Cyrillic
	"аaеeоoрpсcуyхxіiјjѕsһhԁdԛqԝwӏlкkүyвbмmнhтt" +
	"ΑAΒBΕEΖZΗHΙIΚKΜMΝNΟOΡPΤTΥYΧX" + // Greek
	"οoνvιiρpαaυuκkχxβbεeζzηhμmτt" +
	"ՕOօoսuՏS" // Armenian

// marks are, in pairs, typographic marks and the plain one that each looks like.
const marks = "‘'’'‚'‛'′'´'`'ʼ'“\"”\"„\"‟\"″\"«\"»\"‐-‑-‒-–-—-―-−-﹣-⁄/∕/․.‧·・·"

var (
	latin = pairs(letters)
	plain = pairs(marks)
)

func pairs(text string) map[rune]rune {
	table := map[rune]rune{}
	runes := []rune(text)
	for i := 0; i+1 < len(runes); i += 2 {
		table[runes[i]] = runes[i+1]
	}
	return table
}

// Latin returns the Latin letter or European digit that r looks like, or r itself.
func Latin(r rune) rune {
	if r < utf8.RuneSelf {
		return r
	}
	if r >= '！' && r <= '～' && (unicode.IsLetter(r) || unicode.IsDigit(r)) { // the wide forms
		return r - '！' + '!'
	}
	if l, ok := latin[r]; ok {
		return l
	}
	return r
}

// Mark returns the plain quote, dash, stroke or dot that r looks like, or r itself.
func Mark(r rune) rune {
	if r < utf8.RuneSelf && r != '`' {
		return r
	}
	if m, ok := plain[r]; ok {
		return m
	}
	return r
}

// Invisible reports whether r is drawn as nothing at all: control characters but tab and line ends, joiners, marks of
// direction, the byte order mark, the soft hyphen.
func Invisible(r rune) bool {
	if r >= ' ' && r <= '~' {
		return false
	}
	switch r {
	case '\t', '\n', '\r', '\v', '\f', 0x85:
		return false
	}
	return unicode.Is(unicode.Cf, r) || unicode.IsControl(r) || r == 0x034F || r == 0x115F || r == 0x3164 || r >= 0xFE00 && r <= 0xFE0F
}

// Look is a text as it looks: letters Latin, marks plain, one kind of space, and nothing invisible. Two texts of one look
// cannot be told apart by eye.
func Look(text string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case Invisible(r):
			return -1
		case unicode.IsSpace(r):
			return ' '
		}
		return Mark(Latin(r))
	}, text)
}

// Place is where two texts first differ.
type Place struct {
	At          int    `json:"at" description:"Characters before it."`
	Left        string `json:"left" description:"What stands there on the left, with its name; empty at the text's end."`
	Right       string `json:"right" description:"What stands there on the right, with its name; empty at the text's end."`
	Look        bool   `json:"look" description:"The texts look the same."`
	LeftSymbol  string `json:"leftSymbol"`
	RightSymbol string `json:"rightSymbol"`
}

// Differ finds where two texts first differ. It reports false where they do not.
func Differ(left, right string) (Place, bool) {
	if left == right {
		return Place{}, false
	}
	p := Place{Look: Look(left) == Look(right)}
	for {
		l, n := utf8.DecodeRuneInString(left)
		r, m := utf8.DecodeRuneInString(right)
		if n == 0 || m == 0 || left[:n] != right[:m] {
			p.Left, p.LeftSymbol = named(left, l, n)
			p.Right, p.RightSymbol = named(right, r, m)
			return p, true
		}
		left, right = left[n:], right[m:]
		p.At++
	}
}

func named(text string, r rune, size int) (name, symbol string) {
	switch {
	case size == 0:
		return "", ""
	case r == utf8.RuneError && size == 1:
		return fmt.Sprintf("the byte %02X, which is no character", text[0]), ""
	}
	return Name(r), string(r)
}

// Name is a character's number and name in Unicode, such as "U+041C CYRILLIC CAPITAL LETTER EM".
func Name(r rune) string { return fmt.Sprintf("U+%04X %s", r, runenames.Name(r)) }

// String says it in words, such as "character 1: left U+041C CYRILLIC CAPITAL LETTER EM, right U+004D LATIN CAPITAL LETTER M".
func (p Place) String() string {
	end := func(name string) string {
		if name == "" {
			return "nothing more"
		}
		return name
	}
	return fmt.Sprintf("character %d: left %s, right %s", p.At+1, end(p.Left), end(p.Right))
}
