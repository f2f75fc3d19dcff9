package record

import (
	"bytes"
	"fmt"
	"unicode/utf8"
)

// The limits of a source. What goes beyond them is refused, so that reading keeps to bounded memory whatever it is given.
const (
	MaxColumns     = 16_384   // columns of a set
	MaxRecordBytes = 16 << 20 // text of one record
)

// Reader reads a record set from where it comes from, once, from the first record to the last.
type Reader interface {
	// Columns are the column names, each different from the others.
	Columns() []string
	// Next returns the next batch of records, or io.EOF after the last. That the source cannot be read as what it is
	// said to be is an [*Unreadable].
	Next() (*Batch, error)
	// Rejects is the number of rejects so far.
	Rejects() int64
	// Bytes is about how many bytes of the source have been used so far, as it is stored.
	Bytes() int64
}

// Reject is a piece of a source that could not be taken as a record.
type Reject struct {
	Line   int64  `json:"line"` // on which it starts, counted from 1; of a spreadsheet, its row; of a table, its place
	Reason string `json:"reason"`
	Text   string `json:"text"` // as it stands, cut after [RejectText] bytes
}

// RejectText is how many bytes of a reject's text are kept.
const RejectText = 1000

// NewReject returns a reject with its text cut.
func NewReject(line int64, reason string, text []byte) Reject {
	return Reject{line, reason, Cut(text)}
}

// Cut is the beginning of a text that is kept for people, without its line end.
func Cut(text []byte) string {
	text = bytes.TrimRight(text, "\r\n")
	return string(bytes.ToValidUTF8(text[:min(len(text), RejectText)], nil))
}

// NotUTF8 says that a text has bytes that are not UTF-8, and which.
func NotUTF8(where string, text []byte) string {
	var bad []byte
	for len(text) > 0 && len(bad) < 4 {
		c, size := utf8.DecodeRune(text)
		if c == utf8.RuneError && size == 1 {
			bad = append(bad, text[0])
		}
		text = text[size:]
	}
	return fmt.Sprintf("%s has bytes that are not UTF-8 (% X)", where, bad)
}

// MendUTF8 says what can be done about them where they make a source unreadable.
const MendUTF8 = "; correct them, state another encoding, or have such records rejected (invalid bytes: reject)"

// Unreadable is something in a source that makes it unreadable as a whole.
type Unreadable struct {
	Line  int64  // 0 when no line is to blame
	Place string // where it is, when a line does not say it: "cell C7"
	What  string // what is wrong and how to mend it

	Misread bool // what stands there is no text in the encoding that was taken; in another one it may be
}

// Where says where it is, or nothing.
func (e *Unreadable) Where() string {
	if e.Line > 0 {
		return fmt.Sprintf("line %d", e.Line)
	}
	return e.Place
}

// Error implements error.
func (e *Unreadable) Error() string {
	if where := e.Where(); where != "" {
		return where + ": " + e.What
	}
	return e.What
}

// CheckColumns refuses column names of which two are the same, or that are too many. A column without a name is called
// "column" and its number; the names are returned so.
func CheckColumns(names []string, line int64) ([]string, error) {
	if len(names) > MaxColumns {
		return nil, &Unreadable{Line: line, What: fmt.Sprintf("%d columns stand here; a record set has at most %d: is the delimiter right?", len(names), MaxColumns)}
	}
	out, seen := make([]string, len(names)), make(map[string]int, len(names))
	for i, name := range names {
		if name == "" {
			name = fmt.Sprintf("column %d", i+1)
		}
		if first, ok := seen[name]; ok {
			return nil, &Unreadable{Line: line, What: fmt.Sprintf("columns %d and %d are both named %q; give each column a name of its own", first, i+1, name)}
		}
		seen[name] = i + 1
		out[i] = name
	}
	return out, nil
}
