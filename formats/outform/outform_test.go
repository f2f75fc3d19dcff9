package outform_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"twinsieve/core/record"
	"twinsieve/formats/columnar"
	"twinsieve/formats/outform"
)

// TestHarmless: a text that a spreadsheet would run has an apostrophe before it; a number is a number.
func TestHarmless(t *testing.T) {
	for text, want := range map[string]string{
		"":                  "",
		"Tar Quay":          "Tar Quay",
		"=1+1":              "'=1+1",
		"=HYPERLINK(\"x\")": "'=HYPERLINK(\"x\")",
		"+49 431":           "+49 431",
		"+5":                "+5",
		"-5":                "-5",
		"-5.25":             "-5.25",
		"-0":                "-0",
		"-05":               "-05",
		"-5.":               "-5.",
		"-.5":               "-.5",
		"-12,50":            "-12,50",
		"+7,00":             "+7,00",
		"-1.234,56":         "-1.234,56",
		"-1'234.50":         "-1'234.50",
		"-1\u202f234,50":    "-1\u202f234,50",
		"-5 %":              "-5 %",
		"-1e9":              "-1e9",
		"-1,5E-9":           "-1,5E-9",
		"-1e":               "'-1e",
		"-1e9e9":            "'-1e9e9",
		"-e9":               "'-e9",
		"-1e9-1":            "'-1e9-1",
		"-1+2":              "'-1+2",
		"-1*2":              "'-1*2",
		"-1\n":              "'-1\n",
		"-5%%":              "'-5%%",
		"+A1":               "'+A1",
		"--5":               "'--5",
		"-.":                "'-.",
		"- ":                "'- ",
		"@SUM(A1)":          "'@SUM(A1)",
		"\t=1":              "'\t=1",
		"\r=1":              "'\r=1",
		"\n=1":              "'\n=1",
		"＝1+1":              "'＝1+1",
		"＋1":                "'＋1",
		"－1":                "'－1",
		"＠SUM(A1)":          "'＠SUM(A1)",
		"é=1":               "é=1",
		"=":                 "=",
		"-":                 "-",
		"a=1":               "a=1",
		" =1":               " =1",
		"'=1":               "'=1",
	} {
		if got := outform.Harmless(text); got != want {
			t.Errorf("%q becomes %q, want %q", text, got, want)
		}
	}
}

var columns = []outform.Column{{Name: "=call"}, {Name: "fee", Number: true}, {Name: "note"}}

var rows = [][]record.Cell{
	{{Text: "MW-1"}, {Text: "1204.50"}, {Text: "=1+1"}},
	{{Text: "00417"}, {Text: "-0.10"}, {Text: "a \"quoted\", cell"}},
	{{Text: "two\nlines"}, {Text: "12345678901234567890.12"}, {Null: true}},
	{{Text: ""}, {Text: "n/a"}, {Text: "n/a", Null: true}},
	{{Text: "<&>"}, {Text: "007"}, {Text: "é\u2028"}},
	{{Text: "-"}, {Text: "", Null: true}, {Text: "-3"}},
}

// write writes rows in a format.
func write(format string, columns []outform.Column, rows [][]record.Cell, o outform.Options) ([]byte, error) {
	var out bytes.Buffer
	w, err := outform.New(format, &out, columns, o)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if err := w.Write(r); err != nil {
			return nil, errors.Join(err, w.Close())
		}
	}
	err = w.Close()
	return out.Bytes(), err
}

func TestTexts(t *testing.T) {
	for _, c := range []struct {
		format string
		exact  bool
		want   string
	}{
		{outform.CSV, false, "'=call,fee,note\nMW-1,1204.50,'=1+1\n00417,-0.10,\"a \"\"quoted\"\", cell\"\n\"two\nlines\",12345678901234567890.12,\n,n/a,n/a\n<&>,007,é\u2028\n-,,-3\n"},
		{outform.CSV, true, "=call,fee,note\nMW-1,1204.50,=1+1\n00417,-0.10,\"a \"\"quoted\"\", cell\"\n\"two\nlines\",12345678901234567890.12,\n,n/a,n/a\n<&>,007,é\u2028\n-,,-3\n"},
		{outform.TSV, false, "'=call\tfee\tnote\nMW-1\t1204.50\t'=1+1\n00417\t-0.10\t\"a \"\"quoted\"\", cell\"\n\"two\nlines\"\t12345678901234567890.12\t\n\tn/a\tn/a\n<&>\t007\té\u2028\n-\t\t-3\n"},
		{outform.NDJSON, false, `{"=call":"MW-1","fee":1204.50,"note":"=1+1"}
{"=call":"00417","fee":-0.10,"note":"a \"quoted\", cell"}
{"=call":"two\nlines","fee":12345678901234567890.12,"note":null}
{"=call":"","fee":"n/a","note":"n/a"}
{"=call":"<&>","fee":"007","note":"é\u2028"}
{"=call":"-","fee":null,"note":"-3"}
`},
	} {
		got, err := write(c.format, columns, rows, outform.Options{Exact: c.exact})
		if err != nil || string(got) != c.want {
			t.Errorf("%s, exact %v: %v\n%s\nwant\n%s", c.format, c.exact, err, got, c.want)
		}
	}
	got, err := write(outform.JSON, columns[1:2], [][]record.Cell{{{Text: "1"}}, {{Text: "x"}}}, outform.Options{})
	if err != nil || string(got) != "[\n{\"fee\":1},\n{\"fee\":\"x\"}\n]\n" {
		t.Errorf("%s, %v", got, err)
	}
	// Nothing to write, and lines of one cell that is empty.
	for format, want := range map[string]string{outform.CSV: "fee\n", outform.JSON: "[]\n", outform.NDJSON: ""} {
		if got, err := write(format, columns[1:2], nil, outform.Options{}); err != nil || string(got) != want {
			t.Errorf("%s of nothing: %q, %v, want %q", format, got, err, want)
		}
	}
	if got, err := write(outform.CSV, columns[1:2], [][]record.Cell{{{Text: "1"}}, {{Text: ""}}, {{Null: true}}, {{Text: "2"}}}, outform.Options{}); err != nil || string(got) != "fee\n1\n\"\"\n\"\"\n2\n" {
		t.Errorf("%q, %v", got, err)
	}
}

// TestSpreadsheet reads what was written with another library's reader: numbers are numbers as far as a spreadsheet can hold
// them, everything else is text, and nothing is a formula.
func TestSpreadsheet(t *testing.T) {
	file, err := write(outform.Spreadsheet, columns, rows, outform.Options{})
	if err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(bytes.NewReader(file))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	for cell, want := range map[string]string{
		"A1": "text =call", "B2": "number 1204.50", "C2": "text =1+1", "A3": "text 00417", "B3": "number -0.10", "A4": "text two\nlines", "B4": "text 12345678901234567890.12",
		"C4": "none ", "B5": "text n/a", "B6": "text 007", "C7": "text -3", "A7": "text -", "B7": "none ",
	} {
		kind, err := book.GetCellType("records", cell)
		if err != nil {
			t.Fatal(err)
		}
		value, _ := book.GetCellValue("records", cell)
		formula, _ := book.GetCellFormula("records", cell)
		got := map[excelize.CellType]string{excelize.CellTypeInlineString: "text", excelize.CellTypeSharedString: "text", excelize.CellTypeNumber: "number", excelize.CellTypeUnset: "number"}[kind]
		if value == "" {
			got = "none"
		}
		if got+" "+value != want || formula != "" {
			t.Errorf("%s is %s %q (type %d, formula %q), want %q", cell, got, value, kind, formula, want)
		}
	}
	panes, err := book.GetPanes("records")
	if err != nil || !panes.Freeze || panes.YSplit != 1 {
		t.Errorf("panes %+v, %v", panes, err)
	}
	if _, err := write(outform.Spreadsheet, columns[:1], [][]record.Cell{{{Text: strings.Repeat("x", 32_768)}}}, outform.Options{}); err == nil || !strings.Contains(err.Error(), `row 2, column "=call": the cell has 32768 characters, as spreadsheets count them, and a cell of a sheet holds at most 32767`) {
		t.Errorf("a long cell: %v", err)
	}
	ships := strings.Repeat("\U0001F6A2", 16_383) // spreadsheets count two for each
	for text, want := range map[string]string{ships + "x": "", ships + "xy": "the cell has 32768 characters"} {
		file, err := write(outform.Spreadsheet, columns[:1], [][]record.Cell{{{Text: text}}}, outform.Options{})
		if want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%d bytes: %v, want %s", len(text), err, want)
		}
		if want != "" {
			continue
		}
		book, err := excelize.OpenReader(bytes.NewReader(file))
		if err != nil {
			t.Fatal(err)
		}
		if got, err := book.GetCellValue("records", "A2"); err != nil || got != text {
			t.Errorf("%d bytes became %d, %v", len(text), len(got), err)
		}
	}
	if _, err := write(outform.Spreadsheet, make([]outform.Column, 16_385), nil, outform.Options{}); err == nil || !strings.Contains(err.Error(), "a sheet has at most 16384 columns") {
		t.Errorf("many columns: %v", err)
	}
}

// TestColumnar reads what was written: the same cells, nulls apart from empty texts.
func TestColumnar(t *testing.T) {
	for _, format := range []string{outform.Parquet, outform.Arrow} {
		file, err := write(format, columns, rows, outform.Options{})
		if err != nil {
			t.Fatal(err)
		}
		open := columnar.NewArrow
		if format == outform.Parquet {
			open = columnar.NewParquet
		}
		r, err := open(bytes.NewReader(file), int64(len(file)), columnar.Options{})
		if err != nil {
			t.Fatal(err)
		}
		b, err := r.Next()
		if err != nil || b.Records() != len(rows) {
			t.Fatalf("%s: %v, %v", format, b, err)
		}
		for i, want := range rows {
			for c, cell := range b.Cells(i) {
				// A blank marker is handed over as the text that it is.
				if cell.Null != (want[c].Null && want[c].Text == "") || cell.Text != want[c].Text {
					t.Errorf("%s, row %d, column %d: %+v, want %+v", format, i, c, cell, want[c])
				}
			}
		}
		if _, err := r.Next(); err != io.EOF {
			t.Errorf("%s: after the last: %v", format, err)
		}
	}
}

// full is a disk that takes so many bytes.
type full struct{ left int }

func (f *full) Write(b []byte) (int, error) {
	if f.left -= len(b); f.left < 0 {
		return 0, errors.New("no space left")
	}
	return len(b), nil
}

// TestFull: a disk that is full is an error in every format, at the latest when the writer is closed.
func TestFull(t *testing.T) {
	for _, format := range outform.Names {
		whole, err := write(format, columns, rows, outform.Options{})
		if err != nil {
			t.Fatal(err)
		}
		for _, room := range []int{0, len(whole) / 2} {
			w, err := outform.New(format, &full{room}, columns, outform.Options{})
			for n := 0; err == nil && n < len(rows); n++ {
				err = w.Write(rows[n])
			}
			if err == nil {
				err = w.Close()
			}
			if err == nil || !strings.Contains(err.Error(), "no space left") {
				t.Errorf("%s with room for %d of %d bytes: %v", format, room, len(whole), err)
			}
		}
		if outform.MediaType(format) == "" {
			t.Errorf("%s has no media type", format)
		}
	}
	if _, err := outform.New("pdf", io.Discard, columns, outform.Options{}); err == nil || err.Error() != `"pdf" is not a format that is written; write one of csv, tsv, xlsx, json, ndjson, parquet, arrow` {
		t.Errorf("an unknown format: %v", err)
	}
}

func ExampleHarmless() {
	fmt.Println(outform.Harmless("=1+1"), outform.Harmless("-5.25"))
	// Output: '=1+1 -5.25
}
