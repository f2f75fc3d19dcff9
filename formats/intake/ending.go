package intake

import (
	"bytes"
	"fmt"
	"io"
	"iter"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"twinsieve/formats/delimited"
	"twinsieve/formats/fixed"
	"twinsieve/formats/lines"
	"twinsieve/formats/textcode"
)

// tailSize is how much of the end of a text is looked at to tell its trailer lines.
const tailSize = 64 << 10

// watchEnd lets the last lines of a text be looked at, which become known before they are read: at once where the end of the file can be
// read by itself, else while the text runs through the reader that is returned.
func (f *finder) watchEnd(text io.Reader) (io.Reader, error) {
	c := &f.settled
	f.trailer = &lines.Trailer{}
	if c.Packing != NotPacked || c.Encoding == textcode.UTF16LE || c.Encoding == textcode.UTF16BE || f.returns {
		return f.newEnding(text), nil
	}
	tail := make([]byte, min(f.size, tailSize))
	if _, err := f.file.ReadAt(tail, f.size-int64(len(tail))); err != nil && err != io.EOF {
		return nil, err
	}
	whole := int64(len(tail)) == f.size
	r, err := textcode.NewReader(bytes.NewReader(tail), c.Encoding)
	if err != nil {
		return nil, err
	}
	if tail, err = io.ReadAll(r); err != nil {
		return text, nil //nolint:nilerr // the reading comes to it, and says on which line it is
	}
	if !whole {
		_, tail, _ = bytes.Cut(tail, []byte{'\n'}) // what is left of a line
	}
	if !f.stated() && f.mayEnd(tail) {
		// Whether another line begins in the same way is known when all have been seen.
		_, _ = io.Copy(io.Discard, f.newEnding(text)) // where that fails, the reading will, too
		return f.decoded()
	}
	f.endsWith(tail, whole, 0, nil)
	return text, nil
}

// newEnding returns the text, whose end is looked at before it is given.
func (f *finder) newEnding(text io.Reader) *ending {
	e := &ending{source: text, known: f.endsWith, words: map[string]int{}}
	for _, w := range trailerWords {
		e.initials[w[0]], e.initials[w[0]-'a'+'A'] = true, true
	}
	return e
}

// stated reports whether somebody has said which lines are footers, or that none are.
func (f *finder) stated() bool { return f.settled.Footers != nil }

// mayEnd reports whether one of the last lines begins with a word of trailers.
func (f *finder) mayEnd(tail []byte) bool {
	last := lastLines(tail)
	return slices.ContainsFunc(last, func(l numbered) bool { return trailerWord(f.firstOf(l.text)) != "" })
}

// numbered is a record, as far as quotes tell which lines it has, or a line that is not empty.
type numbered struct {
	text string
	at   int64 // how many lines stand in front of it
}

// lastLines are the last lines of a text, as many as trailers can be.
func lastLines(text []byte) []numbered {
	all := linesOf(text)
	return all[max(0, len(all)-mostTrailers):]
}

func linesOf(text []byte) (all []numbered) {
	at := int64(0)
	for line := range bytes.Lines(text) {
		if line = bytes.TrimRight(line, "\r\n"); len(line) > 0 && utf8.Valid(line) {
			all = append(all, numbered{string(line), at})
		}
		at++
	}
	return all
}

// recordsOf puts lines together that are pieces of one record, by the quotes that are open between them. None is open where the text begins
// or, fromEnd, where it ends; a piece of a record is left out at the other end. Where quotes do not come out even, each line is a record.
func (f *finder) recordsOf(all []numbered, fromEnd bool) (records []numbered) {
	if f.settled.Format != Delimited || f.settled.NoQuotes {
		return all
	}
	quotes := 0
	for _, l := range all {
		quotes += strings.Count(l.text, `"`)
	}
	open := fromEnd && quotes%2 == 1
	begun := !open
	for _, l := range all {
		switch {
		case !open:
			records, begun = append(records, l), true
		case begun:
			records[len(records)-1].text += "\n" + l.text
		}
		open = open != (strings.Count(l.text, `"`)%2 == 1)
	}
	if open && len(records) > 0 { // it is cut at the end
		records = records[:len(records)-1]
	}
	return records
}

// endsWith looks at the end of the text. whole says that nothing stands before the tail, before how many lines do, and words how many lines
// of the whole text begin with each word of trailers; nil where none of the last lines does.
func (f *finder) endsWith(tail []byte, whole bool, before int64, words map[string]int) {
	c := &f.settled
	if whole {
		tail = bytes.TrimPrefix(tail, []byte("\ufeff"))
	}
	all, front := linesOf(tail), int64(f.before())
	if c.Format == Delimited && c.Header != HeaderNone {
		front++
	}
	others := newLikeness()
	if whole {
		all = slices.DeleteFunc(all, func(l numbered) bool { return l.at < front })
	} else { // the first lines may look otherwise than the last
		for _, l := range f.recordsOf(linesOf(f.text[:bytes.LastIndexByte(f.text, '\n')+1]), false) {
			if l.at >= front {
				others.add(f.cellsIn(l.text))
			}
		}
	}
	all = f.recordsOf(all, true)
	if len(all) == 0 {
		return
	}
	last := all[max(0, len(all)-mostTrailers):]
	for _, l := range all[:len(all)-len(last)] {
		others.add(f.cellsIn(l.text))
	}
	elsewhere := maps.Clone(words)
	if elsewhere == nil {
		elsewhere = map[string]int{}
	}
	var cells []iter.Seq[string]
	for _, l := range last {
		elsewhere[trailerWord(f.firstOf(l.text))]--
		cells = append(cells, f.cellsIn(l.text))
	}
	for w, n := range elsewhere {
		if n > 0 {
			others.words[w] = true
		}
	}
	trailers := 0
	if !f.stated() && words != nil {
		trailers = others.ending(cells)
	} else {
		for _, c := range cells[:len(cells)-1] {
			others.add(c)
		}
	}
	if line := last[len(last)-1]; trailers == 0 {
		if others.total(f.cellsIn(line.text)) && !lines.Begins(line.text, c.Footers) {
			f.suspect(0, line.text)
		}
		return
	}
	last = last[len(last)-trailers:]
	f.trailer.From = before + last[0].at + 1
	var begin []string
	for _, l := range last {
		begin = append(begin, beginning(f.firstOf(l.text)))
	}
	f.foundTrailers(last[0].text, begin)
}

// foundTrailers says how the trailer lines begin, of which the first is given. The choices that were settled name their words, for by them the
// text is read in the same way.
func (f *finder) foundTrailers(first string, words []string) {
	f.settled.Footers = words
	f.guess("footers", strings.Join(words, ", "), false, fmt.Sprintf("it begins with a word of trailers as no other line does, and has a shape that no record has: %.60s", first))
}

// cellsIn are the cells of a line of text; of fixed-width text, what stands at the places of the columns. A line that is not well formed is
// cut at its delimiters.
func (f *finder) cellsIn(line string) iter.Seq[string] {
	c := &f.settled
	if c.Format == Delimited {
		return slices.Values(delimited.Cells(line, c.Delimiter[0], c.NoQuotes))
	}
	var cells []string
	for _, l := range f.layout {
		cells = append(cells, strings.TrimSpace(fixed.Between(line, l.First, l.Last)))
	}
	for i, cell := range cells {
		if cell != "" {
			cells[i] = f.firstOf(line)
			break
		}
	}
	return slices.Values(cells)
}

// firstOf is the first cell of a line that is not blank. Where a trailer word of fixed-width text is longer than the column in which it
// begins, it is all that stands together.
func (f *finder) firstOf(line string) (first string) {
	c := &f.settled
	if c.Format == Delimited {
		for _, cell := range delimited.Cells(line, c.Delimiter[0], c.NoQuotes) {
			if first = strings.Trim(cell, "\" \t"); first != "" {
				break
			}
		}
		return first
	}
	for _, l := range f.layout {
		if first = strings.TrimSpace(fixed.Between(line, l.First, l.Last)); first != "" {
			break
		}
	}
	if together, _, _ := strings.Cut(strings.TrimSpace(line), " "); len(trailerWord(together)) > len(first) {
		return together
	}
	return first
}

// ending passes a text on, and looks at its end before it is given: it holds the last lines back until the source has ended.
type ending struct {
	source   io.Reader
	known    func(tail []byte, whole bool, before int64, words map[string]int)
	initials [256]bool      // bytes with which words of trailers begin
	words    map[string]int // those words, and how many lines begin with each

	buffer []byte // read and not yet given, from given on
	given  int
	looked int // up to where lines have been looked at: a line begins there
	lines  int64
	err    error // of the source, once it has ended
}

// Read implements io.Reader.
func (e *ending) Read(p []byte) (int, error) {
	for e.err == nil && len(e.buffer)-e.given <= tailSize+len(p) {
		e.fill()
	}
	free := len(e.buffer) - e.given
	if e.err == nil {
		free -= tailSize
	}
	if free == 0 {
		return 0, e.err
	}
	n := copy(p, e.buffer[e.given:e.given+free])
	e.given += n
	return n, nil
}

func (e *ending) fill() {
	if e.given > len(e.buffer)/2 {
		keep := min(e.given, e.looked)
		e.buffer = append(e.buffer[:0], e.buffer[keep:]...)
		e.given, e.looked = e.given-keep, e.looked-keep
	}
	e.buffer = slices.Grow(e.buffer, 64<<10)
	at := len(e.buffer)
	n, err := e.source.Read(e.buffer[at:cap(e.buffer)])
	e.buffer = e.buffer[:at+n]
	e.err = err
	e.look()
	if err == io.EOF {
		tail := e.buffer[max(e.given, len(e.buffer)-tailSize):]
		whole := e.lines-int64(bytes.Count(tail, []byte{'\n'})) == 0 && e.given == 0 && len(tail) == len(e.buffer)
		if !whole {
			_, tail, _ = bytes.Cut(tail, []byte{'\n'})
		}
		e.known(tail, whole, e.lines-int64(bytes.Count(tail, []byte{'\n'})), e.words)
	}
}

// look counts the lines that have come, and the words of trailers with which they begin.
func (e *ending) look() {
	for {
		n := bytes.IndexByte(e.buffer[e.looked:], '\n')
		if n < 0 && e.err == nil {
			return
		}
		line := e.buffer[e.looked:]
		if n >= 0 {
			line = line[:n]
		}
		for len(line) > 0 && strings.IndexByte("\" \t,;|", line[0]) >= 0 {
			line = line[1:]
		}
		if len(line) > 0 && e.initials[line[0]] {
			if w := trailerWord(string(line[:min(len(line), 39)])); w != "" {
				e.words[w]++
			}
		}
		if n < 0 {
			return
		}
		e.looked += n + 1
		e.lines++
	}
}
