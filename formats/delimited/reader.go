// Package delimited reads and writes delimited text: one record a line, cells separated by a delimiter, as RFC 4180
// describes it for the comma.
//
// The first line that is not empty names the columns. A cell may stand in double quotes and may then hold delimiters,
// line ends and, doubled, quotes. Lines end with a line feed, with or without a carriage return before it. Text is UTF-8,
// with or without a byte-order mark. Cells are taken exactly as they stand.
//
// What happens to odd input:
//
//	a line with more or fewer cells than there are columns   the line is rejected, the rest is read; one with fewer is
//	                                                          filled with blanks where that is asked for
//	a quote inside a cell that is not quoted                  the line is rejected, the rest is read
//	anything but a delimiter after a closing quote            the line is rejected, the rest is read
//	an empty line                                             is passed over
//	a quote that is never closed                              an [record.Unreadable]: everything after it would be one cell
//	a NUL byte                                                an [record.Unreadable]
//	bytes that are not UTF-8                                  an [record.Unreadable], or the line is rejected where that is asked for
//	a record of more than 16 MiB                              an [record.Unreadable]
//	no line at all, or two columns of one name                an [record.Unreadable]
//
// The reader is our own because cells go straight into the buffers of Arrow arrays, without a string for each. A fuzz
// test holds it against encoding/csv.
package delimited

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"sync"
	"unicode/utf8"

	"twinsieve/core/record"
	"twinsieve/formats/lines"
)

// Options are how to read a text. The zero value finds the delimiter and takes the column names from the first line.
type Options struct {
	Delimiter byte                // 0: found from the first lines
	NoQuotes  bool                // a double quote is a character like any other
	NoHeader  bool                // no line names the columns: they are called "column 1" and so on
	Skip      int                 // lines before the text begins, whatever is in them
	Footers   []string            // a line that begins with one of these is a footer, neither a record nor a reject: see [lines.Begins]
	Trailer   *lines.Trailer      // the lines at the end that are footers, too
	Footer    func(int64, string) // called for each footer with its line number and text; may be nil
	FillShort bool                // a line with fewer cells than there are columns has blanks for the others, and is not rejected
	Reject    func(record.Reject) // called for each rejected line; nil: rejects are only counted

	RejectBytes bool // a record with bytes that are not UTF-8 is rejected; else the text is unreadable
}

// Reader reads records from delimited text.
type Reader struct {
	source    io.Reader
	opts      Options
	delimiter byte
	columns   []string
	builder   *record.Builder

	buffer     []byte
	spare      sync.Pool // of *record.Lines that nobody needs any more
	start, end int       // of what has been read and not yet used
	ended      bool      // the source has no more
	line       int64     // number of the line at start
	rejects    int64
	filled     int64
	bytes      int64

	ends    []int32      // of the cells of plain lines
	batches []batchPlace // where each batch stands
	open    batchPlace   // where the batch that is being built stands
	loose   bool         // it is made of lines that were given as such
	refused int          // how often in a row there were no lines to be given as such
	records int64
	cells   [][]byte // of the record being read
	used    int      // bytes of the record being read, with its line end
	unquote []byte   // where quoted cells with doubled quotes are put together
}

// NewReader begins to read a text: it reads the line that names the columns.
func NewReader(source io.Reader, opts Options) (*Reader, error) {
	r := &Reader{source: source, opts: opts, buffer: make([]byte, 256<<10), line: 1}
	for !r.ended && r.end < len(r.buffer)/2 { // enough to find the delimiter in
		if err := r.fill(); err != nil {
			return nil, err
		}
	}
	if bytes.HasPrefix(r.rest(), []byte("\xEF\xBB\xBF")) {
		r.start += 3
	}
	if err := r.skip(); err != nil {
		return nil, err
	}
	if r.delimiter = opts.Delimiter; r.delimiter == 0 {
		r.delimiter, _, _ = FindDelimiter(r.rest())
	}
	for {
		line := r.line
		reason, err := r.next()
		if err == io.EOF {
			return nil, &record.Unreadable{What: "the file is empty: not even a line that names the columns is there"}
		}
		if err != nil {
			return nil, err
		}
		if reason != "" {
			return nil, &record.Unreadable{Line: line, What: "the line that names the columns is not well formed: " + reason}
		}
		if r.cells != nil {
			return r, r.begin(line)
		}
	}
}

// begin names the columns after the line just read, or, where no line names them, by their numbers; that line is then
// the first record.
func (r *Reader) begin(line int64) error {
	names := make([]string, len(r.cells))
	if r.opts.NoHeader {
		r.start, r.line = r.start-r.used, line
	} else {
		for i, cell := range r.cells {
			names[i] = string(cell)
		}
	}
	var err error
	if r.columns, err = record.CheckColumns(names, line); err != nil {
		return err
	}
	r.builder = record.NewBuilder(len(r.columns))
	return nil
}

// skip passes over lines before the text begins.
func (r *Reader) skip() error {
	for n := 0; n < r.opts.Skip; {
		at := bytes.IndexByte(r.rest(), '\n')
		switch {
		case at >= 0:
			r.start += at + 1
			r.line++
			n++
		case r.ended:
			return &record.Unreadable{What: fmt.Sprintf("the file ends before line %d, with which the records are said to begin", r.opts.Skip+1)}
		default:
			if err := r.fill(); err != nil {
				return err
			}
		}
	}
	return nil
}

// Columns are the names of the columns. A column without a name is called "column" and its number.
func (r *Reader) Columns() []string { return r.columns }

// Delimiter is the delimiter stated or found.
func (r *Reader) Delimiter() byte { return r.delimiter }

// Rejects is the number of lines rejected so far.
func (r *Reader) Rejects() int64 { return r.rejects }

// Filled is the number of lines so far that had fewer cells than there are columns, and got blanks for the others.
func (r *Reader) Filled() int64 { return r.filled }

// Bytes is the number of bytes read from the source so far.
func (r *Reader) Bytes() int64 { return r.bytes }

// mostText is how much text a batch stands in at most, or one record more. It bounds what has to be read for one record of it.
const mostText = 32 << 20

// Only lets the reader keep these columns alone. Batches then have no array for the others; what is wrong with a line is found all
// the same.
func (r *Reader) Only(columns []int) { r.builder.Only(columns) }

// Recycle lets the reader use the memory of a batch that it gave and that nobody needs any more. Other goroutines may call it.
func (r *Reader) Recycle(b *record.Batch) { r.builder.Recycle(b) }

// Next returns the next batch of records, or io.EOF after the last. Errors about the text are of type *[record.Unreadable].
func (r *Reader) Next() (*record.Batch, error) {
	r.closeLines()
	r.begins()
	r.builder.Number(r.records)
	if r.refused > 0 {
		r.builder.Most(r.oddBatch())
	}
	for {
		line := r.line
		if batch, taken := r.plainLines(); taken {
			if batch = r.closed(batch); batch != nil {
				return batch, nil
			}
			continue
		}
		reason, err := r.next()
		switch {
		case err == io.EOF:
			batch := r.closed(r.builder.Flush())
			if batch == nil {
				return nil, io.EOF
			}
			return batch, nil
		case err != nil:
			return nil, err
		case reason == "" && r.cells == nil: // an empty line
			r.open.plain = false
			continue
		case r.footer(line):
			r.open.plain = false
			continue
		case reason == "" && len(r.cells) < len(r.columns) && r.opts.FillShort:
			r.open.plain = false
			r.filled++
			for len(r.cells) < len(r.columns) {
				r.cells = append(r.cells, []byte{})
			}
		case reason == "" && len(r.cells) != len(r.columns):
			reason = r.ragged(len(r.cells))
		}
		if reason != "" {
			r.open.plain = false
			r.reject(line, reason)
			continue
		}
		if text := r.buffer[r.start-r.used : r.start]; text[len(text)-1] != '\n' || bytes.IndexByte(text, '"') >= 0 {
			r.open.plain = false
		}
		if r.open.lines++; r.open.lines%noted == 1 {
			r.open.begins = append(r.open.begins, uint32(r.at()-int64(r.used)-r.open.at))
		}
		for c, cell := range r.cells {
			r.builder.Cell(c, cell)
		}
		if batch := r.closed(r.builder.Close(line)); batch != nil {
			return batch, nil
		}
	}
}

// begins notes where a batch begins.
func (r *Reader) begins() {
	r.open = batchPlace{place{at: r.at(), line: r.line, plain: true}, r.records}
}

// closed notes where a batch stands that is full, or stands in so much text that it is to be.
func (r *Reader) closed(batch *record.Batch) *record.Batch {
	if batch == nil && r.at()-r.open.at >= mostText {
		batch = r.builder.Flush()
	}
	if batch != nil {
		r.open.end = r.at()
		r.batches = append(r.batches, r.open)
		r.records += int64(batch.Records())
	}
	return batch
}

// at is how many bytes of the text have been used.
func (r *Reader) at() int64 { return r.bytes - int64(r.end-r.start) }

// footer keeps the record just read apart when it is a footer.
func (r *Reader) footer(line int64) bool {
	text := r.buffer[r.start-r.used : r.start]
	if !lines.Begins(text, r.opts.Footers) && !r.opts.Trailer.Has(line) {
		return false
	}
	if r.opts.Footer != nil {
		r.opts.Footer(line, string(bytes.TrimRight(text, "\r\n")))
	}
	return true
}

func (r *Reader) ragged(cells int) string {
	plural := "s"
	if cells == 1 {
		plural = ""
	}
	return fmt.Sprintf("%d cell%s where %d columns are named", cells, plural, len(r.columns))
}

func (r *Reader) reject(line int64, reason string) {
	r.rejects++
	if r.opts.Reject != nil {
		r.opts.Reject(record.NewReject(line, reason, r.buffer[r.start-r.used:r.start]))
	}
}

func (r *Reader) rest() []byte { return r.buffer[r.start:r.end] }

// scanned is how much text is looked through for plain lines at a time, so that it is still near when its cells are copied.
const scanned = 16 << 10

// plainLines takes the plain lines that come next, as many as there are at hand and as the batch has room for: the quick way,
// that nearly every line goes. It leaves every other line where it is.
func (r *Reader) plainLines() (batch *record.Batch, taken bool) {
	rest := r.rest()
	some := rest[:min(len(rest), scanned)]
	most := min(r.builder.Room(len(some)), scanned/len(r.columns))
	if len(r.ends) < scanned+step {
		r.ends = make([]int32, scanned+step)
	}
	ends, used, ascii := scan(some, r.delimiter, !r.opts.NoQuotes, len(r.columns), most, r.ends)
	ends, used = r.beforeFooter(some, ends, used)
	if len(ends) == 0 || !ascii && !utf8.Valid(some[:used]) {
		return nil, false
	}
	r.note(ends)
	r.builder.Plain(rest, ends, r.line)
	r.start += used
	r.line += int64(len(ends) / len(r.columns))
	return r.builder.Full(), true
}

// note notes where some of the lines begin whose cells end as given.
func (r *Reader) note(ends []int32) {
	columns, base := len(r.columns), uint32(r.at()-r.open.at)
	lines := len(ends) / columns
	for n := (noted - r.open.lines%noted) % noted; n < lines; n += noted {
		begin := base
		if n > 0 {
			begin += uint32(ends[n*columns-1]) + 1
		}
		r.open.begins = append(r.open.begins, begin)
	}
	r.open.lines += lines
}

// beforeFooter leaves out the first line that is a footer, and those behind it.
func (r *Reader) beforeFooter(text []byte, ends []int32, used int) ([]int32, int) {
	if most := r.opts.Trailer.Before(r.line, len(ends)/len(r.columns)); most*len(r.columns) < len(ends) {
		if ends, used = ends[:most*len(r.columns)], 0; most > 0 {
			used = int(ends[len(ends)-1]) + 1
		}
	}
	if len(r.opts.Footers) == 0 {
		return ends, used
	}
	used = 0
	for n := 0; n < len(ends); n += len(r.columns) {
		if lines.Begins(text[used:], r.opts.Footers) {
			return ends[:n], used
		}
		used = int(ends[n+len(r.columns)-1]) + 1
	}
	return ends, used
}

// fill reads more of the source behind what the buffer holds, making room first.
func (r *Reader) fill() error {
	if r.start > 0 {
		copy(r.buffer, r.buffer[r.start:r.end])
		r.end -= r.start
		r.start = 0
	}
	if r.end == len(r.buffer) {
		if len(r.buffer) >= record.MaxRecordBytes {
			return &record.Unreadable{Line: r.line, What: "a record of more than 16 MiB starts here; is this delimited text, and is every quote closed?"}
		}
		r.buffer = append(r.buffer, make([]byte, len(r.buffer))...)
	}
	n, err := io.ReadAtLeast(r.source, r.buffer[r.end:], 1)
	if at := bytes.IndexByte(r.buffer[r.end:r.end+n], 0); at >= 0 {
		line := r.line + int64(bytes.Count(r.buffer[r.start:r.end+at], []byte{'\n'}))
		return &record.Unreadable{Line: line, What: "a NUL byte stands here: this is binary data or another encoding, not UTF-8 text"}
	}
	r.end += n
	r.bytes += int64(n)
	switch err {
	case nil:
	case io.EOF:
		r.ended = true
	default:
		return err
	}
	return nil
}

// next reads the next record into r.cells, which stay valid until the next call; nil cells are an empty line. A reason
// says why the line is no record. At the end of the text the error is io.EOF.
func (r *Reader) next() (reason string, err error) {
	for {
		cells, used, lines, reason, complete := r.parse(r.rest())
		if !complete && !r.ended {
			if err := r.fill(); err != nil {
				return "", err
			}
			continue
		}
		if !complete {
			return "", &record.Unreadable{Line: r.line, What: "a quote is opened here and never closed; close it, or double it where it belongs to the text"}
		}
		if used == 0 {
			return "", io.EOF
		}
		if text := r.rest()[:used]; !utf8.Valid(text) {
			what := record.NotUTF8(r.cellWithBytes(cells), text)
			if !r.opts.RejectBytes || r.builder == nil {
				return "", &record.Unreadable{Line: r.line, What: what + record.MendUTF8, Misread: true}
			}
			reason = cmp.Or(reason, what)
		}
		r.start += used
		r.used = used
		r.line += int64(lines)
		r.cells = cells
		return reason, nil
	}
}

// cellWithBytes names the cell with bytes that are not UTF-8.
func (r *Reader) cellWithBytes(cells [][]byte) string {
	for i, cell := range cells {
		if i < len(r.columns) && !utf8.Valid(cell) {
			return fmt.Sprintf("column %q", r.columns[i])
		}
	}
	return "the line"
}

// parse takes one record from the start of text. complete is false where more text is needed to say what it is. used
// is the number of bytes that it takes with its line end, and lines the number of line ends among them.
func (r *Reader) parse(text []byte) (cells [][]byte, used, lines int, reason string, complete bool) {
	r.unquote = r.unquote[:0]
	if n := emptyLine(text); n > 0 && (r.ended || n < len(text) || text[n-1] == '\n') {
		return nil, n, 1, "", true
	}
	if len(text) == 0 {
		return nil, 0, 0, "", r.ended
	}
	cells = r.cells[:0]
	at := 0
	for {
		if !r.opts.NoQuotes && at < len(text) && text[at] == '"' {
			cell, next, ends, ok := r.quoted(text, at)
			lines += ends
			if !ok {
				return nil, 0, 0, "", false
			}
			if cells = append(cells, cell); len(cells) > record.MaxColumns {
				reason = fmt.Sprintf("more than %d cells", record.MaxColumns)
				break
			}
			at = next
			if n := lineEnd(text[at:], r.ended); n >= 0 {
				return cells, at + n, lines + 1, "", true
			}
			if text[at] != r.delimiter {
				reason = "text follows a closing quote"
				break
			}
			at++
			continue
		}
		n := bytes.IndexByte(text[at:], '\n')
		if n < 0 && !r.ended {
			return nil, 0, 0, "", false
		}
		line := text[at:]
		if n >= 0 {
			line = line[:n]
		}
		cell := line
		d := bytes.IndexByte(line, r.delimiter)
		if d >= 0 {
			cell = line[:d]
		} else if len(cell) > 0 && cell[len(cell)-1] == '\r' {
			cell = cell[:len(cell)-1]
		}
		if !r.opts.NoQuotes && bytes.IndexByte(cell, '"') >= 0 {
			reason = "a quote stands inside a cell that is not quoted"
			break
		}
		if cells = append(cells, cell); len(cells) > record.MaxColumns {
			reason = fmt.Sprintf("more than %d cells", record.MaxColumns)
			break
		}
		if d < 0 {
			used = at + len(line)
			if n >= 0 {
				used++
			}
			return cells, used, lines + 1, "", true
		}
		at += d + 1
	}
	// The rest of the line on which it went wrong goes with it.
	n := bytes.IndexByte(text[at:], '\n')
	if n < 0 {
		return nil, len(text), lines + 1, reason, r.ended
	}
	return nil, at + n + 1, lines + 1, reason, true
}

// emptyLine is the length of the line end that text starts with, or 0. A carriage return alone counts at the end.
func emptyLine(text []byte) int {
	switch {
	case len(text) > 0 && text[0] == '\n':
		return 1
	case len(text) > 1 && text[0] == '\r' && text[1] == '\n':
		return 2
	case len(text) == 1 && text[0] == '\r':
		return 1
	}
	return 0
}

// lineEnd is the length of the line end that text starts with: 0 at the end of everything, -1 where there is none.
func lineEnd(text []byte, ended bool) int {
	switch n := emptyLine(text); {
	case n > 0:
		return n
	case len(text) == 0 && ended:
		return 0
	}
	return -1
}

// quoted reads the quoted cell that starts at text[at]. It returns the place after its closing quote and the number of
// line ends inside it; ok is false where the text ends too early to say.
func (r *Reader) quoted(text []byte, at int) (cell []byte, next, lines int, ok bool) {
	from := at + 1
	start := len(r.unquote)
	doubled := false
	for i := from; ; {
		n := bytes.IndexByte(text[i:], '"')
		if n < 0 {
			return nil, 0, 0, false
		}
		i += n
		lines += bytes.Count(text[i-n:i], []byte{'\n'})
		if i+1 < len(text) && text[i+1] == '"' {
			r.unquote = append(r.unquote, text[from:i+1]...)
			doubled = true
			i += 2
			from = i
			continue
		}
		// What follows the quote decides; a carriage return does so only with the byte after it.
		if !r.ended && (i+1 >= len(text) || text[i+1] == '\r' && i+2 >= len(text)) {
			return nil, 0, 0, false
		}
		if !doubled {
			return text[from:i:i], i + 1, lines, true
		}
		r.unquote = append(r.unquote, text[from:i]...)
		return r.unquote[start:len(r.unquote):len(r.unquote)], i + 1, lines, true
	}
}
