package lines

import (
	"bufio"
	"bytes"
	"io"

	"twinsieve/core/record"
)

// Reader reads a text line by line, in bounded memory.
type Reader struct {
	text *bufio.Reader
	line int64
	read int64
	long []byte
}

// NewReader returns a reader of a text's lines.
func NewReader(text io.Reader) *Reader { return &Reader{text: bufio.NewReaderSize(text, 256<<10)} }

// Line is the number of the line read last, counted from 1.
func (r *Reader) Line() int64 { return r.line }

// Bytes is the number of bytes of the lines read so far.
func (r *Reader) Bytes() int64 { return r.read }

// Next returns the next line with its end, until the next call, or io.EOF. A byte-order mark before the first line is left
// out. A line of more than [record.MaxRecordBytes] is an [*record.Unreadable] that says what.
func (r *Reader) Next(what string) ([]byte, error) {
	text, err := r.text.ReadSlice('\n')
	if err == bufio.ErrBufferFull {
		r.long = append(r.long[:0], text...)
		for err == bufio.ErrBufferFull {
			if len(r.long) > record.MaxRecordBytes {
				return nil, &record.Unreadable{Line: r.line + 1, What: what}
			}
			text, err = r.text.ReadSlice('\n')
			r.long = append(r.long, text...)
		}
		text = r.long
	}
	if len(text) == 0 || err != nil && err != io.EOF {
		return nil, err
	}
	r.line++
	r.read += int64(len(text))
	if r.line == 1 {
		text = bytes.TrimPrefix(text, []byte("\xEF\xBB\xBF"))
	}
	return text, nil
}
