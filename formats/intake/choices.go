// Package intake reads record sets from files of every format that analysts have.
//
// How a file is read is a matter of [Choices]: its format, encoding, delimiter and so on. What is not chosen is found, and
// whatever was found without certainty is a [Guess], with the reason for it and what else it could be, so that a person can
// see and change it. The same file is read in the same way with the choices that [Source.Settled] gives. For the next file only what was
// stated is kept, and [Source.Differences] says what is found otherwise in it.
package intake

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/expression"
	"twinsieve/core/record"
	"twinsieve/core/typing"
	"twinsieve/formats/fixed"
	"twinsieve/formats/packing"
	"twinsieve/formats/textcode"
)

// The formats that are read.
const (
	Delimited   = "delimited"
	Fixed       = "fixed"
	JSON        = "json"
	NDJSON      = "ndjson"
	Spreadsheet = "xlsx"
	Parquet     = "parquet"
	Arrow       = "arrow"
)

// Formats are the formats that can be stated.
var Formats = []string{Delimited, Fixed, JSON, NDJSON, Spreadsheet, Parquet, Arrow}

// Names in headers.
const (
	HeaderFirst = "first" // the first line or row names the columns
	HeaderNone  = "none"  // none does: they are called "column 1" and so on
)

// What happens to lines with too few cells.
const (
	ShortReject = "reject"
	ShortFill   = "fill"
)

// What happens to records with bytes that are no text in the encoding.
const (
	BytesRefuse = "refuse" // the file is refused
	BytesReject = "reject"
)

// What the cells of a merged area hold but for its first.
const (
	MergedBlank = "blank"
	MergedFill  = "fill"
)

// MostHeaders is the most rows that together name the columns.
const MostHeaders = 10

// NotPacked and NoPointer say that there is none, where leaving it out would mean that it is to be found.
const (
	NotPacked = "none"
	NoPointer = "none"
)

// Choices say how a file is read. The zero value leaves everything to be found.
type Choices struct {
	Format       string            `json:"format,omitempty" enum:"delimited,fixed,json,ndjson,xlsx,parquet,arrow" description:"Format of the file; found where not stated."`
	Packing      string            `json:"packing,omitempty" enum:"none,gzip,zstd" description:"How the file is packed; found where not stated."`
	Encoding     string            `json:"encoding,omitempty" enum:"UTF-8,UTF-16LE,UTF-16BE,windows-1252,ISO-8859-15" description:"Encoding of a text; found where not stated."`
	Delimiter    string            `json:"delimiter,omitempty" description:"What divides the cells of delimited text, one character; found where not stated."`
	NoQuotes     bool              `json:"noQuotes,omitempty" description:"In delimited text, a double quote is a character like any other."`
	Header       string            `json:"header,omitempty" enum:"first,none" description:"Whether the first line or row names the columns; found where not stated."`
	HeaderRow    int               `json:"headerRow,omitempty" description:"Row of the sheet that names the columns; the first that is not empty where not stated."`
	Headers      int               `json:"headerRows,omitempty" description:"Rows of the sheet, one below another, whose cells together name the columns; one where not stated."`
	Merged       string            `json:"merged,omitempty" enum:"blank,fill" description:"What the cells of a merged area of a sheet hold but for the first: they are blank, which is the default, or filled with what the first holds."`
	SkipFirst    int               `json:"skipFirst,omitempty" description:"Lines before the text begins."`
	SkipLast     int               `json:"skipLast,omitempty" description:"Lines at the end that are no records."`
	Footers      []string          `json:"footers,omitzero" description:"A line that begins with one of these is a footer: neither a record nor a reject. Found where not stated; an empty list says that there are none."`
	ShortRows    string            `json:"shortRows,omitempty" enum:"reject,fill" description:"What happens to a line of delimited text with fewer cells than there are columns: it is rejected, which is the default, or filled with blanks."`
	InvalidBytes string            `json:"invalidBytes,omitempty" enum:"refuse,reject" description:"What happens to a record with bytes that are not UTF-8 in a text that is: the file is refused, which is the default, or the record is rejected."`
	Sheet        string            `json:"sheet,omitempty" description:"Sheet of a workbook; the first where not stated."`
	Pointer      string            `json:"pointer,omitempty" description:"JSON Pointer to the array of records; none says that the document is the array; found where not stated."`
	Layout       string            `json:"layout,omitempty" description:"Where the columns of fixed-width text stand, as in: call_no 1-8, service_date 9-18."`
	Types        map[string]string `json:"types,omitempty" description:"Types of columns that somebody has stated, as in: date DD/MM/YYYY. They are found where not stated, and change no cell."`
	Blanks       []string          `json:"blanks,omitempty" description:"Blank markers: a cell that is exactly one of these is blank."`

	Computed []expression.Column `json:"computed,omitempty" description:"Columns that are computed from the others and stand behind them."`
}

// Guess is a choice that was found rather than made.
type Guess struct {
	Choice string   `json:"choice" description:"Name of the choice."`
	Value  string   `json:"value"`
	Sure   bool     `json:"sure" description:"The file says it itself."`
	Why    string   `json:"why" description:"What speaks for it."`
	Others []string `json:"others" nullable:"false" description:"What else could be chosen."`
	Open   bool     `json:"open,omitempty" description:"Nothing in the file speaks for it: with another value it would be read in the same way."`
}

// ChoiceError is a choice that cannot be followed.
type ChoiceError struct {
	Choice string
	What   string
}

// Error implements error.
func (e *ChoiceError) Error() string { return e.Choice + ": " + e.What }

// mostSkipped is the most lines that can be left out at either end.
const mostSkipped = 10_000

// Check refuses choices that cannot be followed, whatever the file. The error is a [*ChoiceError].
func (c *Choices) Check() error {
	oneOf := func(choice, value string, allowed ...string) error {
		if value != "" && !slices.Contains(allowed, value) {
			return &ChoiceError{choice, fmt.Sprintf("%q is none of %s", value, strings.Join(allowed, ", "))}
		}
		return nil
	}
	if err := oneOf("format", c.Format, Formats...); err != nil {
		return err
	}
	if err := oneOf("packing", c.Packing, NotPacked, packing.Gzip, packing.Zstd); err != nil {
		return err
	}
	if err := oneOf("header", c.Header, HeaderFirst, HeaderNone); err != nil {
		return err
	}
	if err := oneOf("shortRows", c.ShortRows, ShortReject, ShortFill); err != nil {
		return err
	}
	if err := oneOf("invalidBytes", c.InvalidBytes, BytesRefuse, BytesReject); err != nil {
		return err
	}
	if err := oneOf("merged", c.Merged, MergedBlank, MergedFill); err != nil {
		return err
	}
	if c.Headers > 1 && c.Header == HeaderNone {
		return &ChoiceError{"headerRows", fmt.Sprintf("%d rows cannot name the columns where no row does; leave one of the two out", c.Headers)}
	}
	if c.Encoding != "" {
		name, err := textcode.Named(c.Encoding)
		if err != nil {
			return &ChoiceError{"encoding", err.Error()}
		}
		c.Encoding = name
	}
	if c.Delimiter != "" && (len(c.Delimiter) != 1 || strings.ContainsAny(c.Delimiter, "\n\r\"\x00")) {
		return &ChoiceError{"delimiter", fmt.Sprintf("%q is not one character; write one such as ; or | or a tab", c.Delimiter)}
	}
	for _, n := range []struct {
		choice string
		value  int
		most   int
	}{{"skipFirst", c.SkipFirst, mostSkipped}, {"skipLast", c.SkipLast, mostSkipped}, {"headerRow", c.HeaderRow, 1 << 20}, {"headerRows", c.Headers, MostHeaders}} {
		if n.value < 0 || n.value > n.most {
			return &ChoiceError{n.choice, fmt.Sprintf("%d is not between 0 and %d", n.value, n.most)}
		}
	}
	if c.Pointer != "" && c.Pointer != NoPointer && c.Pointer[0] != '/' {
		return &ChoiceError{"pointer", fmt.Sprintf("%q is no JSON Pointer; write one such as /data/records", c.Pointer)}
	}
	if c.Layout != "" {
		if _, err := fixed.ParseLayout(c.Layout); err != nil {
			return &ChoiceError{"layout", err.Error()}
		}
	} else if c.Format == Fixed {
		return &ChoiceError{"layout", "fixed-width text needs a layout, such as call_no 1-8, service_date 9-18"}
	}
	for column, text := range c.Types {
		if _, err := typing.Parse(text); err != nil {
			return &ChoiceError{"types", fmt.Sprintf("column %q: %s", column, err)}
		}
	}
	if slices.Contains(c.Footers, "") {
		return &ChoiceError{"footers", "a footer's beginning is empty, which every line begins with"}
	}
	return nil
}

// Say is the choices in one line, for people: "delimited, windows-1252, delimiter ;".
func (c *Choices) Say() string {
	say := []string{c.Format}
	if c.Format == "" { // of a database
		say[0] = "rows"
	}
	add := func(name, value string) {
		if value != "" {
			say = append(say, strings.TrimSpace(name+" "+value))
		}
	}
	if c.Packing != NotPacked {
		add("", c.Packing)
	}
	add("", c.Encoding)
	if c.Delimiter != "" {
		add("delimiter", delimiterName(c.Delimiter))
	}
	if c.Header == HeaderNone {
		add("", "no header")
	}
	add("sheet", c.Sheet)
	if c.HeaderRow > 0 {
		add("columns named in row", strconv.Itoa(c.HeaderRow))
	}
	if c.Headers > 1 {
		add("rows that name columns:", strconv.Itoa(c.Headers))
	}
	if c.Merged == MergedFill {
		add("", "merged cells filled")
	}
	if c.Pointer != NoPointer {
		add("records at", c.Pointer)
	}
	if c.SkipFirst > 0 {
		add("first lines left out:", strconv.Itoa(c.SkipFirst))
	}
	if c.SkipLast > 0 {
		add("last lines left out:", strconv.Itoa(c.SkipLast))
	}
	if len(c.Footers) > 0 {
		add("footers begin with", strings.Join(c.Footers, " or "))
	}
	if c.ShortRows == ShortFill {
		add("", "lines with too few cells filled with blanks")
	}
	if c.InvalidBytes == BytesReject {
		add("", "records with invalid bytes rejected")
	}
	if len(c.Blanks) > 0 {
		add("blank markers", strings.Join(c.Blanks, ", "))
	}
	for _, col := range c.Computed {
		add(col.Name, "= "+strings.Join(strings.Fields(col.Expression), " "))
	}
	return strings.Join(say, ", ")
}

func delimiterName(d string) string {
	if d == "\t" {
		return "tab"
	}
	return strconv.Quote(d)
}

// StatedTypes are the types that somebody has stated, by column.
func (c *Choices) StatedTypes() map[string]typing.Type {
	types := make(map[string]typing.Type, len(c.Types))
	for column, text := range c.Types {
		if t, err := typing.Parse(text); err == nil { // which Check has seen to
			types[column] = t
		}
	}
	return types
}

// Finders returns a finder of each column's type: of the one that was stated, where one was.
func (c *Choices) Finders(columns []string) []*typing.Finder {
	stated := c.StatedTypes()
	finders := make([]*typing.Finder, len(columns))
	for i, name := range columns {
		if t, ok := stated[name]; ok {
			finders[i] = typing.NewStated(t)
		} else {
			finders[i] = typing.NewFinder()
		}
	}
	return finders
}

// Footer is a line of a source that was recognised as a footer.
type Footer struct {
	Line   int64  `json:"line"`
	Text   string `json:"text"`
	Source string `json:"source,omitempty" description:"Label of the source of a stack that it is in."`
}

// Options are the circumstances under which a file is read.
type Options struct {
	Name        string              // of the file: its ending speaks for a format
	MostUnpack  int64               // bytes that a packed file may unpack to; 0: [UnpackLimit]
	Reject      func(record.Reject) // called for each reject; may be nil
	FootersKept int                 // footers that are kept with their text; 0: 100
	// EncodingWithin is how many bytes are looked at to find the encoding where they are nothing but ASCII; 0: [textcode.SampleMost]. With
	// less, a text may prove to be in another encoding only while it is read: its [record.Unreadable] then says so.
	EncodingWithin int64
	Stacked        bool // it is one of several sources, and choices may be about others: see [Choices.CheckStacked]
	Forgive        bool // computed columns that cannot be are left out, and told by [Source.Lost]
}

// UnpackLimit is what a packed file may unpack to where nothing else is said.
const UnpackLimit = 64 << 30
