package sources

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// A query is read before the database sees it, and is only ever a query, whatever the account is allowed to do: a read-only transaction
// can be left by a compound statement that commits, and does not cover files that the server writes.

// beginnings are the words that a query may begin with.
var beginnings = []string{"SELECT", "WITH", "VALUES", "TABLE", "SHOW"}

// checkQuery refuses what is not one query. The error is a [*Fault].
func checkQuery(kind, text string) error {
	refuse := func(format string, args ...any) error { return &Fault{Refused, fmt.Sprintf(format, args...)} }
	// Whether a backslash in a text escapes the next character is a setting of the server, so the text is read in both ways.
	open := 0
	for _, escapes := range []bool{false, true} {
		words, closed, err := wordsOf(kind, text, escapes)
		if err != nil {
			return err
		}
		if !closed { // then it is what the other way makes of it, or the database refuses it
			if open++; open == 2 {
				return refuse("the query has a text or a name in quotes that is not closed")
			}
		}
		first := slices.IndexFunc(words, func(w string) bool { return w != "(" })
		switch {
		case first < 0:
			return refuse("the query is empty; write one that selects rows")
		case !slices.Contains(beginnings, words[first]):
			return refuse("the query begins with %s; only queries are taken, which begin with %s", words[first], strings.Join(beginnings, ", "))
		}
		if slices.Contains(words, "INTO") {
			return refuse("the query has the word INTO; a query gives its rows here, and writes them nowhere. A column of that name is written in quotes")
		}
		if end := slices.Index(words, ";"); end >= 0 && slices.ContainsFunc(words[end:], func(w string) bool { return w != ";" }) {
			return refuse("the query has a second statement, which begins with %s; write one that selects rows", words[end+slices.IndexFunc(words[end:], func(w string) bool { return w != ";" })])
		}
	}
	return nil
}

// wordsOf are the words of a statement in capital letters, its brackets and its semicolons; texts, quoted names and comments are left out.
// closed is false where a quote is not closed.
func wordsOf(kind, text string, escapes bool) (words []string, closed bool, err error) {
	closed = true
	for len(text) > 0 {
		r, size := utf8.DecodeRuneInString(text)
		switch {
		case unicode.IsLetter(r) || r == '_':
			end := strings.IndexFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' && r != '$' })
			if end < 0 {
				end = len(text)
			}
			words = append(words, strings.ToUpper(text[:end]))
			text = text[end:]
		case strings.HasPrefix(text, "/*"):
			if strings.HasPrefix(text, "/*!") || strings.HasPrefix(text, "/*M!") {
				return nil, closed, &Fault{Refused, "the query has a comment that the server executes (/*! …); leave it out"}
			}
			if text, err = afterComment(text, kind == PostgreSQL); err != nil {
				return nil, closed, err
			}
		case strings.HasPrefix(text, "--") || kind == MariaDB && r == '#':
			_, text, _ = strings.Cut(text, "\n")
		case r == '\'' || r == '"' || r == '`':
			text, closed = afterQuote(text, escapes)
		case kind == SQLite && r == '[':
			_, text, _ = strings.Cut(text, "]")
		case kind == PostgreSQL && r == '$':
			text = afterDollars(text)
		default:
			if r == '(' || r == ';' {
				words = append(words, string(r))
			}
			text = text[size:]
		}
	}
	return words, closed, nil
}

// afterComment is what follows a comment, which may hold others where they nest.
func afterComment(text string, nests bool) (string, error) {
	depth := 0
	for i := 0; i+1 < len(text); {
		switch {
		case text[i] == '/' && text[i+1] == '*' && (nests || depth == 0):
			depth++
			i += 2
		case text[i] == '*' && text[i+1] == '/':
			if depth--; depth == 0 {
				return text[i+2:], nil
			}
			i += 2
		default:
			i++
		}
	}
	return "", &Fault{Refused, "the query has a comment that is not closed"}
}

// afterQuote is what follows a text or a name in quotes, in which the quote itself is doubled, or escaped where backslashes escape.
func afterQuote(text string, escapes bool) (rest string, closed bool) {
	quote := text[0]
	for i := 1; i < len(text); i++ {
		switch {
		case escapes && text[i] == '\\':
			i++
		case text[i] == quote && i+1 < len(text) && text[i+1] == quote:
			i++
		case text[i] == quote:
			return text[i+1:], true
		}
	}
	return "", false
}

// afterDollars is what follows a text between dollar signs, such as $tag$ … $tag$; of anything else that begins with one, the rest.
func afterDollars(text string) string {
	end := strings.IndexByte(text[1:], '$')
	if end < 0 || strings.ContainsFunc(text[1:1+end], func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' }) {
		return text[1:]
	}
	tag := text[:end+2]
	if _, rest, ok := strings.Cut(text[len(tag):], tag); ok {
		return rest
	}
	return ""
}
