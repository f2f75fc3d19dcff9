package delimited

import "math/bits"

// Most lines are plain: they hold no quote, and as many cells as there are columns. Plain lines are taken many at a time:
// first it is found where all their cells end, 64 bytes of text at a step; then the cells are copied, column by column.

// step is how many bytes of text are looked at together.
const step = 64

// marks say of 64 bytes of text which of them are what: the lowest bit is for the first byte.
type marks struct {
	delimiters, feeds, quotes uint64
	high                      uint64 // bytes that are not ASCII
}

// scan finds the plain lines that text begins with, at most so many. ends gets, line by line, where each cell ends: at the
// delimiter or line feed behind it. It returns how many bytes the lines take, and whether they are ASCII. A line that is
// empty, that has a quote or another number of cells, or whose end is not in text, ends the search before it; so does the
// end of the last whole step.
//
// ends must have room for a step more than most × columns.
func scan(text []byte, delimiter byte, quotes bool, columns, most int, ends []int32) (found []int32, used int, ascii bool) {
	n, feeds, ascii := separators(text, delimiter, quotes, most*columns, ends)
	lines := 0
	for lines < most && (lines+1)*columns <= n && text[ends[(lines+1)*columns-1]] == '\n' {
		lines++
	}
	// Where there are no other line feeds, all that stands between these is delimiters, and no line is empty.
	if feeds != lines || columns == 1 {
		lines = plain(text, columns, ends[:lines*columns])
	}
	if lines > 0 {
		used = int(ends[lines*columns-1]) + 1
	}
	return ends[:lines*columns], used, ascii
}

// plain is how many of the lines, of which each has so many ends and a line feed as its last, have none before that, and
// are not empty.
func plain(text []byte, columns int, ends []int32) (lines int) {
	start := int32(0)
	for n := 0; n < len(ends); n += columns {
		for _, end := range ends[n : n+columns-1] {
			if text[end] == '\n' {
				return lines
			}
		}
		end := ends[n+columns-1]
		if columns == 1 && (end == start || end == start+1 && text[start] == '\r') {
			return lines
		}
		lines++
		start = end + 1
	}
	return lines
}

// separators finds the delimiters and line feeds that stand in text before its first quote, at least most of them where
// there are so many, and counts the line feeds among them.
func separators(text []byte, delimiter byte, quotes bool, most int, ends []int32) (n, feeds int, ascii bool) {
	var some [64]marks
	var high uint64
	for at := 0; at+step <= len(text) && n < most; {
		blocks := min((len(text)-at)/step, len(some))
		mark(text[at:], delimiter, some[:blocks])
		for i := range some[:blocks] {
			m := &some[i]
			high |= m.high
			hits, fed := m.delimiters|m.feeds, m.feeds
			if quotes && m.quotes != 0 {
				before := m.quotes&-m.quotes - 1
				hits, fed, most = hits&before, fed&before, 0
			}
			to := ends[n:]
			n += bits.OnesCount64(hits)
			feeds += bits.OnesCount64(fed)
			// How many there are cannot be foreseen, and a processor that foresees it wrongly loses more time than it takes to
			// write a few places that are not wanted.
			for ; hits != 0; to = to[4:] {
				four := to[:4]
				four[0] = int32(at + bits.TrailingZeros64(hits))
				hits &= hits - 1
				four[1] = int32(at + bits.TrailingZeros64(hits))
				hits &= hits - 1
				four[2] = int32(at + bits.TrailingZeros64(hits))
				hits &= hits - 1
				four[3] = int32(at + bits.TrailingZeros64(hits))
				hits &= hits - 1
			}
			if at += step; n >= most {
				break
			}
		}
	}
	return n, feeds, high == 0
}
