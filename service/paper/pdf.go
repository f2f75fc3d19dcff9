package paper

import (
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"github.com/go-fonts/dejavu/dejavusanscondensed"
	"github.com/go-fonts/dejavu/dejavusanscondensedbold"
	"github.com/go-pdf/fpdf"
)

// The measures of a page, A4 across, in millimetres.
const (
	margin   = 12.0
	pageWide = 297.0
	wide     = pageWide - 2*margin
	tall     = 210.0
	bottom   = 14.0
	line     = 4.2
)

// sheet is a PDF that is being written.
type sheet struct {
	*fpdf.Fpdf
	doc *Document
}

// PDF writes a document as a PDF of A4 pages, with its charts as vector graphics. Its letters are those of DejaVu Sans; characters that it
// does not have are shown as boxes.
func PDF(w io.Writer, d *Document) error {
	s := &sheet{fpdf.New("L", "mm", "A4", ""), d}
	s.AddUTF8FontFromBytes("sans", "", dejavusanscondensed.TTF)
	s.AddUTF8FontFromBytes("sans", "B", dejavusanscondensedbold.TTF)
	s.SetTitle(d.Title, true)
	s.SetCreator("Twin Sieve", true)
	s.SetMargins(margin, margin, margin)
	s.SetAutoPageBreak(false, bottom)
	s.SetFooterFunc(s.footer)
	s.AliasNbPages("")
	s.AddPage()
	s.head()
	s.trays()
	for _, b := range d.Balances {
		s.balance(b)
	}
	s.facts()
	for _, section := range d.Sections {
		s.section(section)
	}
	return s.Output(w)
}

func (s *sheet) footer() {
	s.SetY(tall - 9)
	s.font("", 7)
	s.dim()
	says := s.doc.Made + " · history " + s.doc.History
	if s.doc.Frozen {
		says += " · " + s.doc.Signed
	}
	s.CellFormat(wide-30, 4, cut(says, 170), "", 0, "L", false, 0, "")
	s.CellFormat(30, 4, fmt.Sprintf("page %d of {nb}", s.PageNo()), "", 0, "R", false, 0, "")
}

func (s *sheet) font(style string, size float64) { s.SetFont("sans", style, size) }
func (s *sheet) ink()                            { s.SetTextColor(0x14, 0x21, 0x1f) }
func (s *sheet) dim()                            { s.SetTextColor(0x5a, 0x68, 0x64) }

func (s *sheet) coloured(name string) {
	if c, ok := colours[name]; ok {
		s.SetTextColor(c[0], c[1], c[2])
	} else {
		s.ink()
	}
}

// room begins another page where less than so much is left of this one.
func (s *sheet) room(height float64) {
	if s.GetY()+height > tall-bottom {
		s.AddPage()
	}
}

// says writes a text, as many lines as it needs.
func (s *sheet) says(text, style string, size, height float64) {
	s.font(style, size)
	for _, part := range s.SplitText(text, wide) {
		s.room(height)
		s.CellFormat(wide, height, part, "", 1, "L", false, 0, "")
	}
}

func (s *sheet) title(text, small string) {
	s.room(20)
	s.Ln(3)
	s.ink()
	s.font("B", 9)
	s.CellFormat(s.GetStringWidth(text)+3, 5, text, "", 0, "L", false, 0, "")
	s.dim()
	s.font("", 8)
	s.CellFormat(0, 5, small, "", 1, "L", false, 0, "")
}

func (s *sheet) head() {
	s.ink()
	s.says(s.doc.Verdict, "B", 13, 6)
	s.dim()
	s.says(s.doc.Title, "", 8.5, 5)
	s.ink()
	s.Ln(1)
	style := ""
	if s.doc.Frozen {
		style = "B"
		s.SetDrawColor(colours["left"][0], colours["left"][1], colours["left"][2])
		s.SetLineWidth(0.5)
	} else {
		s.SetDrawColor(colours["line"][0], colours["line"][1], colours["line"][2])
		s.SetLineWidth(0.2)
	}
	s.font(style, 9)
	s.CellFormat(wide, 7, cut(s.doc.Signed, 190), "1", 1, "L", false, 0, "")
	s.SetLineWidth(0.2)
	if len(s.doc.Since) > 0 {
		var parts []string
		for _, f := range s.doc.Since {
			parts = append(parts, f.Text+" "+f.Name)
		}
		s.Ln(1)
		s.says(s.doc.SinceRun+":   "+strings.Join(parts, "   ·   "), "", 9, 5)
	}
}

func (s *sheet) trays() {
	s.title("Trays", "")
	columns := []Column{{Name: "tray"}, {Name: "left records", Side: "left", Number: true}, {Name: "right records", Side: "right", Number: true},
		{Name: "left amount", Side: "left", Number: true}, {Name: "right amount", Side: "right", Number: true}, {Name: "lines", Number: true}}
	var rows [][]string
	for _, t := range s.doc.Trays {
		rows = append(rows, []string{t.Name, t.Records[0], t.Records[1], t.Amounts[0], t.Amounts[1], t.Lines})
	}
	s.table(columns, rows)
}

func (s *sheet) balance(b Balance) {
	const high = 46.0
	s.room(high + 12)
	s.title("From the left total to the right total", aside(b))
	left, top := s.GetX(), s.GetY()
	drawn := bridgeOf(b, wide, high, 6, 6)
	if !math.IsNaN(drawn.Zero) {
		c := colours["line"]
		s.SetDrawColor(c[0], c[1], c[2])
		s.Line(left, top+drawn.Zero, left+wide, top+drawn.Zero)
	}
	list := drawn.Bars
	for i, one := range list {
		c := colours[one.Fill]
		s.SetFillColor(c[0], c[1], c[2])
		s.Rect(left+one.X, top+one.Y, one.Width, one.Height, "F")
		if i < len(list)-1 {
			s.SetDrawColor(colours["grey"][0], colours["grey"][1], colours["grey"][2])
			s.SetDashPattern([]float64{0.6, 0.6}, 0)
			s.Line(left+one.X+one.Width, top+one.Next, left+list[i+1].X, top+one.Next)
			s.SetDashPattern([]float64{}, 0)
		}
		s.font("", 7)
		s.ink()
		s.SetXY(left+one.X-5, top+one.Y-4.5)
		s.CellFormat(one.Width+10, 4, one.Text, "", 0, "C", false, 0, "")
		s.dim()
		s.SetXY(left+one.X-5, top+high-4)
		s.CellFormat(one.Width+10, 4, cut(one.Label, 20), "", 0, "C", false, 0, "")
	}
	s.SetXY(left, top+high+1)
}

func (s *sheet) facts() {
	s.title("What was compared", "")
	for _, f := range s.doc.Facts {
		s.font("", 8)
		parts := s.SplitText(f.Text, wide-50)
		for i, part := range parts {
			s.room(line)
			name := ""
			if i == 0 {
				name = f.Name
			}
			s.dim()
			s.CellFormat(50, line, name, "", 0, "L", false, 0, "")
			s.ink()
			s.CellFormat(wide-50, line, part, "", 1, "L", false, 0, "")
		}
	}
	for _, note := range s.doc.Notes {
		s.ink()
		s.says(note, "", 8, line)
	}
}

func (s *sheet) section(one Section) {
	small := Grouped(strconv.FormatInt(one.All, 10), 0)
	if n := one.Omitted(); n > 0 {
		small += ", of which " + Grouped(strconv.FormatInt(n, 10), 0) + " are not listed here"
	}
	s.title(one.Tray, small)
	if len(one.Rows) > 0 {
		s.table(one.Columns, one.Rows)
	}
}

// table writes a table whose head stands on every page that it goes over.
func (s *sheet) table(columns []Column, rows [][]string) {
	s.font("", 7.5)
	widths := s.widths(columns, rows)
	head := func() {
		s.font("B", 7.5)
		s.SetDrawColor(0xc4, 0xca, 0xc1)
		for i, c := range columns {
			s.coloured(c.Side)
			s.CellFormat(widths[i], 5, s.fit(c.Name, widths[i]), "B", 0, align(c), false, 0, "")
		}
		s.Ln(5)
		s.font("", 7.5)
		s.ink()
	}
	s.room(12)
	head()
	for _, row := range rows {
		cells, most := make([][]string, len(row)), 1
		for i, text := range row {
			cells[i] = []string{s.fit(text, widths[i])}
			if columns[i].Wide {
				cells[i] = s.SplitText(text, widths[i]-1)
			}
			most = max(most, len(cells[i]))
		}
		if s.GetY()+float64(most)*line > tall-bottom {
			s.AddPage()
			head()
		}
		top := s.GetY()
		for n := range most {
			s.SetXY(margin, top+float64(n)*line)
			for i := range row {
				text, border := "", ""
				if n < len(cells[i]) {
					text = cells[i][n]
				}
				if n == most-1 {
					border = "B"
				}
				s.CellFormat(widths[i], line, text, border, 0, align(columns[i]), false, 0, "")
			}
		}
		s.SetXY(margin, top+float64(most)*line)
	}
}

func align(c Column) string {
	if c.Number {
		return "R"
	}
	return "L"
}

// widths shares the width of the page among the columns, by what stands in them.
func (s *sheet) widths(columns []Column, rows [][]string) []float64 {
	want, sum := make([]float64, len(columns)), 0.0
	for i, c := range columns {
		want[i] = s.GetStringWidth(c.Name)*1.12 + 3
		for n, row := range rows {
			if n == 200 {
				break
			}
			want[i] = max(want[i], min(s.GetStringWidth(row[i])+3, 70))
		}
		sum += want[i]
	}
	if sum > wide {
		for i := range want {
			want[i] *= wide / sum
		}
	}
	return want
}

// fit shortens a text to a width.
func (s *sheet) fit(text string, width float64) string {
	if s.GetStringWidth(text) <= width-1 {
		return text
	}
	runes := []rune(text)
	for len(runes) > 1 && s.GetStringWidth(string(runes)+"…") > width-1 {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}
