package paper

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

func TestGrouped(t *testing.T) {
	for _, c := range []struct {
		plain string
		least int
		want  string
	}{
		{"", 2, ""}, {"0", 0, "0"}, {"0", 2, "0.00"}, {"7", 0, "7"}, {"999", 0, "999"}, {"1000", 0, "1,000"}, {"-1234567.5", 2, "−1,234,567.50"}, {"-12.345", 2, "−12.345"},
		{"9007199254740993", 0, "9,007,199,254,740,993"},
	} {
		if got := Grouped(c.plain, c.least); got != c.want {
			t.Errorf("%q with %d places: %q, want %q", c.plain, c.least, got, c.want)
		}
	}
}

// TestBars lays out balances: every bar lies within its frame, begins where the one before ends, and is as high as what it stands for.
func TestBars(t *testing.T) {
	const width, height, above, below = 1000.0, 200.0, 20.0, 30.0
	for name, changes := range map[string][]string{
		"usual": {"1000", "-100", "-50.5", "30", "879.5"}, "nothing moves": {"5", "5"}, "all zero": {"0", "0"}, "below zero": {"-100", "-50", "200", "50"}, "through zero": {"10", "-30", "25", "5"},
		"all below zero": {"-120", "10", "-110"}, "far below": {"-1000120", "20", "-1000100"}, "up from below": {"-50", "150", "100"}, "fractions": {"-0.75", "0.5", "-0.25"},
	} {
		b := Balance{}
		for i, c := range changes {
			b.Steps = append(b.Steps, Step{Label: "a step", Change: c, Total: i == 0 || i == len(changes)-1})
		}
		drawn := bridgeOf(b, width, height, above, below)
		list := drawn.Bars
		if len(list) != len(changes) {
			t.Fatalf("%s: %d bars", name, len(list))
		}
		// The total that is farther from zero has the higher bar, and those of one sign begin on one line.
		first, last := list[0], list[len(list)-1]
		a, _ := strconv.ParseFloat(changes[0], 64)
		z, _ := strconv.ParseFloat(changes[len(changes)-1], 64)
		if math.Abs(a) > math.Abs(z) != (first.Height > last.Height+0.01) {
			t.Errorf("%s: bars of %v and %v are %v and %v high", name, a, z, first.Height, last.Height)
		}
		if a < 0 && z < 0 && math.Abs(first.Y-last.Y) > 0.01 || a > 0 && z > 0 && math.Abs(first.Y+first.Height-last.Y-last.Height) > 0.01 {
			t.Errorf("%s: totals begin at %+v and %+v", name, first, last)
		}
		// A line at zero is there where bars are on both sides of it, and what does not begin at zero is said to be cut off.
		up, down := 0.0, 0.0
		for at, i := 0.0, 0; i < len(changes); i++ {
			n, _ := strconv.ParseFloat(changes[i], 64)
			if at += n; b.Steps[i].Total {
				at = n
			}
			up, down = max(up, at), min(down, at)
		}
		if through := up > 0 && down < 0; through && math.IsNaN(drawn.Zero) || drawn.Cut != "" && (through || !math.IsNaN(drawn.Zero)) {
			t.Errorf("%s: from %v to %v, a line at %v and %q", name, down, up, drawn.Zero, drawn.Cut)
		}
		if zero := drawn.Zero; !math.IsNaN(zero) && a < 0 && math.Abs(first.Y-zero) > 0.01 {
			t.Errorf("%s: the line of zero is at %v, and the total hangs from %v", name, zero, first.Y)
		}
		for i, one := range list {
			if one.X < 0 || one.X+one.Width > width || one.Y < above-0.01 || one.Y+one.Height > height-below+height/100 || math.IsNaN(one.Y) || one.Height <= 0 {
				t.Errorf("%s: bar %d lies at %+v", name, i, one)
			}
			if i > 0 && !b.Steps[i].Total {
				if before := list[i-1].Next; math.Abs(one.Y-before) > 0.01 && math.Abs(one.Y+one.Height-before) > height/100 {
					t.Errorf("%s: bar %d does not begin where the one before ends: %+v, %v", name, i, one, before)
				}
				if sign := one.Text[:1]; sign != "+" && !strings.HasPrefix(one.Text, "−") {
					t.Errorf("%s: bar %d says %q", name, i, one.Text)
				}
			}
		}
	}
	if got := bridgeOf(Balance{Steps: []Step{{Change: "1234.5", Total: true}, {Change: "0.25"}, {Change: "1234.75", Total: true}}}, width, height, above, below).Bars; got[0].Text != "1,234.50" || got[1].Text != "+0.25" || got[2].Text != "1,234.75" {
		t.Errorf("%+v", got)
	}
}

// TestDocuments writes a document of odd texts in each form: none is run, lost, or taken for markup.
func TestDocuments(t *testing.T) {
	odd := []string{`<script>x</script>`, `=1+1`, `"quoted" & more`, strings.Repeat("long ", 200), "Żuraw Île 船", ""}
	d := &Document{Title: odd[0], Verdict: odd[2], Signed: "Not signed.", History: "57-3fa2b8c1d0e4f5a6", Made: "now", Facts: []Fact{{"left", odd[3]}}, Notes: []string{odd[4]},
		Trays: []Tray{{Name: "matched", Records: [2]string{"1", "1"}}}, Balances: []Balance{{Name: odd[0], Closes: "closes", Steps: []Step{{Label: odd[0], Change: "1", Total: true, Fill: "left"}, {Label: "right", Change: "1", Total: true, Fill: "right"}}}}}
	section := Section{Tray: "missing", All: 900, Columns: []Column{{Name: "key"}, {Name: "amount", Number: true, Side: "left"}, {Name: "why", Wide: true}}}
	for i := range 300 {
		section.Rows = append(section.Rows, []string{odd[i%len(odd)], "12.50", odd[(i+3)%len(odd)]})
	}
	d.Sections = []Section{section}
	var page, pdf bytes.Buffer
	if err := HTML(&page, d); err != nil {
		t.Fatal(err)
	}
	if text := page.String(); strings.Contains(text, "<script") || strings.Count(text, "&lt;script&gt;") < 50 || !strings.Contains(text, "900, of which 600 are not listed here") || !strings.Contains(text, "Żuraw Île 船") {
		t.Error("the page does not show its texts as texts")
	}
	if err := PDF(&pdf, d); err != nil || !bytes.HasPrefix(pdf.Bytes(), []byte("%PDF-")) || bytes.Count(pdf.Bytes(), []byte("/Type /Page\n")) < 3 {
		t.Errorf("a PDF of %d bytes and %d pages, %v", pdf.Len(), bytes.Count(pdf.Bytes(), []byte("/Type /Page\n")), err)
	}
	var out bytes.Buffer
	book, err := NewWorkbook(&out, d)
	if err != nil {
		t.Fatal(err)
	}
	sheet, err := book.Sheet("missing", []Field{{Name: "text"}, {Name: "amount", Number: true}, {Name: "day", Date: true}})
	if err != nil {
		t.Fatal(err)
	}
	rows := [][3]string{{"=1+1", "1234.50", "2031-03-01"}, {"007", "12345678901234567890", "31.02.2031"}, {"", "see note", ""}, {odd[0], "-0.10", "1899-12-31"}}
	for _, row := range rows {
		if err := sheet.Row(row[:]); err != nil {
			t.Fatal(err)
		}
	}
	if err := sheet.Row([]string{strings.Repeat("x", excelize.TotalCellChars+1), "", ""}); err == nil || !strings.Contains(err.Error(), `column "text"`) {
		t.Errorf("too long a text: %v", err)
	}
	if err := book.Close(); err != nil {
		t.Fatal(err)
	}
	read, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	defer read.Close()
	for n, want := range [][3]string{{"=1+1", "1,234.50", "2031-03-01"}, {"007", "12345678901234567890", "31.02.2031"}, {"", "see note", ""}, {odd[0], "-0.10", "1899-12-31"}} {
		for c, text := range want {
			cell, err := excelize.CoordinatesToCellName(c+1, n+2)
			if err != nil {
				t.Fatal(err)
			}
			if got, err := read.GetCellValue("missing", cell); err != nil || got != text {
				t.Errorf("%s is shown as %q, want %q; %v", cell, got, text, err)
			}
			if formula, err := read.GetCellFormula("missing", cell); err != nil || formula != "" {
				t.Errorf("%s is the formula %q", cell, formula)
			}
		}
	}
}
