package textcode

import (
	"bytes"
	"unicode/utf8"

	"twinsieve/core/record"
)

// List returns the text of a short list that people make, without the byte-order mark that spreadsheets set before it. Bytes that are not UTF-8
// are refused with an [*record.Unreadable] that names the line: read in another way, they would be codes that match nothing.
func List(text []byte) ([]byte, error) {
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	for at := 0; at < len(text); {
		r, size := utf8.DecodeRune(text[at:])
		if r == utf8.RuneError && size == 1 {
			return nil, &record.Unreadable{Line: int64(1 + bytes.Count(text[:at], []byte{'\n'})), What: "it has bytes that are not UTF-8; save the list as UTF-8"}
		}
		at += size
	}
	return text, nil
}
