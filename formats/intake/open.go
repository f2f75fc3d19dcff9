package intake

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"twinsieve/core/expression"
	"twinsieve/core/record"
	"twinsieve/formats/columnar"
	"twinsieve/formats/delimited"
	"twinsieve/formats/fixed"
	"twinsieve/formats/jsontext"
	"twinsieve/formats/lines"
	"twinsieve/formats/packing"
	"twinsieve/formats/spreadsheet"
	"twinsieve/formats/textcode"
)

// Source is a file that is being read.
type Source struct {
	reader    record.Reader
	settled   Choices
	guesses   []Guess
	options   Options
	book      *spreadsheet.Reader // of a workbook
	footers   []Footer
	footed    int64
	suspected *Footer   // a last record that looks like a total
	used      *position // of text: how much of the file has been read; nil for other formats
	last      *lines.HoldBack
	filling   *delimited.Reader // of delimited text
	again     *delimited.Reader // of text that is stored as it is read
	closers   []io.Closer

	stack     *stacked              // nil where this is no stack
	computing *expression.Computing // nil where nothing is computed
	lost      []Lost
}

// Open begins to read a file. The choices and everything else that is wrong with the file is a [*ChoiceError] or a
// [*record.Unreadable]. The source is to be closed, and the file after it.
func Open(file io.ReaderAt, size int64, choices Choices, opts Options) (*Source, error) {
	if err := choices.Check(); err != nil {
		return nil, err
	}
	if opts.MostUnpack == 0 {
		opts.MostUnpack = UnpackLimit
	}
	if opts.FootersKept == 0 {
		opts.FootersKept = 100
	}
	s := &Source{settled: choices, options: opts}
	f := &finder{Source: s, file: file, size: size}
	err := f.open()
	if err == nil {
		err = s.compute(choices.Computed, opts.Forgive)
	}
	if err != nil {
		_ = s.close() // what went wrong first is what counts
		return nil, err
	}
	return s, nil
}

// CheckTypes refuses stated types of columns that there are not. The error is a [*ChoiceError].
func (s *Source) CheckTypes() error {
	for column := range s.settled.Types {
		if !slices.Contains(s.Columns(), column) {
			return &ChoiceError{"types", fmt.Sprintf("there is no column %q; there are %s", column, strings.Join(s.Columns(), ", "))}
		}
	}
	return nil
}

// Columns are the names of the columns.
func (s *Source) Columns() []string { return s.reader.Columns() }

// Rejects is the number of rejects so far.
func (s *Source) Rejects() int64 { return s.reader.Rejects() }

// Bytes is about how many bytes of the file have been used so far.
func (s *Source) Bytes() int64 {
	if s.used != nil {
		return s.used.at
	}
	return s.reader.Bytes()
}

// Settled are the choices with everything that was found.
func (s *Source) Settled() Choices { return s.settled }

// Guesses are the choices that were found.
func (s *Source) Guesses() []Guess { return s.guesses }

// Sheets are the sheets of a workbook.
func (s *Source) Sheets() []string {
	if s.book == nil {
		return nil
	}
	return s.book.Sheets()
}

// Merged is the number of merged areas of a sheet with records in them whose cells but the first were read as blank. It is known when Next
// has returned io.EOF.
func (s *Source) Merged() (n int64) {
	if s.book != nil {
		n = s.book.Merged()
	}
	for _, p := range s.Parts() {
		n += p.Merged()
	}
	return n
}

// Footers are the first of the lines that were recognised as footers or left out at the end. They are all known when
// Next has returned io.EOF.
func (s *Source) Footers() []Footer {
	all := s.footers
	for _, p := range s.Parts() {
		for _, f := range p.Footers() {
			f.Source = p.Label
			all = append(all, f)
		}
	}
	return all
}

// FooterLines is the number of all such lines.
func (s *Source) FooterLines() int64 {
	n := s.footed
	for _, p := range s.Parts() {
		n += p.FooterLines()
	}
	return n
}

// Next implements [record.Reader].
func (s *Source) Next() (*record.Batch, error) {
	b, err := s.reader.Next()
	if err == io.EOF && s.last != nil {
		first, texts := s.last.Held()
		for i, text := range texts {
			s.footer(first+int64(i), text)
		}
		s.last = nil
	}
	if err != nil {
		return nil, err
	}
	return b, nil
}

func (s *Source) footer(line int64, text string) {
	s.footed++
	if len(s.footers) < s.options.FootersKept {
		s.footers = append(s.footers, Footer{Line: line, Text: record.Cut([]byte(text))})
	}
}

// suspect keeps a last record that looks like a total, and is taken as a record all the same.
func (s *Source) suspect(line int64, text string) {
	s.suspected = &Footer{Line: line, Text: record.Cut([]byte(text))}
}

// LikeTotals are the last records, one of each source at most, that look like a total and were taken as records all the same. They are all
// known when Next has returned io.EOF.
func (s *Source) LikeTotals() (all []Footer) {
	if s.suspected != nil {
		all = append(all, *s.suspected)
	}
	for _, p := range s.Parts() {
		for _, f := range p.LikeTotals() {
			f.Source = p.Label
			all = append(all, f)
		}
	}
	return all
}

// Filled is the number of lines that had fewer cells than there are columns, and got blanks for the others.
func (s *Source) Filled() (n int64) {
	if s.filling != nil {
		n = s.filling.Filled()
	}
	for _, p := range s.Parts() {
		n += p.Filled()
	}
	return n
}

// Close gives back what the source holds. It does not close the file.
func (s *Source) Close() error { return s.close() }

func (s *Source) close() error {
	var errs []error
	for _, c := range s.closers {
		errs = append(errs, c.Close())
	}
	s.closers = nil
	return errors.Join(errs...)
}

// position knows how far a file has been read.
type position struct {
	io.Reader
	at int64
}

func (p *position) Read(b []byte) (int, error) {
	n, err := p.Reader.Read(b)
	p.at += int64(n)
	return n, err
}

// finder finds what the choices leave open, and opens the reader.
type finder struct {
	*Source
	file    io.ReaderAt
	size    int64
	head    []byte         // the beginning of the file as it is stored
	text    []byte         // the beginning of the text in UTF-8
	trailer *lines.Trailer // of text
	returns bool           // lines end with a carriage return alone
	layout  fixed.Layout   // of fixed-width text
}

// headSize is how much of a text is looked at to find its delimiter and header.
const headSize = 64 << 10

func (f *finder) guess(choice, value string, sure bool, why string, others ...string) {
	left := []string{}
	for _, o := range others {
		if o != value {
			left = append(left, o)
		}
	}
	f.guesses = append(f.guesses, Guess{Choice: choice, Value: value, Sure: sure, Why: why, Others: left})
}

func (f *finder) open() error {
	f.head = make([]byte, headSize)
	n, err := f.file.ReadAt(f.head, 0)
	if err != nil && err != io.EOF {
		return err
	}
	if f.head = f.head[:n]; n == 0 {
		return &record.Unreadable{What: "the file is empty: not even a line that names the columns is there"}
	}
	if bytes.HasPrefix(f.head, []byte("SQLite format 3\x00")) {
		return &record.Unreadable{What: "this is an SQLite database, which is no file of records: put it into the folder that the service may read, make a connection to it, and load a table of it"}
	}
	c := &f.settled
	if c.Packing == "" {
		c.Packing = NotPacked
		if p := packing.Of(f.head); p != packing.None {
			c.Packing = p
			f.guess("packing", p, true, "the file says so itself", NotPacked, packing.Gzip, packing.Zstd)
		}
	}
	if c.Format == "" && c.Packing == NotPacked {
		f.findBinary()
	}
	switch c.Format {
	case Spreadsheet, Parquet, Arrow:
		if c.Packing != NotPacked {
			return &record.Unreadable{What: fmt.Sprintf("a %s file is read from place to place, which cannot be done while it is packed with %s; unpack it first", c.Format, c.Packing)}
		}
		if err := c.checkFitting(f.lenient()); err != nil {
			return err
		}
		return f.openBinary()
	}
	return f.openText()
}

// lenient reports whether choices that say nothing about the file are dropped rather than refused.
func (f *finder) lenient() bool { return f.options.Forgive || f.options.Stacked }

// findBinary finds the formats that a file's first bytes tell.
func (f *finder) findBinary() {
	format := ""
	switch {
	case spreadsheet.Is(f.head):
		format = Spreadsheet
	case columnar.IsParquet(f.head):
		format = Parquet
	case columnar.IsArrow(f.head):
		format = Arrow
	default:
		return
	}
	f.settled.Format = format
	f.guess("format", format, true, "the file says so itself", Formats...)
}

func (f *finder) openBinary() (err error) {
	c := &f.settled
	switch c.Format {
	case Parquet:
		f.reader, err = columnar.NewParquet(f.file, f.size, columnar.Options{Reject: f.options.Reject})
		f.watchLast(err)
	case Arrow:
		f.reader, err = columnar.NewArrow(f.file, f.size, columnar.Options{Reject: f.options.Reject})
		f.watchLast(err)
	default:
		var r *spreadsheet.Reader
		r, err = spreadsheet.NewReader(f.file, f.size, spreadsheet.Options{Sheet: c.Sheet, HeaderRow: c.HeaderRow, Headers: c.Headers, NoHeader: c.Header == HeaderNone,
			Fill: c.Merged == MergedFill, Footers: c.Footers, Footer: f.footer, Reject: f.options.Reject})
		if err != nil {
			return err
		}
		f.reader, f.book = r, r
		f.watchLast(nil)
		f.closers = append(f.closers, r)
		if c.Sheet == "" {
			c.Sheet = r.Sheet()
			f.guess("sheet", c.Sheet, len(r.Sheets()) == 1, firstOf(r), r.Sheets()...)
		}
		if c.Header == "" {
			c.Header = HeaderFirst
		}
		if c.HeaderRow == 0 && c.Header == HeaderFirst {
			c.HeaderRow = int(r.HeaderRow())
			f.guess("headerRow", fmt.Sprint(c.HeaderRow), false, "it is the first row that is not empty")
		}
	}
	return err
}

// firstOf says why a sheet was taken that nobody has named, and how much stands in each, for the first may be a cover.
func firstOf(r *spreadsheet.Reader) string {
	sheets, hidden := r.Sheets(), r.Hidden()
	if len(sheets) == 1 {
		return "it is the only one"
	}
	const most = 10 // sheets that are said
	var say []string
	for i, rows := range r.Rows() {
		name := sheets[i]
		if hidden[i] {
			name += " (hidden)"
		}
		switch {
		case i == most:
			say = append(say, fmt.Sprintf("and %d more", len(sheets)-most))
		case i > most:
		case rows < 0:
			say = append(say, name+" has not been counted")
		case rows == 1:
			say = append(say, name+" has 1 row")
		default:
			say = append(say, fmt.Sprintf("%s has %d rows", name, rows))
		}
	}
	first := "it is the first"
	if hidden[0] && r.Sheet() != sheets[0] {
		first = "it is the first that is not hidden"
	}
	return first + ": " + strings.Join(say, ", ")
}

// watchLast lets the last records of the reader be looked at, where it could be opened.
func (f *finder) watchLast(err error) {
	if err == nil {
		drop := f.settled.Footers == nil && slices.Contains(fitting[f.settled.Format], "footers")
		f.reader = &lastRecords{Reader: f.reader, drop: drop, found: f.foundTrailers, footer: f.footer, doubt: f.suspect, others: newLikeness()}
	}
}

// unpacked opens the file's text as it is stored, without its packing.
func (f *finder) unpacked() (io.Reader, error) {
	at := &position{Reader: io.NewSectionReader(f.file, 0, f.size)}
	kind := f.settled.Packing
	if kind == NotPacked {
		kind = packing.None
	}
	r, err := packing.NewReader(at, kind, f.options.MostUnpack)
	if err != nil {
		return nil, err
	}
	f.used = at
	f.closers = append(f.closers, r)
	return r, nil
}

// decoded opens the file's text in UTF-8.
func (f *finder) decoded() (io.Reader, error) {
	r, err := f.unpacked()
	if err != nil {
		return nil, err
	}
	text, err := textcode.NewReader(r, f.settled.Encoding)
	if f.returns && err == nil {
		text = exchanged{text}
	}
	return text, err
}

func (f *finder) findEncoding() error {
	text, err := f.unpacked()
	if err != nil {
		return err
	}
	found, err := textcode.Find(text, cmp.Or(f.options.EncodingWithin, textcode.SampleMost))
	if err != nil {
		return err
	}
	f.settled.Encoding = found.Name
	f.guess("encoding", found.Name, found.Sure, found.Why, textcode.Names...)
	f.guesses[len(f.guesses)-1].Open = found.Open
	return nil
}

// isText reports whether the beginning of a file is text: it has few control characters that texts do not have, and one in a hundred at most.
func isText(head []byte) bool {
	controls := 0
	for _, c := range head {
		if c < ' ' && !bytes.ContainsRune([]byte("\t\n\v\f\r\x1a\x1b"), rune(c)) {
			controls++
		}
	}
	return controls < 8 || controls*100 <= len(head)
}

func (f *finder) openText() error {
	c := &f.settled
	found := c.Encoding == ""
	if found {
		if err := f.findEncoding(); err != nil {
			return err
		}
	}
	text, err := f.decoded()
	if err != nil {
		return err
	}
	f.text = make([]byte, headSize)
	n, err := io.ReadFull(text, f.text)
	own := new(record.Unreadable)
	if bad := errors.As(err, &own); found && (bad && own.Line == 1 || !isText(f.text[:n])) {
		return &record.Unreadable{What: "it does not look like a text file, and is none of the other formats that are read; state its encoding if it is text all the same"}
	} else if bad {
		return err
	}
	f.text = bytes.TrimPrefix(f.text[:n], []byte("\xEF\xBB\xBF"))
	if bytes.IndexByte(f.text, '\r') >= 0 && bytes.IndexByte(f.text, '\n') < 0 {
		f.endWithReturns()
	}
	if c.Format == "" {
		f.findFormat()
	}
	if err := c.checkFitting(f.lenient()); err != nil {
		return err
	}
	switch c.Format {
	case JSON, NDJSON:
		err = f.openJSON()
	case Fixed:
		err = f.openFixed()
	default:
		err = f.openDelimited()
	}
	if f.returns && err == nil && c.Format != NDJSON && c.Format != JSON { // texts of JSON have neither as they are
		f.reader, f.again = exchangedBack{f.reader}, nil
	}
	return err
}

// endWithReturns reads the text as one whose lines end with a carriage return alone.
func (f *finder) endWithReturns() {
	f.returns = true
	exchange(f.text)
	if reject := f.options.Reject; reject != nil {
		f.options.Reject = func(r record.Reject) {
			text := []byte(r.Text)
			exchange(text)
			r.Text = string(text)
			reject(r)
		}
	}
	f.guess("line ends", "carriage return", false, "no line feed is in its beginning")
}

// findFormat finds the format of a text: JSON begins with a bracket, and most other texts are delimited.
func (f *finder) findFormat() {
	c := &f.settled
	text := bytes.TrimLeft(f.text, " \t\r\n")
	first, rest, _ := bytes.Cut(text, []byte{'\n'})
	first, rest = bytes.TrimSpace(first), bytes.TrimSpace(rest)
	ending := strings.ToLower(filepath.Ext(strings.TrimSuffix(strings.TrimSuffix(f.options.Name, ".gz"), ".zst")))
	switch {
	case c.Layout != "":
		c.Format = Fixed
		return
	case len(text) > 0 && text[0] == '{' && (ending == ".ndjson" || ending == ".jsonl"):
		c.Format = NDJSON
		f.guess("format", NDJSON, false, "the file's name ends so", Formats...)
	case len(text) > 0 && text[0] == '{' && bytes.HasSuffix(first, []byte{'}'}) && (len(rest) == 0 && ending != ".json" && len(jsontext.Arrays(bytes.NewReader(f.text))) == 0 || len(rest) > 0 && rest[0] == '{'):
		c.Format = NDJSON
		f.guess("format", NDJSON, false, "its lines begin with a brace", Formats...)
	case len(text) > 0 && (text[0] == '{' && ending != ".csv" || text[0] == '[' && (ending == ".json" || bytes.HasPrefix(bytes.TrimSpace(text[1:]), []byte{'{'}))):
		c.Format = JSON
		f.guess("format", JSON, false, "it begins with a bracket", Formats...)
	default:
		c.Format = Delimited
		f.guess("format", Delimited, false, "it is text", Formats...)
	}
}

func (f *finder) openJSON() (err error) {
	c := &f.settled
	if c.Format == JSON && c.Pointer == "" {
		if err := f.findArray(); err != nil {
			return err
		}
	}
	pointer := c.Pointer
	if pointer == NoPointer {
		pointer = ""
	}
	f.reader, err = jsontext.NewReader(f.decoded, jsontext.Options{Lines: c.Format == NDJSON, Pointer: pointer, Footers: c.Footers, Footer: f.footer, Reject: f.options.Reject, RejectBytes: c.InvalidBytes == BytesReject})
	f.watchLast(err)
	return err
}

// withoutLast opens the text without the lines that are left out at its end.
func (f *finder) withoutLast() (io.Reader, error) {
	text, err := f.decoded()
	if err != nil {
		return nil, err
	}
	if f.settled.SkipLast == 0 {
		return f.watchEnd(text)
	}
	f.last = lines.NewHoldBack(text, f.settled.SkipLast)
	return f.last, nil
}

func (f *finder) openFixed() error {
	c := &f.settled
	var err error
	if f.layout, err = fixed.ParseLayout(c.Layout); err != nil {
		return &ChoiceError{"layout", err.Error()}
	}
	stated := c.Footers
	text, err := f.withoutLast()
	if err != nil {
		return err
	}
	f.reader, err = fixed.NewReader(text, fixed.Options{Layout: f.layout, Skip: c.SkipFirst, Footers: stated, Trailer: f.trailer, Footer: f.footer, Reject: f.options.Reject, RejectBytes: c.InvalidBytes == BytesReject})
	return err
}

func (f *finder) openDelimited() error {
	c := &f.settled
	head := f.text
	for range f.before() {
		_, rest, found := bytes.Cut(head, []byte{'\n'})
		if !found {
			break
		}
		head = rest
	}
	if stated, told := statedDelimiter(f.text); told && c.Delimiter == "" {
		c.Delimiter = stated
		f.guess("delimiter", stated, true, "the text says it itself in its first line", strings.Split(delimited.Delimiters, "")...)
	}
	if c.Delimiter == "" {
		d, alike, of := delimited.FindDelimiter(head)
		c.Delimiter = string(d)
		why := fmt.Sprintf("%d of the first %d lines have as many cells with it as the first", alike, of)
		if alike == 0 {
			why = "no other divides the lines into cells, either"
		}
		f.guess("delimiter", c.Delimiter, false, why, strings.Split(delimited.Delimiters, "")...)
		f.guesses[len(f.guesses)-1].Open = alike == 0 && !bytes.ContainsAny(head, delimited.Delimiters)
	}
	if c.Header == "" {
		var why string
		c.Header, why = f.findHeader(head)
		f.guess("header", c.Header, false, why, HeaderFirst, HeaderNone)
	}
	stated := c.Footers
	text, err := f.withoutLast()
	if err != nil {
		return err
	}
	r, err := delimited.NewReader(text, delimited.Options{Delimiter: c.Delimiter[0], NoQuotes: c.NoQuotes, NoHeader: c.Header == HeaderNone, Skip: f.before(),
		Footers: stated, Trailer: f.trailer, Footer: f.footer, Reject: f.options.Reject, FillShort: c.ShortRows == ShortFill, RejectBytes: c.InvalidBytes == BytesReject})
	if err != nil {
		return err
	}
	f.filling = r
	if f.reader = r; c.Encoding == textcode.UTF8 && c.Packing == NotPacked && f.last == nil {
		f.again = r
	}
	return nil
}

// findHeader tells whether the first line names the columns: a line with a cell that is a number or a date does not.
func (f *finder) findHeader(head []byte) (string, string) {
	r, err := delimited.NewReader(bytes.NewReader(head[:bytes.LastIndexByte(head, '\n')+1]), delimited.Options{Delimiter: f.settled.Delimiter[0], NoQuotes: f.settled.NoQuotes})
	if err != nil {
		return HeaderFirst, "most files have one"
	}
	var years []int
	for i, name := range r.Columns() {
		switch {
		case isYear(name):
			years = append(years, i)
		case delimited.IsValue(name):
			return HeaderNone, fmt.Sprintf("the first line has %q, which is no name", name)
		}
	}
	if len(years) == 0 {
		return HeaderFirst, "no cell of the first line is a number or a date"
	}
	// A year names a column where others do not stand under it: "Account;2023;2024" over "Fees;1200;950".
	first := r.Columns()[years[0]]
	below, err := r.Next()
	if len(years) == len(r.Columns()) || err != nil {
		return HeaderNone, fmt.Sprintf("the first line has %q, which is no name", first)
	}
	for row := range min(below.Records(), 50) {
		for _, column := range years {
			if cell := below.Cells(row)[column]; isYear(cell.Text) {
				return HeaderNone, fmt.Sprintf("the first line has %q, and years stand under it", first)
			}
		}
	}
	return HeaderFirst, fmt.Sprintf("%q names a column: no year stands under it", first)
}

// before is how many lines stand before the one that names the columns, or before the first record: those that a person skips, or one that
// states the delimiter. That one is found again in every file, and is not kept as a line to skip.
func (f *finder) before() int {
	if _, told := statedDelimiter(f.text); told && f.settled.Format == Delimited {
		return max(f.settled.SkipFirst, 1)
	}
	return f.settled.SkipFirst
}

// statedDelimiter is the delimiter that a text states in its first line, as in "sep=;", which some programs write for spreadsheets.
func statedDelimiter(text []byte) (delimiter string, told bool) {
	line, _, _ := bytes.Cut(text, []byte{'\n'})
	rest, found := strings.CutPrefix(strings.TrimSuffix(string(line[:min(len(line), 8)]), "\r"), "sep=")
	if !found || len(rest) != 1 || !strings.Contains(";,|:^~ \t", rest) {
		return "", false
	}
	return rest, true
}

// isYear reports whether a text is a year of our time.
func isYear(text string) bool {
	return len(text) == 4 && text >= "1900" && text <= "2100" && strings.Trim(text, "0123456789") == ""
}
