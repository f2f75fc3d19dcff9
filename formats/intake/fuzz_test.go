package intake_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"testing"
	"unicode/utf8"

	"twinsieve/core/record"
	"twinsieve/formats/columnar"
	"twinsieve/formats/fixed"
	"twinsieve/formats/intake"
	"twinsieve/formats/intake/badfiles"
	"twinsieve/formats/jsontext"
)

// FuzzOpen gives any bytes to the whole way in: nothing may break, every record has all columns, and what was settled reads
// the same again.
func FuzzOpen(f *testing.F) {
	for _, seed := range []string{"a;b\n1;2\n", "\xFF\xFEa\x00\n\x00", `[{"a":1}]`, "{\"a\":1}\n", "PK\x03\x04", "\x1f\x8b", "1,2\nTOTAL,3\n", "\xe9,\xa4\n"} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, file []byte) {
		if columnar.IsArrow(file) || columnar.IsParquet(file) {
			return // their decoders are not ours, and take what a damaged file says of its sizes at its word
		}
		first, columns, settled, err := text(file, intake.Choices{})
		if err != nil {
			return
		}
		again, _, _, err := text(file, settled)
		if err != nil || first != again {
			t.Fatalf("%q with %s: %v\n%s\nthen\n%s", file, settled.Say(), err, first, again)
		}
		if columns == 0 {
			t.Fatal("no columns")
		}
	})
}

// text is all that a file gives, as one text.
func text(file []byte, c intake.Choices) (string, int, intake.Choices, error) {
	var out strings.Builder
	src, err := intake.Open(bytes.NewReader(file), int64(len(file)), c, intake.Options{MostUnpack: 1 << 20, Reject: func(r record.Reject) { fmt.Fprintln(&out, r) }})
	if err != nil {
		return "", 0, c, err
	}
	defer src.Close()
	fmt.Fprintf(&out, "%q\n", src.Columns())
	for {
		b, err := src.Next()
		if err == io.EOF {
			fmt.Fprint(&out, src.Footers())
			return out.String(), len(src.Columns()), src.Settled(), nil
		}
		if err != nil {
			return "", 0, c, err
		}
		for i := range b.Records() {
			fmt.Fprintf(&out, "%d %#v\n", b.Line(i), b.Cells(i))
		}
	}
}

// FuzzSheet gives any text as a sheet's XML to the spreadsheet's reader.
func FuzzSheet(f *testing.F) {
	for _, seed := range []string{
		`<sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>a</t></is></c></row><row><c s="1"><v>45000.5</v></c></row></sheetData>`,
		`<row><c t="s"><v>0</v></c><c r="C1" t="b"><v>1</v></c></row><row r="9"><c><f>A1</f></c></row>`,
		`<row><c t="str"><v>x_x000D_</v></c></row><row><c><v>0.30000000000000004</v></c><c r="XFD2"><v>1e400</v></c></row>`,
	} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, sheet string) {
		file := badfiles.Workbook(strings.NewReader(sheet), strings.NewReader("<sst><si><t>a</t><rPh><t>b</t></rPh></si></sst>"))
		first, _, settled, err := text(file, intake.Choices{Format: intake.Spreadsheet})
		if err != nil {
			return
		}
		if again, _, _, err := text(file, settled); err != nil || first != again {
			t.Fatalf("%v\n%s\nthen\n%s", err, first, again)
		}
	})
}

// FuzzJSON holds the reader of JSON against encoding/json: what that reads as an array of flat objects gives the same cells.
func FuzzJSON(f *testing.F) {
	for _, seed := range []string{`[{"a":1.50,"b":"x"},{"b":null}]`, `[{"a":{"b":[1,{"c":2}]}}]`, `[1,{"a":true}]`, `[{"":1}]`, `[{"a":"\ud800"}]`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, in string) {
		if !utf8.ValidString(in) || strings.HasPrefix(in, "\xEF\xBB\xBF") {
			return
		}
		rejects := 0
		r, err := jsontext.NewReader(func() (io.Reader, error) { return strings.NewReader(in), nil }, jsontext.Options{Reject: func(record.Reject) { rejects++ }})
		var want []json.RawMessage
		valid := json.Unmarshal([]byte(in), &want) == nil && want != nil
		if err != nil {
			if valid && !strings.Contains(err.Error(), "no record with a field") && !strings.Contains(err.Error(), "both named") && !strings.Contains(err.Error(), "deep") {
				t.Fatalf("%q is refused: %v", in, err)
			}
			return
		}
		records := 0
		var cells []map[string]record.Cell
		for {
			b, err := r.Next()
			if err == io.EOF {
				break
			}
			if err != nil {
				if valid {
					t.Fatalf("%q breaks off: %v", in, err)
				}
				return
			}
			for i := range b.Records() {
				row := map[string]record.Cell{}
				for c, cell := range b.Cells(i) {
					row[r.Columns()[c]] = cell
				}
				cells = append(cells, row)
			}
			records += b.Records()
		}
		if !valid || records+rejects != len(want) {
			t.Fatalf("%q: valid %t, %d records and %d rejects of %d", in, valid, records, rejects, len(want))
		}
		if rejects > 0 {
			return
		}
		for i, raw := range want {
			var fields map[string]json.RawMessage
			if err := json.Unmarshal(raw, &fields); err != nil {
				t.Fatal(err)
			}
			for name, value := range fields {
				var s string
				if name != "" && len(value) > 0 && value[0] == '"' && json.Unmarshal(value, &s) == nil && cells[i][name].Text != s {
					t.Fatalf("%q: field %q is %q, want %q", in, name, cells[i][name].Text, s)
				}
			}
		}
	})
}

// FuzzFixed holds the reader of fixed-width text against cutting each line's characters.
func FuzzFixed(f *testing.F) {
	f.Add("MW-1  12\nÎle  5\r\n\nx\n")
	f.Add("abcdefghijkl\n")
	layout := fixed.Layout{{Name: "a", First: 1, Last: 3}, {Name: "b", First: 5, Last: 8}}
	f.Fuzz(func(t *testing.T, in string) {
		if !utf8.ValidString(in) || strings.ContainsRune(in, 0) || strings.HasPrefix(in, "\xEF\xBB\xBF") {
			return
		}
		r, err := fixed.NewReader(strings.NewReader(in), fixed.Options{Layout: layout})
		if err != nil {
			t.Fatal(err)
		}
		var got, want []string
		for {
			b, err := r.Next()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			for i := range b.Records() {
				got = append(got, fmt.Sprintf("%d %q", b.Line(i), []string{b.Cells(i)[0].Text, b.Cells(i)[1].Text}))
			}
		}
		for n, line := range strings.Split(in, "\n") {
			line = strings.TrimSuffix(line, "\r")
			chars := []rune(line)
			if line == "" || len(chars) > 8 && strings.TrimSpace(string(chars[8:])) != "" {
				continue
			}
			cut := func(from, to int) string {
				return strings.Trim(string(chars[min(from, len(chars)):min(to, len(chars))]), " ")
			}
			want = append(want, fmt.Sprintf("%d %q", n+1, []string{cut(0, 3), cut(4, 8)}))
		}
		if strings.Join(got, "\n") != strings.Join(want, "\n") {
			t.Fatalf("%q: %v, want %v", in, got, want)
		}
	})
}
