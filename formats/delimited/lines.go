package delimited

import (
	"unicode/utf8"

	"twinsieve/core/record"
)

// manyLines is how many plain lines at a time are worth giving as they are.
const manyLines = 128

// Lines returns the plain lines that come next as they stand in the text, or nil where something else comes, or few of them: then
// [Reader.Next] is to be asked. It may be asked every time: the records of both follow one another. Nothing is copied, so this is for who needs no arrays.
func (r *Reader) Lines() (*record.Lines, error) {
	for !r.ended && r.end-r.start < len(r.buffer) {
		if err := r.fill(); err != nil {
			return nil, err
		}
	}
	rest, columns := r.rest(), len(r.columns)
	l, _ := r.spare.Get().(*record.Lines)
	if l == nil {
		l = &record.Lines{Columns: columns}
	}
	most := max(len(rest)/8/columns, manyLines) // as many as cells of seven bytes would be
	if room := 1 + most*columns + step; cap(l.Ends) < room {
		l.Ends = make([]int32, room)
	}
	ends, used, ascii := scan(rest, r.delimiter, !r.opts.NoQuotes, columns, most, l.Ends[1:cap(l.Ends)])
	ends, used = r.beforeFooter(rest, ends, used)
	returns := carriageReturns(rest, ends, columns)
	lines := len(ends) / columns
	if lines < manyLines || returns != 0 && returns != lines || !ascii && !utf8.Valid(rest[:used]) {
		r.spare.Put(l)
		r.refused++
		return nil, nil
	}
	r.refused = 0
	if !r.loose {
		r.begins()
		r.loose = true
	}
	r.note(ends)
	if l.Feed = 1; returns > 0 {
		l.Feed = 2
		for n := columns - 1; n < len(ends); n += columns {
			ends[n]--
		}
	}
	l.Ends = l.Ends[:1+len(ends)]
	l.Ends[0], l.First = -l.Feed, r.records
	r.records += int64(lines)
	r.line += int64(lines)
	// The text goes with the lines, and what has not been used moves to another buffer.
	var buffer []byte
	if buffer = l.Text[:cap(l.Text)]; len(buffer) < len(r.buffer) {
		buffer = make([]byte, len(r.buffer))
	}
	l.Text = r.buffer[r.start:]
	r.buffer, r.start, r.end = buffer, 0, copy(buffer, rest[used:])
	if r.open.lines >= record.BatchRecords || r.at()-r.open.at >= mostText {
		r.closeLines()
	}
	return l, nil
}

// oddBatch is how many records a batch has at most where lines were wanted: few at first, for one odd line among plain ones should not make a
// batch of all that follow.
func (r *Reader) oddBatch() int { return min(256<<min(r.refused, 16), record.BatchRecords) }

// Reuse lets the reader use the memory of lines that it gave and that nobody needs any more. Other goroutines may call it.
func (r *Reader) Reuse(l *record.Lines) { r.spare.Put(l) }

// closeLines notes where the batch ends that the lines would be which were given since the last.
func (r *Reader) closeLines() {
	if r.loose {
		r.open.end = r.at()
		r.batches = append(r.batches, r.open)
		r.loose = false
	}
}

// carriageReturns is how many of the lines whose cells end as given have a carriage return before their line feed.
func carriageReturns(text []byte, ends []int32, columns int) (n int) {
	for k := columns - 1; k < len(ends); k += columns {
		if end := ends[k]; end > 0 && text[end-1] == '\r' {
			n++
		}
	}
	return n
}
