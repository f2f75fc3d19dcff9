package outform

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"twinsieve/core/record"
)

const (
	sheetName   = "records"
	sheetRows   = 1_048_576
	sheetDigits = 15 // that a number has in a spreadsheet
)

type spreadsheetWriter struct {
	out     io.Writer
	book    *excelize.File
	stream  *excelize.StreamWriter
	columns []Column
	styles  map[int]int // of numbers, by digits behind the point
	row     int
	cells   []any
}

func newSpreadsheet(w io.Writer, columns []Column, opts Options) (Writer, error) {
	s := &spreadsheetWriter{out: w, book: excelize.NewFile(), columns: columns, styles: map[int]int{}}
	if err := s.begin(opts.Stated); err != nil {
		_ = s.book.Close()
		return nil, err
	}
	return s, nil
}

func (s *spreadsheetWriter) begin(stated [][2]string) (err error) {
	if len(stated) > 0 {
		var lines []string
		for _, one := range stated {
			lines = append(lines, one[0]+": "+one[1])
		}
		if err := s.book.SetDocProps(&excelize.DocProperties{Description: strings.Join(lines, "\n")}); err != nil {
			return err
		}
	}
	if len(s.columns) > excelize.MaxColumns {
		return fmt.Errorf("a sheet has at most %d columns; choose another format for %d", excelize.MaxColumns, len(s.columns))
	}
	if err = s.book.SetSheetName("Sheet1", sheetName); err != nil {
		return err
	}
	if s.stream, err = s.book.NewStreamWriter(sheetName); err != nil {
		return err
	}
	if err := s.stream.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	bold, err := s.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	for i, c := range s.columns {
		if err := s.stream.SetColWidth(i+1, i+1, float64(min(max(len(c.Name)+2, 12), 40))); err != nil {
			return err
		}
		s.cells = append(s.cells, excelize.Cell{StyleID: bold, Value: c.Name})
	}
	s.row = 1
	return s.stream.SetRow("A1", s.cells)
}

// style is that of numbers with so many digits behind the point.
func (s *spreadsheetWriter) style(behind int) (int, error) {
	if id, ok := s.styles[behind]; ok || behind == 0 {
		return id, nil
	}
	code := "0." + strings.Repeat("0", behind)
	id, err := s.book.NewStyle(&excelize.Style{CustomNumFmt: &code})
	s.styles[behind] = id
	return id, err
}

// Write writes a row. A text is stored as text, whatever it begins with.
func (s *spreadsheetWriter) Write(cells []record.Cell) error {
	if s.row++; s.row > sheetRows {
		return fmt.Errorf("a sheet has at most %d rows; choose another format, such as csv, for more records", sheetRows)
	}
	for i, c := range cells {
		s.cells[i] = nil
		if c.Text == "" {
			continue
		}
		if len([]rune(c.Text)) > excelize.TotalCellChars {
			return fmt.Errorf("row %d, column %q: a cell of a sheet holds at most %d characters; choose another format, such as csv", s.row, s.columns[i].Name, excelize.TotalCellChars)
		}
		significant, behind, number := plainNumber(c.Text)
		if !number || !s.columns[i].Number || significant > sheetDigits {
			s.cells[i] = c.Text
			continue
		}
		style, err := s.style(behind)
		if err != nil {
			return err
		}
		v, err := strconv.ParseFloat(c.Text, 64)
		if err != nil {
			return err
		}
		s.cells[i] = excelize.Cell{StyleID: style, Value: v}
	}
	return s.stream.SetRow("A"+strconv.Itoa(s.row), s.cells)
}

func (s *spreadsheetWriter) Close() (err error) {
	defer func() {
		if closed := s.book.Close(); err == nil {
			err = closed
		}
	}()
	if err := s.stream.Flush(); err != nil {
		return err
	}
	return s.book.Write(s.out)
}
