package paper

import (
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// SheetRows is how many rows a sheet has at most, its head included.
const SheetRows = 1_048_576

// numberDigits is how many digits a number of a spreadsheet has.
const numberDigits = 15

// Field is a column of a workbook's sheet.
type Field struct {
	Name   string
	Number bool // its cells are numbers in plain form, where they can be read
	Date   bool // its cells are days as YYYY-MM-DD, where they can be read
	Wide   float64
}

// Workbook is a workbook that is being written: first a summary and the balance, then a sheet for each tray.
type Workbook struct {
	file   *excelize.File
	bold   int
	day    int
	styles map[int]int // of numbers, by places behind the point
}

// NewWorkbook begins a workbook with the summary and the balance of a document.
func NewWorkbook(d *Document) (*Workbook, error) {
	b := &Workbook{file: excelize.NewFile(), styles: map[int]int{}}
	if err := b.begin(d); err != nil {
		return nil, fmt.Errorf("the workbook: %w", err)
	}
	return b, nil
}

func (b *Workbook) begin(d *Document) (err error) {
	if b.bold, err = b.file.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}}); err != nil {
		return err
	}
	code := "yyyy-mm-dd"
	if b.day, err = b.file.NewStyle(&excelize.Style{CustomNumFmt: &code}); err != nil {
		return err
	}
	if err = b.file.SetSheetName("Sheet1", "summary"); err != nil {
		return err
	}
	s, err := b.sheet("summary", []Field{{Name: "what", Wide: 30}, {Name: "is", Wide: 100}})
	if err != nil {
		return err
	}
	facts := []Fact{{"verdict", d.Verdict}, {"report", d.Title}, {"signed", d.Signed}}
	for _, f := range d.Since {
		facts = append(facts, Fact{strings.ToLower(d.SinceRun) + ", " + f.Name, f.Text})
	}
	facts = append(append(facts, d.Facts...), Fact{"history", d.History}, Fact{"made", d.Made})
	for _, note := range d.Notes {
		facts = append(facts, Fact{"to be known", note})
	}
	for _, f := range facts {
		if err := s.Row([]string{f.Name, f.Text}); err != nil {
			return err
		}
	}
	if err := s.Close(); err != nil {
		return err
	}
	if _, err = b.file.NewSheet("balance"); err != nil {
		return err
	}
	s, err = b.sheet("balance", []Field{{Name: "amount", Wide: 30}, {Name: "step", Wide: 24}, {Name: "change", Number: true, Wide: 18}, {Name: "closes", Wide: 26}})
	if err != nil {
		return err
	}
	for _, balance := range d.Balances {
		for _, step := range balance.Steps {
			closes := ""
			if step.Total {
				closes = balance.Closes
			}
			if err := s.Row([]string{balance.Name, step.Label, step.Change, closes}); err != nil {
				return err
			}
		}
	}
	return s.Close()
}

// Sheet is a sheet that is being written.
type Sheet struct {
	book   *Workbook
	stream *excelize.StreamWriter
	fields []Field
	row    int
}

// Sheet begins a sheet.
func (b *Workbook) Sheet(name string, fields []Field) (*Sheet, error) {
	if _, err := b.file.NewSheet(name); err != nil {
		return nil, err
	}
	return b.sheet(name, fields)
}

func (b *Workbook) sheet(name string, fields []Field) (*Sheet, error) {
	if len(fields) > excelize.MaxColumns {
		return nil, fmt.Errorf("a sheet has at most %d columns; choose another format for %d", excelize.MaxColumns, len(fields))
	}
	stream, err := b.file.NewStreamWriter(name)
	if err != nil {
		return nil, err
	}
	s := &Sheet{book: b, stream: stream, fields: fields, row: 1}
	if err := stream.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return nil, err
	}
	var head []any
	for i, f := range fields {
		if err := stream.SetColWidth(i+1, i+1, min(max(f.Wide, float64(len([]rune(f.Name)))+2, 9), 100)); err != nil {
			return nil, err
		}
		head = append(head, excelize.Cell{StyleID: b.bold, Value: f.Name})
	}
	return s, stream.SetRow("A1", head)
}

// Row writes a row. A text is stored as text, whatever it begins with.
func (s *Sheet) Row(texts []string) error {
	if s.row++; s.row > SheetRows {
		return fmt.Errorf("a sheet has at most %d rows; choose another format, such as csv, for more", SheetRows)
	}
	cells := make([]any, len(texts))
	for i, text := range texts {
		if text == "" {
			continue
		}
		if len([]rune(text)) > excelize.TotalCellChars {
			return fmt.Errorf("column %q: a cell of a sheet holds at most %d characters; choose another format, such as csv", s.fields[i].Name, excelize.TotalCellChars)
		}
		cells[i] = text
		switch f := s.fields[i]; {
		case f.Number:
			if v, places, ok := number(text); ok {
				style, err := s.book.style(places)
				if err != nil {
					return err
				}
				cells[i] = excelize.Cell{StyleID: style, Value: v}
			}
		case f.Date:
			if day, err := time.Parse(time.DateOnly, text); err == nil && day.Year() >= 1900 {
				cells[i] = excelize.Cell{StyleID: s.book.day, Value: day}
			}
		}
	}
	return s.stream.SetRow("A"+strconv.Itoa(s.row), cells)
}

// Close ends the sheet.
func (s *Sheet) Close() error { return s.stream.Flush() }

func (b *Workbook) style(places int) (int, error) {
	if id, ok := b.styles[places]; ok {
		return id, nil
	}
	code := "#,##0"
	if places > 0 {
		code += "." + strings.Repeat("0", places)
	}
	id, err := b.file.NewStyle(&excelize.Style{CustomNumFmt: &code})
	b.styles[places] = id
	return id, err
}

// number reads a number in plain form, where a spreadsheet keeps all its digits.
func number(text string) (v float64, places int, ok bool) {
	digits := strings.TrimLeft(strings.NewReplacer("-", "", ".", "").Replace(text), "0")
	if len(digits) > numberDigits || strings.Trim(text, "-.0123456789") != "" {
		return 0, 0, false
	}
	if _, fraction, point := strings.Cut(text, "."); point {
		places = len(fraction)
	}
	v, err := strconv.ParseFloat(text, 64)
	return v, places, err == nil
}

// Write writes the workbook.
func (b *Workbook) Write(w io.Writer) error { return b.file.Write(w) }

// Close lets go of what the workbook needs.
func (b *Workbook) Close() error { return b.file.Close() }
