package spreadsheet

import (
	"archive/zip"
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// What a sheet holds at most.
const (
	MostRows       = 1_048_576
	MostColumns    = 16_384
	MostCharacters = 32_767 // of a cell, in units of UTF-16
	MostDigits     = 15     // of a number
)

// Writer writes a workbook, one sheet after another, straight to where it goes. Its errors are those of that place; after one, nothing more
// can be written.
type Writer struct {
	zip     *zip.Writer
	sheets  []string
	open    *SheetWriter
	styles  map[string]int // by the format of their numbers
	formats []string
	says    string
}

// NewWriter begins a workbook.
func NewWriter(out io.Writer) *Writer {
	return &Writer{zip: zip.NewWriter(out), styles: map[string]int{}}
}

// Describe sets what the workbook says of itself among its properties.
func (w *Writer) Describe(text string) { w.says = text }

// Heading names a column of a sheet.
type Heading struct {
	Name  string
	Width float64 // in characters
}

// The styles that every workbook has: plain cells, and bold ones for the names of columns.
const (
	plainStyle = iota
	boldStyle
	firstFormat = 164 // what own number formats are counted from
)

// format is the style of numbers of a format, such as "0.00".
func (w *Writer) format(code string) int {
	id, known := w.styles[code]
	if !known {
		id = boldStyle + 1 + len(w.formats)
		w.styles[code], w.formats = id, append(w.formats, code)
	}
	return id
}

// Value is what is written into a cell. Without anything, the cell is left out.
type Value struct {
	Text   string // a text; where there is a format, a number in plain form
	Format string // of a number: "0.00"
	Blank  bool   // an empty text, which is a cell all the same
}

// Date is a day as a number, in a format of dates. Days before March 1900 are texts, for spreadsheets count them otherwise.
func Date(day time.Time) Value {
	start := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	days := int(day.Sub(start).Hours() / 24)
	if days < 61 {
		return Value{Text: day.Format(time.DateOnly)}
	}
	return Value{Text: strconv.Itoa(days), Format: "yyyy\\-mm\\-dd"}
}

// SheetWriter writes the rows of a sheet.
type SheetWriter struct {
	book     *Writer
	out      *bufio.Writer
	headings []Heading
	row      int
	names    []string // of the columns: A, B and so on
}

// Sheet ends the sheet before, and begins one with a row that names its columns, which stays in view. Its name has to be one that sheets can
// have, and that no other has.
func (w *Writer) Sheet(name string, headings []Heading) (*SheetWriter, error) {
	if len(headings) > MostColumns {
		return nil, fmt.Errorf("a sheet has at most %d columns; choose another format for %d", MostColumns, len(headings))
	}
	if err := w.end(); err != nil {
		return nil, err
	}
	w.sheets = append(w.sheets, name)
	part, err := w.zip.Create(fmt.Sprintf("xl/worksheets/sheet%d.xml", len(w.sheets)))
	if err != nil {
		return nil, err
	}
	s := &SheetWriter{book: w, out: bufio.NewWriterSize(part, 64<<10), headings: headings}
	w.open = s
	fmt.Fprintf(s.out, `%s<worksheet xmlns="%s"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews>`, xml.Header, mainSpace)
	if len(headings) > 0 {
		fmt.Fprint(s.out, "<cols>")
		for i, h := range headings {
			fmt.Fprintf(s.out, `<col min="%d" max="%d" width="%g" customWidth="1"/>`, i+1, i+1, h.Width)
		}
		fmt.Fprint(s.out, "</cols>")
	}
	fmt.Fprint(s.out, "<sheetData>")
	s.begin()
	for i, h := range headings {
		s.names = append(s.names, columnName(i))
		if err := s.cell(i, Value{Text: h.Name}, boldStyle); err != nil {
			return nil, err
		}
	}
	return s, s.finish()
}

// columnName is what spreadsheets call a column, counted from 0.
func columnName(i int) (name string) {
	for i++; i > 0; i = (i - 1) / 26 {
		name = string(rune('A'+(i-1)%26)) + name
	}
	return name
}

// Row writes a row. One that a sheet cannot hold is not written at all.
func (s *SheetWriter) Row(values []Value) error {
	if s.row >= MostRows {
		return fmt.Errorf("a sheet has at most %d rows; choose another format, such as csv, for more", MostRows)
	}
	for i, v := range values {
		if n := units(v.Text); n > MostCharacters {
			return fmt.Errorf("row %d, column %q: the cell has %d characters, as spreadsheets count them, and a cell of a sheet holds at most %d; choose another format, such as csv", s.row+1, s.headings[i].Name, n, MostCharacters)
		}
	}
	s.begin()
	for i, v := range values {
		style := plainStyle
		if v.Format != "" {
			style = s.book.format(v.Format)
		}
		if err := s.cell(i, v, style); err != nil {
			return err
		}
	}
	return s.finish()
}

func (s *SheetWriter) begin() {
	s.row++
	fmt.Fprintf(s.out, `<row r="%d">`, s.row)
}

func (s *SheetWriter) finish() error {
	_, err := s.out.WriteString("</row>") // errors stay with the buffer until then
	return err
}

func (s *SheetWriter) cell(i int, v Value, style int) error {
	if v.Text == "" && !v.Blank {
		return nil
	}
	_, _ = s.out.WriteString(`<c r="`)
	_, _ = s.out.WriteString(s.names[i])
	_, _ = s.out.WriteString(strconv.Itoa(s.row))
	if style != plainStyle {
		_, _ = s.out.WriteString(`" s="`)
		_, _ = s.out.WriteString(strconv.Itoa(style))
	}
	if v.Format != "" {
		_, _ = s.out.WriteString(`"><v>`)
		_, _ = s.out.WriteString(v.Text)
		_, err := s.out.WriteString(`</v></c>`)
		return err
	}
	_, _ = s.out.WriteString(`" t="inlineStr"><is><t xml:space="preserve">`)
	writeText(s.out, v.Text)
	_, err := s.out.WriteString(`</t></is></c>`)
	return err
}

// units is how many units of UTF-16 a text has.
func units(text string) (n int) {
	if len(text) <= MostCharacters { // of which there are not more than bytes
		return len(text)
	}
	for _, c := range text {
		if n++; c > 0xFFFF {
			n++
		}
	}
	return n
}

// writeText writes a text so that it is read as it is: what XML cannot hold, and what would be taken for an escape, is escaped.
func writeText(out *bufio.Writer, text string) {
	for i := 0; i < len(text); {
		c, size := utf8.DecodeRuneInString(text[i:])
		switch {
		case c == '&':
			_, _ = out.WriteString("&amp;")
		case c == '<':
			_, _ = out.WriteString("&lt;")
		case c == '>':
			_, _ = out.WriteString("&gt;")
		case c < ' ' && c != '\t' && c != '\n', c == 0xFFFE, c == 0xFFFF:
			fmt.Fprintf(out, "_x%04X_", c)
		case c == '_' && isEscape(text[i:]):
			_, _ = out.WriteString("_x005F_")
		default:
			_, _ = out.WriteString(text[i : i+size])
		}
		i += size
	}
}

// isEscape reports whether a text would be taken for one that begins with an escape.
func isEscape(text string) bool {
	_, ok := escaped([]byte(text[:min(len(text), escapedSize)]))
	return ok
}

// end ends the sheet that is being written.
func (w *Writer) end() error {
	if w.open == nil {
		return nil
	}
	_, _ = w.open.out.WriteString("</sheetData></worksheet>")
	err := w.open.out.Flush()
	w.open = nil
	return err
}

const (
	mainSpace      = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
	relationSpace  = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	packageSpace   = "http://schemas.openxmlformats.org/package/2006/"
	contentPrefix  = "application/vnd.openxmlformats-officedocument.spreadsheetml."
	coreProperties = "application/vnd.openxmlformats-package.core-properties+xml"
)

// Close writes what is left of the workbook. It does not close what is written to.
func (w *Writer) Close() error {
	if err := w.end(); err != nil {
		return err
	}
	var types, sheets, relations, formats, cells strings.Builder
	for i, name := range w.sheets {
		fmt.Fprintf(&types, `<Override PartName="/xl/worksheets/sheet%d.xml" ContentType="%sworksheet+xml"/>`, i+1, contentPrefix)
		fmt.Fprintf(&sheets, `<sheet name="%s" sheetId="%d" r:id="r%d"/>`, attributeText(name), i+1, i+1)
		fmt.Fprintf(&relations, `<Relationship Id="r%d" Type="%s/worksheet" Target="worksheets/sheet%d.xml"/>`, i+1, relationSpace, i+1)
	}
	for i, code := range w.formats {
		fmt.Fprintf(&formats, `<numFmt numFmtId="%d" formatCode="%s"/>`, firstFormat+i, attributeText(code))
		fmt.Fprintf(&cells, `<xf numFmtId="%d" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/>`, firstFormat+i)
	}
	if formats.Len() > 0 {
		text := formats.String()
		formats.Reset()
		fmt.Fprintf(&formats, `<numFmts count="%d">%s</numFmts>`, len(w.formats), text)
	}
	for _, part := range []struct{ name, text string }{
		{"[Content_Types].xml", `<Types xmlns="` + packageSpace + `content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="` + contentPrefix + `sheet.main+xml"/><Override PartName="/xl/styles.xml" ContentType="` + contentPrefix + `styles+xml"/><Override PartName="/docProps/core.xml" ContentType="` + coreProperties + `"/>` + types.String() + `</Types>`},
		{"_rels/.rels", `<Relationships xmlns="` + packageSpace + `relationships"><Relationship Id="r1" Type="` + relationSpace + `/officeDocument" Target="xl/workbook.xml"/><Relationship Id="r2" Type="` + packageSpace + `relationships/metadata/core-properties" Target="docProps/core.xml"/></Relationships>`},
		{"docProps/core.xml", `<cp:coreProperties xmlns:cp="` + packageSpace + `metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:description>` + attributeText(w.says) + `</dc:description></cp:coreProperties>`},
		{"xl/workbook.xml", `<workbook xmlns="` + mainSpace + `" xmlns:r="` + relationSpace + `"><sheets>` + sheets.String() + `</sheets></workbook>`},
		{"xl/_rels/workbook.xml.rels", `<Relationships xmlns="` + packageSpace + `relationships">` + relations.String() + `<Relationship Id="styles" Type="` + relationSpace + `/styles" Target="styles.xml"/></Relationships>`},
		{"xl/styles.xml", `<styleSheet xmlns="` + mainSpace + `">` + formats.String() + `<fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills><borders count="1"><border/></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs><cellXfs count="` + strconv.Itoa(2+len(w.formats)) + `"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/><xf numFmtId="0" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1"/>` + cells.String() + `</cellXfs><cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>`},
	} {
		out, err := w.zip.Create(part.name)
		if err != nil {
			return err
		}
		if _, err := io.WriteString(out, xml.Header+part.text); err != nil {
			return err
		}
	}
	return w.zip.Close()
}

// attributeText is a text as it stands in an attribute or between tags.
func attributeText(text string) string {
	var out strings.Builder
	_ = xml.EscapeText(&out, []byte(text))
	return out.String()
}
