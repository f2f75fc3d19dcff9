package intake_test

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"twinsieve/core/record"
	"twinsieve/demo"
	"twinsieve/formats/intake"
	"twinsieve/formats/intake/badfiles"
	"twinsieve/formats/outform"
)

// set is a record set held whole.
type set struct {
	columns []string
	rows    [][]record.Cell
	lines   []int64
	rejects []record.Reject
	source  *intake.Source
}

// read reads a file whole.
func read(t *testing.T, name string, file []byte, c intake.Choices) (set, error) {
	t.Helper()
	var s set
	src, err := intake.Open(bytes.NewReader(file), int64(len(file)), c, intake.Options{Name: name, Reject: func(r record.Reject) { s.rejects = append(s.rejects, r) }})
	if err != nil {
		return s, err
	}
	defer src.Close()
	s.columns, s.source = src.Columns(), src
	for {
		b, err := src.Next()
		if err == io.EOF {
			return s, nil
		}
		if err != nil {
			return s, err
		}
		for i := range b.Records() {
			s.rows = append(s.rows, b.Cells(i))
			s.lines = append(s.lines, b.Line(i))
		}
	}
}

// write writes a set in a format.
func write(t *testing.T, format string, s set, opts outform.Options) []byte {
	t.Helper()
	var out bytes.Buffer
	var columns []outform.Column
	for _, c := range s.columns {
		columns = append(columns, outform.Column{Name: c, Number: c == "amount_due" || c == "number"})
	}
	w, err := outform.New(format, &out, columns, opts)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range s.rows {
		if err := w.Write(row); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// demoSet is the demo's service log, and behind it records of cells that formats get wrong.
func demoSet(t *testing.T) set {
	t.Helper()
	dir := t.TempDir()
	if err := demo.New(demo.Options{Seed: 3}).Write(dir); err != nil {
		t.Fatal(err)
	}
	file, err := os.ReadFile(filepath.Join(dir, demo.ServiceLogFile))
	if err != nil {
		t.Fatal(err)
	}
	s, err := read(t, demo.ServiceLogFile, file, intake.Choices{})
	if err != nil {
		t.Fatal(err)
	}
	s.columns = append(s.columns, "odd", "number")
	odd := []string{"", "007", "5.10", "6000-6063", "98765432109876543210", "1e5", "=1+1", "+SUM(A1)", "-", "-2", "@x", "\tx", "a\nb", `say "so"`, "a,b;c|d",
		" spaces ", "Żuraw \U0001F6A2", "_x000D_", "NA", "null", "0000", "true", "2026-03-04", "03/04/2026", "'quoted", "<a&b>", "[1,2]", "{}", "1.", ".5", "-0",
		"\x01\x0b\x1f", "\ufffe\uffff", "a\rb", "\r", "pos_x10mm_y", "_xD83D_", "_xD83D__xDE00_", "_x005F_x0041_", "_x0041_", "\u2028", "\u0085"}
	numbers := []string{"", "0", "-1", "12.50", "0.10", "0.30000000000000004", "123456789012345", "1234567890123456789", "9007199254740993", "0.000001", "-0.05", "1000000.00", "5.", "1e3", "00"}
	for i := range s.rows {
		s.rows[i] = append(s.rows[i], record.Cell{Text: odd[i%len(odd)]}, record.Cell{Text: numbers[i%len(numbers)]})
	}
	return s
}

// same holds two sets cell by cell. Where a format cannot tell a null from an empty text, both are blank.
func same(t *testing.T, name string, got, want set) {
	t.Helper()
	if fmt.Sprintf("%q", got.columns) != fmt.Sprintf("%q", want.columns) || len(got.rows) != len(want.rows) || len(got.rejects) > 0 {
		t.Fatalf("%s: columns %q, %d records and rejects %v; want columns %q and %d records", name, got.columns, len(got.rows), got.rejects, want.columns, len(want.rows))
	}
	wrong := 0
	for i := range want.rows {
		for c := range want.columns {
			if g, w := got.rows[i][c], want.rows[i][c]; g.Content() != w.Content() {
				if wrong++; wrong < 10 {
					t.Errorf("%s: record %d, column %q: %q, want %q", name, i+1, want.columns[c], g.Text, w.Text)
				}
			}
		}
	}
}

// TestEveryFormat writes the demo set in every format and reads it back: the same cells.
func TestEveryFormat(t *testing.T) {
	want := demoSet(t)
	for _, format := range outform.Names {
		file := write(t, format, want, outform.Options{Exact: true})
		got, err := read(t, "log."+format, file, intake.Choices{})
		if err != nil {
			t.Errorf("%s: %v", format, err)
			continue
		}
		same(t, format, got, want)
		// And once more with what was found, as a reload would.
		again, err := read(t, "upload", file, got.source.Settled())
		if err != nil {
			t.Errorf("%s, settled: %v", format, err)
			continue
		}
		same(t, format+", settled", again, want)
		if n := len(again.source.Guesses()); n > 0 {
			t.Errorf("%s: settled choices leave guesses: %+v", format, again.source.Guesses())
		}
	}
}

// TestNullsStayNull: formats that know nulls keep them apart from empty texts.
func TestNullsStayNull(t *testing.T) {
	want := set{columns: []string{"a", "b"}, rows: [][]record.Cell{{{Text: "x"}, {Null: true}}, {{}, {Text: "y"}}, {{Null: true}, {}}}}
	for _, format := range []string{outform.JSON, outform.NDJSON, outform.Parquet, outform.Arrow} {
		got, err := read(t, "", write(t, format, want, outform.Options{}), intake.Choices{})
		if err != nil {
			t.Fatal(err)
		}
		if fmt.Sprint(got.rows) != fmt.Sprint(want.rows) {
			t.Errorf("%s: %+v, want %+v", format, got.rows, want.rows)
		}
	}
}

// TestEveryEncodingAndPacking writes the demo set as text in every encoding and packing; all is found.
func TestEveryEncodingAndPacking(t *testing.T) {
	full := demoSet(t)
	for name, e := range map[string]struct {
		encoding encoding.Encoding
		found    string
	}{
		"UTF-8": {encoding.Nop, "UTF-8"}, "UTF-8 with mark": {unicode.UTF8BOM, "UTF-8"},
		"UTF-16LE with mark": {unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), "UTF-16LE"},
		"UTF-16BE with mark": {unicode.UTF16(unicode.BigEndian, unicode.UseBOM), "UTF-16BE"},
		"UTF-16LE":           {unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM), "UTF-16LE"},
		"UTF-16BE":           {unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM), "UTF-16BE"},
		"windows-1252":       {charmap.Windows1252, "windows-1252"}, "ISO-8859-15": {charmap.ISO8859_15, "ISO-8859-15"},
	} {
		want := set{columns: full.columns}
		for i, row := range full.rows {
			kept := append([]record.Cell(nil), row...)
			for c := range kept { // what the encoding cannot write is left out
				if e.found == "windows-1252" || e.found == "ISO-8859-15" {
					kept[c].Text = writable(kept[c].Text, e.encoding)
				}
			}
			if i%200 == 0 {
				kept[0].Text = "Zöé 5 €"
				if e.found == "windows-1252" {
					kept[0].Text += " “so”"
				}
			}
			want.rows = append(want.rows, kept)
		}
		text, err := e.encoding.NewEncoder().Bytes(write(t, "csv", want, outform.Options{Exact: true}))
		if err != nil {
			t.Fatal(err)
		}
		for _, packing := range []string{"none", "gzip", "zstd"} {
			got, err := read(t, "log.csv", badfiles.Pack(packing, text), intake.Choices{})
			if err != nil {
				t.Errorf("%s, %s: %v", name, packing, err)
				continue
			}
			same(t, name+", "+packing, got, want)
			if s := got.source.Settled(); s.Encoding != e.found || s.Packing != packing {
				t.Errorf("%s, %s: found %s", name, packing, s.Say())
			}
		}
	}
}

func writable(text string, e encoding.Encoding) string {
	var out strings.Builder
	for _, r := range text {
		if _, err := e.NewEncoder().String(string(r)); err == nil && (r < utf8.RuneSelf || r >= 0xA0) {
			out.WriteRune(r)
		}
	}
	return out.String()
}

// TestFixedWidth writes the demo set in fixed width and reads it back; the spaces at a cell's edges are padding.
func TestFixedWidth(t *testing.T) {
	want := demoSet(t)
	for i := range want.rows {
		for c := range want.rows[i] {
			want.rows[i][c].Text = strings.Trim(strings.ReplaceAll(want.rows[i][c].Text, "\n", "/"), " ")
		}
	}
	var layout []string
	widths := make([]int, len(want.columns))
	for c := range want.columns {
		for _, row := range want.rows {
			widths[c] = max(widths[c], utf8.RuneCountInString(row[c].Text))
		}
	}
	at := 1
	for c, name := range want.columns {
		layout = append(layout, fmt.Sprintf("%s %d-%d", name, at, at+widths[c]-1))
		at += widths[c] + 1
	}
	var text strings.Builder
	for i, row := range want.rows {
		var line []string
		for c, cell := range row {
			pad := strings.Repeat(" ", widths[c]-utf8.RuneCountInString(cell.Text))
			if want.columns[c] == "number" {
				line = append(line, pad+cell.Text)
			} else {
				line = append(line, cell.Text+pad)
			}
		}
		end := "\n"
		if i%3 == 0 {
			end = "\r\n"
		}
		text.WriteString(strings.TrimRight(strings.Join(line, "|"), " ") + end)
	}
	got, err := read(t, "log.txt", []byte(text.String()), intake.Choices{Layout: strings.Join(layout, ", ")})
	if err != nil {
		t.Fatal(err)
	}
	same(t, "fixed", got, want)
}
