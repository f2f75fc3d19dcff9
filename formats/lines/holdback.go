// Package lines knows about the lines of a text: the last ones, and on which one a place is.
package lines

import (
	"bytes"
	"fmt"
	"io"
	"slices"

	"twinsieve/core/record"
)

// holdMost is the most that is held back, in bytes.
const holdMost = 32 << 20

// HoldBack passes a text on without its last lines. A line is what a line feed ends, or the end of the text; an empty end
// of the text is no line.
type HoldBack struct {
	source io.Reader
	lines  int
	buffer []byte // read and not yet given; from given on
	given  int
	ended  error
	passed int64 // line feeds that were given
}

// NewHoldBack returns the text of source without its last lines, so many.
func NewHoldBack(source io.Reader, lines int) *HoldBack {
	return &HoldBack{source: source, lines: lines}
}

// Read implements io.Reader.
func (h *HoldBack) Read(p []byte) (int, error) {
	for {
		rest := h.buffer[h.given:]
		free := len(rest) - h.held(rest)
		if free > 0 {
			n := copy(p, rest[:free])
			h.given += n
			h.passed += int64(bytes.Count(p[:n], []byte{'\n'}))
			return n, nil
		}
		if h.ended != nil {
			return 0, h.ended
		}
		if len(rest) > holdMost {
			return 0, &record.Unreadable{What: fmt.Sprintf("its last lines, %d to be left out, are longer than %d MiB; are the lines ended?", h.lines, holdMost>>20)}
		}
		h.buffer = slices.Grow(append(h.buffer[:0], rest...), 64<<10)
		h.given = 0
		at := len(h.buffer)
		n, err := h.source.Read(h.buffer[at:cap(h.buffer)])
		h.buffer = h.buffer[:at+n]
		h.ended = err
	}
}

// held is the length of the end of b that may be among the last lines.
func (h *HoldBack) held(b []byte) int {
	at := len(b)
	if at > 0 && b[at-1] == '\n' {
		at-- // it ends the last line rather than beginning another
	}
	for range h.lines {
		n := bytes.LastIndexByte(b[:at], '\n')
		if n < 0 {
			return len(b)
		}
		at = n
	}
	return len(b) - at - 1
}

// Held returns the lines that were held back, without their ends, and the number of the first; it is known at the end.
func (h *HoldBack) Held() (first int64, texts []string) {
	for line := range bytes.Lines(h.buffer[h.given:]) {
		texts = append(texts, string(bytes.TrimRight(line, "\r\n")))
	}
	return h.passed + 1, texts
}
