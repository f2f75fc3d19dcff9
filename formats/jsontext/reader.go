// Package jsontext reads records from JSON: the objects of an array, or one object a line (NDJSON).
//
// Every object is a record, and its fields are the cells. A field of an object within the record is a column of its own,
// named with dots: {"call":{"no":"MW-1"}} has the column "call.no". A list within a record is one cell, whose text is the
// list. Numbers are taken as they are written, with every digit; true and false are the texts true and false; null is a
// null, and so is a field that a record does not have. The columns are the fields of all records, in the order in which
// they first appear, so a source is read twice: once for the columns, and once for the cells.
//
// The array is the document itself, or the one at a JSON Pointer (RFC 6901). Its elements are numbered, for many documents are one line:
// what is a line elsewhere is that number. An element that is not an object is rejected, as is an object with two fields of one name; a line
// of NDJSON that is no JSON is rejected, and the rest is read. A JSON document that is cut off or broken is unreadable as a whole.
package jsontext

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"twinsieve/core/record"
	"twinsieve/formats/lines"
)

// Options are how to read JSON.
type Options struct {
	Lines   bool                // one object a line
	Pointer string              // JSON Pointer of the array; "": the document is the array
	Footers []string            // a record whose first value begins with one of these is a footer, neither a record nor a reject: see [lines.Begins]
	Footer  func(int64, string) // called for each footer with its line and its values; may be nil
	Reject  func(record.Reject) // called for each reject; may be nil

	RejectBytes bool // a record with bytes that are not UTF-8 is rejected; else the text is unreadable
}

// Reader reads records from JSON.
type Reader struct {
	opts    Options
	records source
	names   []string
	columns map[string]int
	builder *record.Builder
	rejects int64
	number  int64 // of the record being read, counted from 1
	fields  flattener
	cells   []*field
}

// source gives one object after another.
type source interface {
	// next flattens the next object into f and returns the line that it begins on. A reject is told by its reason.
	next(f *flattener) (line int64, reason string, text []byte, err error)
	bytes() int64
}

// NewReader begins to read JSON. open opens the text from its beginning, and is called twice.
func NewReader(open func() (io.Reader, error), opts Options) (*Reader, error) {
	if opts.Pointer != "" && (opts.Lines || opts.Pointer[0] != '/') {
		return nil, &record.Unreadable{What: fmt.Sprintf("%q is no JSON Pointer to an array; write one such as /data/records", opts.Pointer)}
	}
	r := &Reader{opts: opts, columns: map[string]int{}}
	if err := r.start(open); err != nil {
		return nil, err
	}
	for {
		line, reason, _, err := r.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		if reason != "" {
			continue
		}
		for _, f := range r.fields.fields {
			if _, known := r.columns[f.name]; known {
				continue
			}
			if len(r.names) == record.MaxColumns {
				return nil, &record.Unreadable{Line: line, What: fmt.Sprintf("the records have more than %d different fields, the most that a record set has", record.MaxColumns)}
			}
			r.columns[f.name] = len(r.names)
			r.names = append(r.names, f.name)
		}
	}
	if len(r.names) == 0 {
		return nil, &record.Unreadable{What: "no record with a field is in it, so there are no columns"}
	}
	names, err := record.CheckColumns(r.names, 0)
	if err != nil {
		return nil, err
	}
	r.names = names
	r.builder, r.cells = record.NewBuilder(len(r.names)), make([]*field, len(r.names))
	return r, r.start(open)
}

func (r *Reader) start(open func() (io.Reader, error)) error {
	text, err := open()
	if err != nil {
		return err
	}
	if r.opts.Lines {
		r.records = &lineSource{lines.NewReader(text)}
		return nil
	}
	r.records, err = newArraySource(text, r.opts.Pointer)
	return err
}

// Columns are the names of the fields of all records.
func (r *Reader) Columns() []string { return r.names }

// Rejects is the number of rejects so far.
func (r *Reader) Rejects() int64 { return r.rejects }

// Bytes is the number of bytes used so far.
func (r *Reader) Bytes() int64 { return r.records.bytes() }

// Next implements [record.Reader].
func (r *Reader) Next() (*record.Batch, error) {
	for {
		line, reason, text, err := r.next()
		if err == io.EOF {
			return r.builder.Last()
		}
		if err != nil {
			return nil, err
		}
		clear(r.cells)
		for i := range r.fields.fields {
			f := &r.fields.fields[i]
			c := r.columns[f.name]
			if r.cells[c] != nil && reason == "" {
				reason = fmt.Sprintf("two fields are named %q", f.name)
			}
			r.cells[c] = f
		}
		if r.number++; !r.opts.Lines {
			line = r.number
		}
		if reason != "" {
			r.reject(line, reason, text)
			continue
		}
		if r.footer(line) {
			continue
		}
		for c, f := range r.cells {
			if f == nil || f.null {
				r.builder.Null(c)
			} else {
				r.builder.Cell(c, f.text)
			}
		}
		if b := r.builder.Close(line); b != nil {
			return b, nil
		}
	}
}

// footer keeps the record just read apart when it is a footer.
func (r *Reader) footer(line int64) bool {
	if len(r.opts.Footers) == 0 {
		return false
	}
	var values []string
	for _, f := range r.cells {
		if f != nil && len(f.text) > 0 {
			values = append(values, string(f.text))
		}
	}
	if len(values) == 0 || !lines.Begins(values[0], r.opts.Footers) {
		return false
	}
	if r.opts.Footer != nil {
		r.opts.Footer(line, strings.Join(values, "\t"))
	}
	return true
}

func (r *Reader) reject(line int64, reason string, text []byte) {
	r.rejects++
	if r.opts.Reject != nil {
		r.opts.Reject(record.NewReject(line, reason, bytes.TrimSpace(text)))
	}
}

// lineSource gives the objects of NDJSON.
type lineSource struct {
	lines *lines.Reader
}

func (s *lineSource) bytes() int64 { return s.lines.Bytes() }

func (s *lineSource) next(f *flattener) (int64, string, []byte, error) {
	for {
		text, err := s.lines.Next("a record of more than 16 MiB starts here; is this NDJSON, one object a line?")
		if err != nil {
			return 0, "", nil, err
		}
		if len(bytes.TrimSpace(text)) == 0 {
			continue
		}
		reason := ""
		if !utf8.Valid(text) {
			return s.lines.Line(), record.NotUTF8("the line", text), text, errBytes
		}
		if !json.Valid(text) {
			reason = invalid(text)
		} else if !f.begin(text) {
			reason = "the line is not an object"
		} else if err := f.flatten(1); err != nil {
			reason = "the line is no JSON: " + err.Error()
		} else if f.half {
			reason = halfPair
		}
		return s.lines.Line(), reason, text, nil
	}
}

// errBytes says of a record that it has bytes that are not UTF-8, which its reason names.
var errBytes = errors.New("not UTF-8")

// next is the next record of the source, or what is wrong with it: see [source].
func (r *Reader) next() (line int64, reason string, text []byte, err error) {
	line, reason, text, err = r.records.next(&r.fields)
	if err != errBytes {
		return line, reason, text, err
	}
	if r.opts.RejectBytes {
		return line, reason, text, nil
	}
	return 0, "", nil, &record.Unreadable{Line: line, What: reason + record.MendUTF8, Misread: true}
}

const halfPair = `a text has half of a surrogate pair, such as \ud800, which is no character`

// invalid says why a line is no JSON.
func invalid(text []byte) string {
	var object json.RawMessage
	dec := json.NewDecoder(bytes.NewReader(text))
	if err := dec.Decode(&object); err != nil {
		return "the line is no JSON: " + plain(err)
	}
	if object[0] != '{' {
		return "the line is not an object"
	}
	return "something stands behind the object on its line"
}

// arraySource gives the objects of an array.
type arraySource struct {
	dec   *json.Decoder
	where *lines.Counter
	limit *limit
	depth int // of the objects and lists around the array
	raw   json.RawMessage
	ended bool
}

func newArraySource(text io.Reader, pointer string) (*arraySource, error) {
	s := &arraySource{where: lines.NewCounter(&noMark{text: text})}
	s.limit = &limit{text: s.where, left: record.MaxRecordBytes}
	s.dec = json.NewDecoder(s.limit)
	s.dec.UseNumber()
	token, err := s.token()
	if err != nil {
		return nil, err
	}
	at := ""
	for step := range strings.SplitSeq(strings.TrimPrefix(pointer, "/"), "/") {
		if pointer == "" {
			break
		}
		step = strings.NewReplacer("~1", "/", "~0", "~").Replace(step)
		if token, err = s.enter(token, step); err != nil {
			return nil, err
		}
		at += "/" + step
		s.depth++
	}
	if token != json.Delim('[') {
		if at == "" {
			return nil, &record.Unreadable{Line: 1, What: "the document is not an array of objects; state where its array is with a JSON Pointer such as /data/records"}
		}
		return nil, &record.Unreadable{Line: s.line(), What: fmt.Sprintf("what stands at %s is not an array", at)}
	}
	return s, nil
}

// enter goes to a member of the object, or element of the list, that token begins, and returns the token there.
func (s *arraySource) enter(token json.Token, step string) (json.Token, error) {
	for n := 0; (token == json.Delim('{') || token == json.Delim('[')) && s.dec.More(); n++ {
		name := fmt.Sprint(n)
		if token == json.Delim('{') {
			member, err := s.token()
			if err != nil {
				return nil, err
			}
			name = member.(string)
		}
		if name == step {
			return s.token()
		}
		if err := s.pass(0); err != nil {
			return nil, err
		}
	}
	return nil, &record.Unreadable{What: fmt.Sprintf("the JSON Pointer leads to nothing: there is no %q", step)}
}

// pass passes over a value, or, from so many objects and lists deep, over all that is left of them.
func (s *arraySource) pass(depth int) error {
	for {
		token, err := s.token()
		if err != nil {
			return err
		}
		switch token {
		case json.Delim('{'), json.Delim('['):
			depth++
		case json.Delim('}'), json.Delim(']'):
			depth--
		}
		if depth == 0 {
			return nil
		}
	}
}

func (s *arraySource) token() (json.Token, error) {
	s.limit.left = record.MaxRecordBytes
	token, err := s.dec.Token()
	return token, s.fault(err)
}

func (s *arraySource) bytes() int64 { return s.dec.InputOffset() }
func (s *arraySource) line() int64  { return s.where.Line(s.dec.InputOffset()) }

// fault says where the document is broken.
func (s *arraySource) fault(err error) error {
	if err == nil {
		return nil
	}
	var own *record.Unreadable
	switch {
	case errors.As(err, &own):
		return err
	case err == io.EOF || errors.Is(err, io.ErrUnexpectedEOF):
		return &record.Unreadable{Line: s.line(), What: "the JSON is cut off; it did not arrive whole"}
	}
	return &record.Unreadable{Line: s.line(), What: "the text is no JSON from here on: " + plain(err)}
}

// broken says where an element is broken, which was to be decoded as a whole.
func (s *arraySource) broken(err error) error {
	if own := new(record.Unreadable); errors.As(err, &own) {
		return err
	}
	rest, _ := io.ReadAll(s.dec.Buffered()) // it is in memory
	again := json.NewDecoder(bytes.NewReader(rest))
	for tokenErr := error(nil); tokenErr == nil; {
		_, tokenErr = again.Token()
	}
	line := s.line() + int64(bytes.Count(rest[:again.InputOffset()], []byte{'\n'}))
	fault := new(record.Unreadable)
	if errors.As(s.fault(err), &fault) {
		fault.Line = line
	}
	return fault
}

func (s *arraySource) next(f *flattener) (int64, string, []byte, error) {
	if s.ended {
		return 0, "", nil, io.EOF
	}
	s.limit.left = record.MaxRecordBytes
	if !s.dec.More() {
		s.ended = true
		if _, err := s.token(); err != nil { // the end of the array
			return 0, "", nil, err
		}
		return 0, "", nil, s.rest()
	}
	s.raw = s.raw[:0]
	if err := s.dec.Decode(&s.raw); err != nil {
		return 0, "", nil, s.broken(err)
	}
	line := s.line()
	if !utf8.Valid(s.raw) {
		return line, record.NotUTF8("the record", s.raw), s.raw, errBytes
	}
	if !f.begin(s.raw) {
		return line, "the element is not an object", s.raw, nil
	}
	if err := f.flatten(1); err != nil {
		return 0, "", nil, s.fault(err)
	}
	if f.half {
		return line, halfPair, s.raw, nil
	}
	return line, "", s.raw, nil
}

// rest reads what stands behind the array, so that a document that is cut off there is told from a whole one.
func (s *arraySource) rest() error {
	if s.depth > 0 {
		if err := s.pass(s.depth); err != nil {
			return err
		}
	}
	if _, err := s.dec.Token(); err != io.EOF {
		return &record.Unreadable{Line: s.line(), What: "something stands behind the end of the JSON document"}
	}
	return io.EOF
}

// plain is what is wrong, in the decoder's words without its name.
func plain(err error) string {
	if errors.Is(err, io.ErrUnexpectedEOF) || err == io.EOF {
		return "it is cut off"
	}
	return strings.TrimPrefix(strings.TrimPrefix(err.Error(), "json: "), "invalid character ")
}

// noMark passes a text on without a byte-order mark.
type noMark struct {
	text  io.Reader
	begun bool
}

func (m *noMark) Read(p []byte) (int, error) {
	if m.begun {
		return m.text.Read(p)
	}
	m.begun = true
	buffered := bufio.NewReader(m.text)
	if head, _ := buffered.Peek(3); bytes.Equal(head, []byte("\xEF\xBB\xBF")) {
		if _, err := buffered.Discard(3); err != nil {
			return 0, err
		}
	}
	m.text = buffered
	return m.text.Read(p)
}

// limit ends a text that goes on for too long within one record.
type limit struct {
	text io.Reader
	left int64
}

func (l *limit) Read(p []byte) (int, error) {
	if l.left <= 0 {
		return 0, &record.Unreadable{What: "a record of more than 16 MiB is in the JSON; is this an array of records?"}
	}
	n, err := l.text.Read(p)
	l.left -= int64(n)
	return n, err
}
