// Package spreadsheet reads records from workbooks of Office Open XML (.xlsx), one sheet, row by row.
//
// A row names the columns: the first that is not empty, unless another is stated. Its cells from the first to the last
// that is not empty are the columns; rows below it are the records, and empty rows are passed over. A cell is the text that
// says what it means:
//
//	text          as it is
//	a number      in plain digits, with as many behind the point as its format shows at least; digits beyond the fifteen
//	              that spreadsheets reckon with, which are the noise of binary fractions, are left off
//	a date        YYYY-MM-DD, with THH:MM:SS behind it where there is a time of day; a time alone HH:MM:SS
//	true, false   those words
//	a formula     what it came to when the workbook was saved; a formula that has not been reckoned makes its row a reject
//	an error      its name, such as #N/A
//
// A row with a cell outside the named columns is rejected. A record's line is its row in the sheet. Of a merged area the first cell
// holds the value and the others are blank, unless they are to be filled with it.
//
// The reader is our own because cells are streamed with their formats: the sheet may be of any size, and only the texts
// that cells share are held in memory, up to a limit.
package spreadsheet

import (
	"bytes"
	"cmp"
	"encoding/xml"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/record"
	"twinsieve/formats/lines"
)

// Options are how to read a workbook.
type Options struct {
	Sheet     string              // name of the sheet; "": the first that is not hidden
	HeaderRow int                 // row that names the columns; 0: the first that is not empty
	Headers   int                 // rows, beginning with that one, whose cells together name a column; 0: one
	NoHeader  bool                // no row names the columns: they are called "column 1" and so on
	Fill      bool                // every cell of a merged area holds what its first cell holds; the others are blank where not
	Footers   []string            // a row whose first cell begins with one of these is a footer, neither a record nor a reject: see [lines.Begins]
	Footer    func(int64, string) // called for each footer with its row and its cells; may be nil
	Reject    func(record.Reject) // called for each rejected row; may be nil
}

// Reader reads records from a sheet.
type Reader struct {
	opts    Options
	book    *workbook
	sheet   sheetRef
	in      io.ReadCloser
	count   *counted
	marks   *marks
	columns []string
	first   int // column of the sheet, counted from 0, with which the columns begin
	header  int64
	builder *record.Builder
	rejects int64

	merges  *merges // nil where no merged area is filled
	areas   int64   // merged areas that end below the names of the columns, counted behind the last row
	row     int64
	cells   []cell // of the row being read, in the order of the sheet
	text    []byte // of the cells
	pending bool   // the row being read is a record already
}

type cell struct {
	column     int
	start, end int
	fault      string
	inline     bool // it has a text of its own
}

// Is tells a workbook, or another archive, from a file's first bytes; so do old and protected workbooks, to be refused.
func Is(head []byte) bool {
	return bytes.HasPrefix(head, []byte("PK\x03\x04")) || bytes.HasPrefix(head, []byte("\xD0\xCF\x11\xE0"))
}

// NewReader begins to read a workbook: it reads the row that names the columns. The reader is to be closed.
func NewReader(source io.ReaderAt, size int64, opts Options) (*Reader, error) {
	book, err := openWorkbook(source, size)
	if err != nil {
		return nil, err
	}
	r := &Reader{opts: opts, book: book, sheet: book.sheets[0]}
	if at := slices.IndexFunc(book.sheets, func(s sheetRef) bool { return !s.hidden }); at > 0 {
		r.sheet = book.sheets[at]
	}
	if opts.Sheet != "" {
		if r.sheet, err = book.named(opts.Sheet); err != nil {
			return nil, err
		}
	}
	if r.in, err = r.sheet.file.Open(); err != nil {
		return nil, damaged(r.sheet.file.Name, err)
	}
	r.count = &counted{in: r.in, sheet: r.sheet.name}
	r.marks = newMarks(r.count)
	if opts.Fill || opts.Headers > 1 {
		if r.merges, err = readMerges(r.sheet); err != nil {
			_ = r.in.Close()
			return nil, err
		}
	}
	if err := r.begin(); err != nil {
		_ = r.in.Close()
		return nil, err
	}
	return r, nil
}

func (w *workbook) named(name string) (sheetRef, error) {
	var names []string
	for _, s := range w.sheets {
		if s.name == name {
			return s, nil
		}
		names = append(names, fmt.Sprintf("%q", s.name))
	}
	return sheetRef{}, &record.Unreadable{What: fmt.Sprintf("the workbook has no sheet %q; it has %s", name, strings.Join(names, ", "))}
}

// Sheets are the names of the workbook's sheets, in their order.
func (r *Reader) Sheets() (names []string) {
	for _, s := range r.book.sheets {
		names = append(names, s.name)
	}
	return names
}

// Hidden reports for each sheet, in their order, whether it is hidden.
func (r *Reader) Hidden() (hidden []bool) {
	for _, s := range r.book.sheets {
		hidden = append(hidden, s.hidden)
	}
	return hidden
}

// Sheet is the name of the sheet that is read.
func (r *Reader) Sheet() string { return r.sheet.name }

// HeaderRow is the row that names the columns, 0 where none does.
func (r *Reader) HeaderRow() int64 { return r.header }

// Merged is the number of merged areas with records in them whose cells but the first were read as blank. It is known when all rows
// have been read.
func (r *Reader) Merged() int64 {
	if r.opts.Fill {
		return 0
	}
	return r.areas
}

// Columns are the names of the columns.
func (r *Reader) Columns() []string { return r.columns }

// Rejects is the number of rows rejected so far.
func (r *Reader) Rejects() int64 { return r.rejects }

// Bytes is about how many bytes of the file have been used so far, reckoned by the unpacked sheet.
func (r *Reader) Bytes() int64 {
	f := r.sheet.file
	return int64(float64(r.count.read) * float64(f.CompressedSize64) / float64(max(f.UncompressedSize64, 1)))
}

// Close gives back what the reader holds. It does not close the source.
func (r *Reader) Close() error { return r.in.Close() }

// counted counts what has been unpacked of a sheet, and refuses a sheet that unpacks without end.
type counted struct {
	in    io.Reader
	sheet string
	read  int64
}

// mostSheet is the most that a sheet may unpack to: what a million rows of many cells need.
const mostSheet = 16 << 30

func (c *counted) Read(p []byte) (int, error) {
	n, err := c.in.Read(p)
	if c.read += int64(n); c.read > mostSheet {
		return 0, &record.Unreadable{What: fmt.Sprintf("the sheet %q unpacks to more than %d GiB; save it as delimited text instead", c.sheet, mostSheet>>30)}
	}
	return n, err
}

func (r *Reader) begin() error {
	for {
		err := r.readRow()
		if err == io.EOF {
			if r.opts.HeaderRow > 0 {
				return &record.Unreadable{What: fmt.Sprintf("the sheet %q ends before row %d, which is said to name the columns", r.sheet.name, r.opts.HeaderRow)}
			}
			return &record.Unreadable{What: fmt.Sprintf("the sheet %q is empty", r.sheet.name)}
		}
		if err != nil {
			return err
		}
		if r.row < int64(r.opts.HeaderRow) || r.empty() {
			continue
		}
		if r.opts.HeaderRow > 0 && r.row > int64(r.opts.HeaderRow) {
			return &record.Unreadable{What: fmt.Sprintf("row %d of the sheet %q is empty and names no columns", r.opts.HeaderRow, r.sheet.name)}
		}
		break
	}
	if err := r.beginColumns(); err != nil {
		return err
	}
	if !r.opts.Fill {
		r.merges = nil
	}
	return nil
}

// beginColumns takes the columns from the row just read, and their names from it and those below it that name them, too.
func (r *Reader) beginColumns() error {
	last := 0
	for i, c := range r.cells {
		if c.fault != "" {
			return &record.Unreadable{Place: "cell " + r.name(c), What: c.fault}
		}
		if c.start < c.end {
			last = i
		}
	}
	for r.cells[0].start == r.cells[0].end {
		r.cells, last = r.cells[1:], last-1
	}
	r.first = r.cells[0].column
	if n := r.cells[last].column - r.first + 1; n > record.MaxColumns {
		return &record.Unreadable{Line: r.row, What: fmt.Sprintf("%d columns stand here; a record set has at most %d", n, record.MaxColumns)}
	}
	names := make([]string, r.cells[last].column-r.first+1)
	if r.opts.NoHeader {
		r.pending = true
	} else {
		r.header = r.row
		for _, c := range r.cells[:last+1] {
			names[c.column-r.first] = string(r.text[c.start:c.end])
		}
		var err error
		if names, err = r.furtherNames(names); err != nil {
			return err
		}
	}
	columns, err := record.CheckColumns(names, 0)
	if own, ok := err.(*record.Unreadable); ok {
		own.Place = fmt.Sprintf("row %d of the sheet %q", r.row, r.sheet.name)
	}
	r.columns, r.builder = columns, record.NewBuilder(len(columns))
	return err
}

// furtherNames puts the cells of further rows that name the columns behind the names that the first has given them. A name that stands
// in several rows, as in a merged area, counts once.
func (r *Reader) furtherNames(names []string) ([]string, error) {
	last := slices.Clone(names) // part of each name
	for n := 1; n < r.opts.Headers; n++ {
		if err := r.readRow(); err == io.EOF || err == nil && r.row > r.header+int64(n) {
			return nil, &record.Unreadable{What: fmt.Sprintf("row %d of the sheet %q is empty and names no columns; fewer rows name them, or others", r.header+int64(n), r.sheet.name)}
		} else if err != nil {
			return nil, err
		}
		for _, c := range r.cells {
			at, text := c.column-r.first, string(r.text[c.start:c.end])
			if c.fault != "" || text != "" && at < 0 {
				return nil, &record.Unreadable{Place: "cell " + r.name(c), What: cmp.Or(c.fault, "it stands left of the first column that the rows above name")}
			}
			if text == "" {
				continue
			}
			for at >= len(names) && at < record.MaxColumns {
				names, last = append(names, ""), append(last, "")
			}
			if at < len(names) && last[at] != text {
				names[at], last[at] = strings.TrimSpace(names[at]+" "+text), text
			}
		}
	}
	return names, nil
}

// empty reports whether nothing stands in the row. A text that is written in its cell is something, even if it is empty.
func (r *Reader) empty() bool {
	for _, c := range r.cells {
		if c.start < c.end || c.fault != "" || c.inline {
			return false
		}
	}
	return true
}

// name is what spreadsheets call a cell of the row being read, such as C7.
func (r *Reader) name(c cell) string {
	letters := ""
	for n := c.column + 1; n > 0; n = (n - 1) / 26 {
		letters = string(rune('A'+(n-1)%26)) + letters
	}
	return letters + strconv.FormatInt(r.row, 10)
}

// Next implements [record.Reader].
func (r *Reader) Next() (*record.Batch, error) {
	for {
		if !r.pending {
			err := r.readRow()
			if err == io.EOF {
				return r.builder.Last()
			}
			if err != nil {
				return nil, err
			}
		}
		r.pending = false
		if r.empty() || r.footer() {
			continue
		}
		if b := r.take(); b != nil {
			return b, nil
		}
	}
}

// line is the row's cells as one text, for people.
func (r *Reader) line() string {
	var texts []string
	for _, c := range r.cells {
		texts = append(texts, string(r.text[c.start:c.end]))
	}
	return record.Cut([]byte(strings.Join(texts, "\t")))
}

func (r *Reader) footer() bool {
	if first := r.cells[0]; !lines.Begins(r.text[first.start:first.end], r.opts.Footers) {
		return false
	}
	if r.opts.Footer != nil {
		r.opts.Footer(r.row, r.line())
	}
	return true
}

func (r *Reader) take() *record.Batch {
	for _, c := range r.cells {
		reason := c.fault
		if reason == "" && c.start < c.end && (c.column < r.first || c.column >= r.first+len(r.columns)) {
			reason = "it stands outside the named columns"
		}
		if reason != "" {
			r.rejects++
			if r.opts.Reject != nil {
				r.opts.Reject(record.Reject{Line: r.row, Reason: fmt.Sprintf("cell %s: %s", r.name(c), reason), Text: r.line()})
			}
			return nil
		}
	}
	next := 0
	for _, c := range r.cells {
		at := c.column - r.first
		if at < next || at >= len(r.columns) {
			continue
		}
		for ; next < at; next++ {
			r.builder.Cell(next, nil)
		}
		r.builder.Cell(at, r.text[c.start:c.end])
		next = at + 1
	}
	for ; next < len(r.columns); next++ {
		r.builder.Cell(next, nil)
	}
	return r.builder.Close(r.row)
}

// readRow reads the next row of the sheet into r.cells, or returns io.EOF.
func (r *Reader) readRow() error {
	for {
		token, err := r.marks.next()
		if err == io.EOF {
			return io.EOF
		}
		if err != nil {
			return damaged(r.sheet.file.Name, err)
		}
		start, ok := token.(xml.StartElement)
		if ok && start.Name.Local == "mergeCell" {
			if a, ok := areaOf(attribute(start, "ref")); ok && a.bottom > r.header+int64(max(r.opts.Headers-1, 0)) {
				r.areas++
			}
		}
		if !ok || start.Name.Local != "row" {
			continue
		}
		r.row++
		if n, err := strconv.ParseInt(attribute(start, "r"), 10, 64); err == nil && n >= r.row {
			r.row = n
		}
		r.cells, r.text = r.cells[:0], r.text[:0]
		if err := r.readCells(); err != nil {
			return damaged(r.sheet.file.Name, err)
		}
		if r.merges != nil {
			columns := record.MaxColumns
			if r.columns != nil {
				columns = r.first + len(r.columns)
			}
			if err := r.merges.fill(r, columns); err != nil {
				return err
			}
		}
		return nil
	}
}

func attribute(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (r *Reader) readCells() error {
	column := -1
	for {
		token, err := r.marks.next()
		if err != nil {
			return err
		}
		switch t := token.(type) {
		case xml.EndElement:
			if t.Name.Local == "row" {
				return nil
			}
		case xml.StartElement:
			if t.Name.Local != "c" {
				continue
			}
			column++
			if at, ok := columnOf(attribute(t, "r")); ok {
				if at < column {
					return fmt.Errorf("the cells of row %d are out of order", r.row)
				}
				column = at
			}
			if len(r.cells) > record.MaxColumns || len(r.text) > record.MaxRecordBytes {
				return &record.Unreadable{Line: r.row, What: "the row is longer than a record can be"}
			}
			c := cell{column: column, start: len(r.text), inline: attribute(t, "t") == "inlineStr"}
			if c.fault, err = r.readCell(t); err != nil {
				return err
			}
			c.end = len(r.text)
			r.cells = append(r.cells, c)
		}
	}
}

// columnOf is the column, counted from 0, of a cell's name such as C7.
func columnOf(name string) (int, bool) {
	n := 0
	for _, c := range name {
		if c < 'A' || c > 'Z' || n > 1<<20 {
			break
		}
		n = n*26 + int(c-'A') + 1
	}
	return n - 1, n > 0
}

// readCell appends the text of a cell to r.text, or says why it has none.
func (r *Reader) readCell(start xml.StartElement) (fault string, err error) {
	var value []byte
	formula := false
	in := "" // the element that text belongs to
	phonetic := 0
	for {
		token, err := r.marks.next()
		if err != nil {
			return "", err
		}
		switch t := token.(type) {
		case xml.StartElement:
			switch t.Name.Local {
			case "f":
				formula = true
				in = ""
			case "v":
				in = "v"
			case "t":
				if phonetic == 0 {
					in = "t"
				}
			case "rPh":
				phonetic++
			}
		case xml.CharData:
			switch in {
			case "v":
				value = append(value, t...)
			case "t":
				value = append(value, unescape(t)...)
			}
		case xml.EndElement:
			switch t.Name.Local {
			case "rPh":
				phonetic--
			case "c":
				if formula && len(value) == 0 && attribute(start, "t") != "str" {
					return "its formula has not been reckoned; open the workbook and save it again", nil
				}
				return r.mean(start, value), nil
			}
			in = ""
		}
	}
}

// mean appends what a cell's stored value means.
func (r *Reader) mean(start xml.StartElement, value []byte) (fault string) {
	switch attribute(start, "t") {
	case "s":
		n, err := strconv.Atoi(string(value))
		text, ok := r.book.texts.at(n)
		if err != nil || !ok {
			return "it refers to a text that the workbook does not have"
		}
		r.text = append(r.text, text...)
	case "b":
		r.text = strconv.AppendBool(r.text, string(value) == "1" || string(value) == "true")
	case "str":
		r.text = append(r.text, unescape(value)...)
	case "inlineStr", "e": // of which the text has been put together already
		r.text = append(r.text, value...)
	case "d": // an ISO 8601 date
		r.text = append(r.text, bytes.TrimSuffix(value, []byte("T00:00:00"))...)
	default:
		if len(value) == 0 {
			return ""
		}
		var f numberFormat
		if n, err := strconv.Atoi(attribute(start, "s")); err == nil && n >= 0 && n < len(r.book.formats) {
			f = r.book.formats[n]
		}
		text, err := r.book.write(r.text, value, f)
		if err != nil {
			return err.Error()
		}
		r.text = text
	}
	return ""
}
