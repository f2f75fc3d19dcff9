package outform

import (
	"io"
	"strings"

	"twinsieve/core/record"
	"twinsieve/formats/spreadsheet"
)

// sheetName is that of the one sheet.
const sheetName = "records"

type spreadsheetWriter struct {
	book    *spreadsheet.Writer
	sheet   *spreadsheet.SheetWriter
	columns []Column
	formats map[int]string // of numbers, by digits behind the point
	values  []spreadsheet.Value
}

func newSpreadsheet(w io.Writer, columns []Column, opts Options) (Writer, error) {
	s := &spreadsheetWriter{book: spreadsheet.NewWriter(w), columns: columns, formats: map[int]string{}, values: make([]spreadsheet.Value, len(columns))}
	var stated []string
	for _, one := range opts.Stated {
		stated = append(stated, one[0]+": "+one[1])
	}
	s.book.Describe(strings.Join(stated, "\n"))
	var headings []spreadsheet.Heading
	for _, c := range columns {
		headings = append(headings, spreadsheet.Heading{Name: c.Name, Width: float64(min(max(len(c.Name)+2, 12), 40))})
	}
	var err error
	s.sheet, err = s.book.Sheet(sheetName, headings)
	return s, err
}

// format is that of numbers with so many digits behind the point.
func (s *spreadsheetWriter) format(behind int) string {
	if behind == 0 {
		return "0"
	}
	if s.formats[behind] == "" {
		s.formats[behind] = "0." + strings.Repeat("0", behind)
	}
	return s.formats[behind]
}

// Write writes a row. A text is stored as text, whatever it begins with. Of a row with nothing in it, the first cell is an empty text, so that
// it is read as a row again.
func (s *spreadsheetWriter) Write(cells []record.Cell) error {
	filled := false
	for i, c := range cells {
		s.values[i] = spreadsheet.Value{Text: c.Text}
		filled = filled || c.Text != ""
		if significant, behind, number := plainNumber(c.Text); number && s.columns[i].Number && significant <= spreadsheet.MostDigits {
			s.values[i].Format = s.format(behind)
		}
	}
	if !filled && len(cells) > 0 {
		s.values[0].Blank = true
	}
	return s.sheet.Row(s.values)
}

func (s *spreadsheetWriter) Close() error { return s.book.Close() }
