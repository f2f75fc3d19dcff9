// Package fixed reads fixed-width text: one record a line, each column at stated places of the line.
//
// A layout names the columns and where they stand, as "call_no 1-8, service_date 9-18, amount 19-28". Places are
// characters of the line, counted from 1, the last included; they need not touch, and may leave parts of the line out. The
// spaces that fill a column up, before and after its text, are no part of the cell. Text is UTF-8.
//
// A line that ends before the first column that it lacks is a record whose last columns are empty, for many programs cut
// spaces off the end of a line. A line that ends within a column is taken as it is for the same reason. A line with
// something else than spaces behind the last column is rejected. Empty lines are passed over.
package fixed

import (
	"bytes"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"twinsieve/core/record"
	"twinsieve/formats/lines"
)

// Column is where a column stands: its characters First to Last, counted from 1.
type Column struct {
	Name        string
	First, Last int
}

// Layout is the columns of a line, in the order of their places.
type Layout []Column

// ParseLayout reads a layout such as "call_no 1-8, service_date 9-18". A column of one character may be written with one
// number.
func ParseLayout(text string) (Layout, error) {
	var l Layout
	for part := range strings.SplitSeq(text, ",") {
		part = strings.TrimSpace(part)
		at := strings.LastIndexByte(part, ' ')
		if at < 0 {
			return nil, fmt.Errorf("the layout part %q does not say where the column stands; write its name and its places, such as call_no 1-8", part)
		}
		c := Column{Name: strings.TrimSpace(part[:at])}
		var ok bool
		if c.First, c.Last, ok = Places(part[at+1:]); !ok {
			return nil, fmt.Errorf("the places %q of column %q are no range; write the first and the last character, such as 1-8", part[at+1:], c.Name)
		}
		if len(l) > 0 && c.First <= l[len(l)-1].Last {
			return nil, fmt.Errorf("column %q begins at character %d, within or before column %q; write the columns in the order of their places", c.Name, c.First, l[len(l)-1].Name)
		}
		l = append(l, c)
	}
	return l, nil
}

// Places reads the first and the last place of something, counted from 1, such as 9-18, or 7 where it has one. It reports false where the
// text says no places.
func Places(text string) (first, last int, ok bool) {
	from, to, ranged := strings.Cut(text, "-")
	first, err := strconv.Atoi(from)
	if last = first; err == nil && ranged {
		last, err = strconv.Atoi(to)
	}
	return first, last, err == nil && first >= 1 && last >= first && last <= record.MaxRecordBytes
}

// Between is what stands in the places of a line, in characters; what lies beyond its end is missing.
func Between(line string, first, last int) string {
	characters := []rune(line)
	return string(characters[min(first-1, len(characters)):min(last, len(characters))])
}

// Options are how to read fixed-width text.
type Options struct {
	Layout  Layout
	Skip    int                 // lines before the records begin
	Footers []string            // a line that begins with one of these, whatever follows, is a footer: neither a record nor a reject
	Trailer *lines.Trailer      // the lines at the end that are footers, too
	Footer  func(int64, string) // called for each footer with its line number and text; may be nil
	Reject  func(record.Reject) // called for each rejected line; may be nil

	RejectBytes bool // a line with bytes that are not UTF-8 is rejected; else the text is unreadable
}

// Reader reads records from fixed-width text.
type Reader struct {
	opts    Options
	lines   *lines.Reader
	columns []string
	builder *record.Builder
	rejects int64
}

// NewReader begins to read a text.
func NewReader(source io.Reader, opts Options) (*Reader, error) {
	if len(opts.Layout) == 0 {
		return nil, &record.Unreadable{What: "fixed-width text needs a layout, such as call_no 1-8, service_date 9-18"}
	}
	r := &Reader{opts: opts, lines: lines.NewReader(source)}
	var names []string
	for _, c := range opts.Layout {
		names = append(names, c.Name)
	}
	var err error
	if r.columns, err = record.CheckColumns(names, 0); err != nil {
		return nil, err
	}
	r.builder = record.NewBuilder(len(names))
	return r, nil
}

// Columns, Rejects and Bytes implement [record.Reader].
func (r *Reader) Columns() []string { return r.columns }

// Rejects is the number of lines rejected so far.
func (r *Reader) Rejects() int64 { return r.rejects }

// Bytes is the number of bytes used so far.
func (r *Reader) Bytes() int64 { return r.lines.Bytes() }

// Next implements [record.Reader].
func (r *Reader) Next() (*record.Batch, error) {
	for {
		text, err := r.next()
		if err == io.EOF {
			return r.builder.Last()
		}
		if err != nil {
			return nil, err
		}
		if r.lines.Line() <= int64(r.opts.Skip) || len(text) == 0 || r.footer(text) {
			continue
		}
		if b := r.take(text); b != nil {
			return b, nil
		}
	}
}

// next returns the next line without its end, until the next call.
func (r *Reader) next() ([]byte, error) {
	text, err := r.lines.Next("a line of more than 16 MiB starts here; is this text, and are its lines ended?")
	if err != nil {
		return nil, err
	}
	if bytes.IndexByte(text, 0) >= 0 {
		return nil, &record.Unreadable{Line: r.lines.Line(), What: "a NUL byte stands here: this is binary data or another encoding, not UTF-8 text"}
	}
	if !r.opts.RejectBytes && !utf8.Valid(text) {
		return nil, &record.Unreadable{Line: r.lines.Line(), What: r.notUTF8(text) + record.MendUTF8, Misread: true}
	}
	text = bytes.TrimSuffix(text, []byte{'\n'})
	return bytes.TrimSuffix(text, []byte{'\r'}), nil
}

func (r *Reader) footer(text []byte) bool {
	begins := slices.ContainsFunc(r.opts.Footers, func(f string) bool { return bytes.HasPrefix(text, []byte(f)) })
	if !begins && !r.opts.Trailer.Has(r.lines.Line()) {
		return false
	}
	if r.opts.Footer != nil {
		r.opts.Footer(r.lines.Line(), string(text))
	}
	return true
}

// notUTF8 says in which column bytes stand that are not UTF-8.
func (r *Reader) notUTF8(text []byte) string {
	for _, c := range r.opts.Layout {
		if cell := Between(string(text), c.First, c.Last); strings.ContainsRune(cell, utf8.RuneError) {
			return record.NotUTF8(fmt.Sprintf("column %q", c.Name), text)
		}
	}
	return record.NotUTF8("the line", text)
}

func (r *Reader) take(text []byte) *record.Batch {
	if !utf8.Valid(text) {
		r.reject(text, r.notUTF8(text))
		return nil
	}
	place, at := 1, 0 // the character that begins at byte at
	to := func(character int) int {
		for ; place < character && at < len(text); place++ {
			_, n := utf8.DecodeRune(text[at:])
			at += n
		}
		return at
	}
	cells := make([][2]int, len(r.opts.Layout))
	for i, c := range r.opts.Layout {
		first := to(c.First)
		cells[i] = [2]int{first, to(c.Last + 1)}
	}
	if len(bytes.TrimSpace(text[at:])) > 0 {
		r.reject(text, fmt.Sprintf("something stands behind character %d, where the layout ends", r.opts.Layout[len(r.opts.Layout)-1].Last))
		return nil
	}
	for i, c := range cells {
		r.builder.Cell(i, bytes.Trim(text[c[0]:c[1]], " "))
	}
	return r.builder.Close(r.lines.Line())
}

func (r *Reader) reject(text []byte, reason string) {
	r.rejects++
	if r.opts.Reject != nil {
		r.opts.Reject(record.NewReject(r.lines.Line(), reason, text))
	}
}
