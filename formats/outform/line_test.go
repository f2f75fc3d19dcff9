package outform_test

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/outform"
)

// FuzzAppendLine holds lines against those of encoding/csv, byte for byte. The cells are given with a zero byte between them.
func FuzzAppendLine(f *testing.F) {
	for _, cells := range []string{
		"MW-00000036\x002031-03-27\x00PIL", "", "\x00", "a,b\x00a\tb", "\"", "two\nlines\x00\r\x00\r\n", " Tar Quay\x00Tar Quay ", "\\.\x00\\", "\u00a0x\x00\u2028y\x00\u0085",
		"\xff\x00\xc2", "=1+1\x00-5\x00-5.x\x00@", "\t=1\x00\v1",
	} {
		f.Add(cells, false, false)
		f.Add(cells, true, true)
	}
	f.Fuzz(func(t *testing.T, joined string, tabs, exact bool) {
		cells := strings.Split(joined, "\x00")
		before := slices.Clone(cells)
		delimiter := byte(',')
		var want bytes.Buffer
		want.WriteString("before\n")
		w := csv.NewWriter(&want)
		if tabs {
			delimiter, w.Comma = '\t', '\t'
		}
		row := slices.Clone(cells)
		for i := range row {
			if !exact {
				row[i] = outform.Harmless(row[i])
			}
		}
		if err := w.Write(row); err != nil {
			t.Fatal(err)
		}
		w.Flush()
		if len(cells) == 1 && cells[0] == "" { // which encoding/csv writes as an empty line, that nobody reads as a record
			want.Reset()
			want.WriteString("before\n\"\"\n")
		}
		if got := outform.AppendLine([]byte("before\n"), cells, delimiter, exact); !bytes.Equal(got, want.Bytes()) {
			t.Fatalf("%q is written as %q, want %q", cells, got, want.Bytes())
		}
		if !slices.Equal(cells, before) {
			t.Fatalf("%q has been changed to %q", before, cells)
		}
	})
}

// TestLinesComeBack writes rows in every format of delimited text, and reads them with encoding/csv.
func TestLinesComeBack(t *testing.T) {
	long := strings.Repeat("berth ", 40_000)
	want := [][]string{{"call", "note"}, {"MW-1", "a \"quoted\", cell"}, {"two\nlines", "a\ttab"}, {" Tar Quay", ""}, {long, "é"}}
	for format, comma := range map[string]rune{outform.CSV: ',', outform.TSV: '\t'} {
		var out bytes.Buffer
		w, err := outform.New(format, &out, []outform.Column{{Name: "call"}, {Name: "note"}}, outform.Options{})
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range want[1:] {
			var cells []record.Cell
			for _, text := range row {
				cells = append(cells, record.Cell{Text: text})
			}
			if err := w.Write(cells); err != nil {
				t.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		r := csv.NewReader(&out)
		r.Comma = comma
		got, err := r.ReadAll()
		if err != nil {
			t.Fatalf("%s: %v", format, err)
		}
		if !slices.EqualFunc(got, want, slices.Equal) {
			t.Errorf("%s comes back as %.300q", format, got)
		}
	}
}
