package paper

import (
	"io"
	"strings"
	"time"

	"twinsieve/formats/spreadsheet"
)

// Field is a column of a workbook's sheet.
type Field struct {
	Name   string
	Number bool // its cells are numbers in plain form, where they can be read
	Date   bool // its cells are days as YYYY-MM-DD, where they can be read
	Wide   float64
}

// Workbook is a workbook that is being written: first a summary and the balance, then a sheet for each tray.
type Workbook struct{ book *spreadsheet.Writer }

// NewWorkbook begins a workbook with the summary and the balance of a document.
func NewWorkbook(out io.Writer, d *Document) (*Workbook, error) {
	b := &Workbook{spreadsheet.NewWriter(out)}
	return b, b.begin(d)
}

func (b *Workbook) begin(d *Document) error {
	s, err := b.Sheet("summary", []Field{{Name: "what", Wide: 30}, {Name: "is", Wide: 100}})
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
	s, err = b.Sheet("balance", []Field{{Name: "amount", Wide: 30}, {Name: "step", Wide: 24}, {Name: "change", Number: true, Wide: 18}, {Name: "closes", Wide: 26}})
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
	return nil
}

// Sheet is a sheet that is being written.
type Sheet struct {
	sheet  *spreadsheet.SheetWriter
	fields []Field
	values []spreadsheet.Value
}

// Sheet ends the sheet before, and begins one.
func (b *Workbook) Sheet(name string, fields []Field) (*Sheet, error) {
	var headings []spreadsheet.Heading
	for _, f := range fields {
		headings = append(headings, spreadsheet.Heading{Name: f.Name, Width: min(max(f.Wide, float64(len([]rune(f.Name)))+2, 9), 100)})
	}
	sheet, err := b.book.Sheet(name, headings)
	return &Sheet{sheet, fields, make([]spreadsheet.Value, len(fields))}, err
}

// Row writes a row. A text is stored as text, whatever it begins with.
func (s *Sheet) Row(texts []string) error {
	for i, text := range texts {
		s.values[i] = spreadsheet.Value{Text: text}
		switch f := s.fields[i]; {
		case f.Number:
			if places, ok := number(text); ok {
				s.values[i].Format = "#,##0"
				if places > 0 {
					s.values[i].Format += "." + strings.Repeat("0", places)
				}
			}
		case f.Date:
			if day, err := time.Parse(time.DateOnly, text); err == nil && day.Year() >= 1900 {
				s.values[i] = spreadsheet.Date(day)
			}
		}
	}
	return s.sheet.Row(s.values)
}

// number reports whether a text is a number in plain form of which a spreadsheet keeps all digits, and how many are behind the point.
func number(text string) (places int, ok bool) {
	whole, fraction, point := strings.Cut(strings.TrimPrefix(text, "-"), ".")
	if whole == "" || point && fraction == "" || strings.Trim(whole+fraction, "0123456789") != "" {
		return 0, false
	}
	return len(fraction), len(strings.TrimLeft(whole+fraction, "0")) <= spreadsheet.MostDigits
}

// Close writes what is left of the workbook.
func (b *Workbook) Close() error { return b.book.Close() }
