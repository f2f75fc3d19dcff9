package intake_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/file"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
)

// What other programs write is read cell for cell, and what is handed over is read by them so. TWINSIEVE_FILES is how many times as many random
// files are made as in a usual run: 100 makes 10,000 texts, 1,000 workbooks, 1,000 JSON documents and 300 Parquet files.

// times is how many files are made where so many are in a usual run.
func times(n int) int {
	if more, err := strconv.Atoi(os.Getenv("TWINSIEVE_FILES")); err == nil {
		return n * more
	}
	return n
}

// someCells are pieces of what people write, and of what formats get wrong.
var someCells = []string{"", "", "0", "007", "12,50", "1.234,56", "-7", "+49 170", "MW-04400", "Müller", "Île d’Or", `say "so"`, "a,b;c|d\te", "two\nlines", " spaces ", "=1+1", "Total", "Sumitomo Bank",
	"n/a", "null", "true", "2031-03-01", "01/02/2031", "1e5", "<a&b>", "'", "\\", "{}", "[1,2]", "€ 5", "_x0041_", "_x10mm_", "-"}

// wideCells are those that not every encoding or writer has.
var wideCells = []string{"靠泊", "Żuraw \U0001F6A2", "\u2028", "\u200b", "\u0085", "é"}

// randomSet makes a record set with columns and records of any shape.
func randomSet(r *rand.Rand, wide bool, null bool) set {
	s := set{}
	for c := range 2 + r.IntN(7) { // a line with one blank cell is no line to many writers
		s.columns = append(s.columns, fmt.Sprintf("%s %d", []string{"call", "Betrag", "day, local", `a "name"`, "x;y"}[r.IntN(5)], c))
	}
	for range r.IntN(60) {
		var row []record.Cell
		for range s.columns {
			cell := record.Cell{Text: someCells[r.IntN(len(someCells))]}
			switch {
			case r.IntN(8) == 0 && wide:
				cell.Text = wideCells[r.IntN(len(wideCells))]
			case r.IntN(4) == 0:
				cell.Text += strconv.Itoa(r.IntN(1_000_000))
			case r.IntN(10) == 0 && null:
				cell = record.Cell{Null: true}
			}
			row = append(row, cell)
		}
		s.rows = append(s.rows, row)
	}
	return s
}

// texts are a set's names and cells as plain texts.
func (s *set) texts() [][]string {
	all := [][]string{s.columns}
	for _, row := range s.rows {
		var texts []string
		for _, c := range row {
			texts = append(texts, c.Text)
		}
		all = append(all, texts)
	}
	return all
}

// held holds cells against those that are wanted, nulls too where they can be told.
func held(t *testing.T, what string, got, want set, null bool) {
	t.Helper()
	if len(got.rejects) > 0 || fmt.Sprintf("%q", got.columns) != fmt.Sprintf("%q", want.columns) || len(got.rows) != len(want.rows) {
		t.Fatalf("%s: columns %q, %d records, rejects %v; want %q, %d", what, got.columns, len(got.rows), got.rejects, want.columns, len(want.rows))
	}
	for i := range want.rows {
		for c, w := range want.rows[i] {
			if g := got.rows[i][c]; g.Text != w.Text || null && g.Null != w.Null {
				t.Fatalf("%s: record %d, column %q is %q, %t; want %q, %t", what, i, want.columns[c], g.Text, g.Null, w.Text, w.Null)
			}
		}
	}
}

// TestOtherTexts: delimited text that encoding/csv has written, in every encoding; and what is handed over as CSV and TSV, read by it.
func TestOtherTexts(t *testing.T) {
	for n := range times(100) {
		r := rand.New(rand.NewPCG(uint64(n), 1))
		encoding := []string{"UTF-8", "UTF-8", "UTF-16LE", "UTF-16BE", "windows-1252"}[r.IntN(5)]
		s := randomSet(r, encoding != "windows-1252", false)
		delimiter := []rune{',', ';', '\t', '|'}[r.IntN(4)]
		var text bytes.Buffer
		w := csv.NewWriter(&text)
		w.Comma, w.UseCRLF = delimiter, false
		if err := w.WriteAll(s.texts()); err != nil {
			t.Fatal(err)
		}
		plain := text.String()
		if r.IntN(3) == 0 && !strings.Contains(fmt.Sprint(s.texts()), "\n") {
			plain = strings.ReplaceAll(plain, "\n", []string{"\r\n", "\r"}[r.IntN(2)])
		}
		encoded, err := plain, error(nil)
		switch encoding {
		case "UTF-16LE":
			encoded, err = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(plain)
		case "UTF-16BE":
			encoded, err = unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String(plain)
		case "windows-1252":
			encoded, err = charmap.Windows1252.NewEncoder().String(plain)
		}
		if err != nil {
			t.Fatal(err)
		}
		choices := intake.Choices{Format: intake.Delimited, Encoding: encoding, Delimiter: string(delimiter), Header: intake.HeaderFirst, Footers: []string{}}
		got, err := read(t, "x.csv", []byte(encoded), choices)
		if err != nil {
			t.Fatalf("text %d: %v\n%q", n, err, plain)
		}
		held(t, fmt.Sprint("text ", n), got, s, false)

		for format, comma := range map[string]rune{"csv": ',', "tsv": '\t'} {
			in := csv.NewReader(bytes.NewReader(write(t, format, s, outform.Options{Exact: true})))
			in.Comma = comma
			rows, err := in.ReadAll()
			if err != nil || fmt.Sprintf("%q", rows) != fmt.Sprintf("%q", s.texts()) {
				t.Fatalf("text %d as %s: %v\n%q, want\n%q", n, format, err, rows, s.texts())
			}
		}
	}
}

// TestOtherWorkbooks: workbooks that another library has written, and what is handed over as one, read by it.
func TestOtherWorkbooks(t *testing.T) {
	for n := range times(10) {
		r := rand.New(rand.NewPCG(uint64(n), 2))
		s := randomSet(r, true, false)
		for i := range s.rows { // a row with nothing in it is none in a sheet that others write
			s.rows[i][0].Text = fmt.Sprint("MW-", i)
			for c := range s.rows[i] { // which the library writes as the escape that it looks like
				s.rows[i][c].Text = strings.ReplaceAll(s.rows[i][c].Text, "_x0041_", "_x41_")
			}
		}
		book := excelize.NewFile()
		for i, row := range s.texts() {
			for c, text := range row {
				at, err := excelize.CoordinatesToCellName(c+1, i+1)
				if err == nil && text != "" {
					err = book.SetCellStr("Sheet1", at, text)
				}
				if err != nil {
					t.Fatal(err)
				}
			}
		}
		var out bytes.Buffer
		if err := book.Write(&out); err != nil {
			t.Fatal(err)
		}
		got, err := read(t, "x.xlsx", out.Bytes(), intake.Choices{Footers: []string{}})
		if err != nil {
			t.Fatalf("workbook %d: %v", n, err)
		}
		held(t, fmt.Sprint("workbook ", n), got, s, false)

		ours, err := excelize.OpenReader(bytes.NewReader(write(t, "xlsx", s, outform.Options{})))
		if err != nil {
			t.Fatal(err)
		}
		for i, row := range s.texts() {
			for c, text := range row {
				at, err := excelize.CoordinatesToCellName(c+1, i+1)
				if err != nil {
					t.Fatal(err)
				}
				if got, err := ours.GetCellValue("records", at); err != nil || got != text {
					t.Fatalf("workbook %d: %s is %q, want %q; %v", n, at, got, text, err)
				}
			}
		}
		_ = ours.Close()
	}
}

// TestOtherJSON: documents and lines that encoding/json has written, and what is handed over, read by it.
func TestOtherJSON(t *testing.T) {
	for n := range times(10) {
		r := rand.New(rand.NewPCG(uint64(n), 3))
		s := randomSet(r, true, true)
		if len(s.rows) == 0 {
			continue
		}
		var list []json.RawMessage
		var lines bytes.Buffer
		enc := json.NewEncoder(&lines)
		enc.SetEscapeHTML(r.IntN(2) == 0)
		for _, row := range s.rows {
			var object bytes.Buffer
			for c, cell := range row {
				name, _ := json.Marshal(s.columns[c])
				value, _ := json.Marshal(cell.Text)
				if cell.Null {
					value = []byte("null")
				}
				fmt.Fprintf(&object, "%s%s: %s", map[bool]string{true: "{", false: ",\n "}[c == 0], name, value)
			}
			object.WriteString("}")
			list = append(list, object.Bytes())
			if err := enc.Encode(json.RawMessage(object.Bytes())); err != nil {
				t.Fatal(err)
			}
		}
		document, err := json.MarshalIndent(map[string]any{"meta": map[string]any{"page": 1}, "records": list}, "", " ")
		if err != nil {
			t.Fatal(err)
		}
		for name, file := range map[string][]byte{"x.json": document, "x.ndjson": lines.Bytes()} {
			got, err := read(t, name, file, intake.Choices{Footers: []string{}})
			if err != nil {
				t.Fatalf("%s %d: %v", name, n, err)
			}
			held(t, fmt.Sprint(name, " ", n), got, s, true)
		}
		var back []map[string]*string
		if err := json.Unmarshal(write(t, "json", s, outform.Options{}), &back); err != nil || len(back) != len(s.rows) {
			t.Fatalf("JSON %d: %d objects, %v", n, len(back), err)
		}
		dec := json.NewDecoder(bytes.NewReader(write(t, "ndjson", s, outform.Options{})))
		for i, row := range s.rows {
			var line map[string]*string
			if err := dec.Decode(&line); err != nil {
				t.Fatal(err)
			}
			for c, cell := range row {
				for _, object := range []map[string]*string{back[i], line} {
					if v := object[s.columns[c]]; (v == nil) != cell.Null || v != nil && *v != cell.Text {
						t.Fatalf("JSON %d: record %d, column %q is %v, want %+v", n, i, s.columns[c], v, cell)
					}
				}
			}
		}
	}
}

// TestOtherColumnar: Parquet and Arrow files of several row groups and types that another library has written, and what is handed over, read by it.
func TestOtherColumnar(t *testing.T) {
	for n := range times(3) {
		r := rand.New(rand.NewPCG(uint64(n), 4))
		s := randomSet(r, true, true)
		s.columns = append(s.columns, "number", "share", "is")
		for i := range s.rows {
			s.rows[i] = append(s.rows[i], record.Cell{Text: fmt.Sprint(r.Int64() - r.Int64())}, record.Cell{Text: strconv.FormatFloat(r.Float64(), 'f', -1, 64)}, record.Cell{Text: fmt.Sprint(r.IntN(2) == 0)})
		}
		var fields []arrow.Field
		for _, name := range s.columns {
			typ := map[string]arrow.DataType{"number": arrow.PrimitiveTypes.Int64, "share": arrow.PrimitiveTypes.Float64, "is": arrow.FixedWidthTypes.Boolean}[name]
			if typ == nil {
				typ = arrow.BinaryTypes.String
			}
			fields = append(fields, arrow.Field{Name: name, Type: typ, Nullable: true})
		}
		schema := arrow.NewSchema(fields, nil)
		b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
		for _, row := range s.rows {
			for c, cell := range row {
				err := error(nil)
				if cell.Null {
					b.Field(c).AppendNull()
				} else {
					err = b.Field(c).AppendValueFromString(cell.Text)
				}
				if err != nil {
					t.Fatal(err)
				}
			}
		}
		batch := b.NewRecordBatch()
		var parq, stream bytes.Buffer
		pw, err := pqarrow.NewFileWriter(schema, &parq, parquet.NewWriterProperties(parquet.WithMaxRowGroupLength(int64(1+r.IntN(40)))), pqarrow.DefaultWriterProps())
		if err != nil {
			t.Fatal(err)
		}
		sw := ipc.NewWriter(&stream, ipc.WithSchema(schema))
		for _, err := range []error{pw.WriteBuffered(batch), pw.Close(), sw.Write(batch), sw.Close()} {
			if err != nil {
				t.Fatal(err)
			}
		}
		for name, file := range map[string][]byte{"x.parquet": parq.Bytes(), "x.arrow": stream.Bytes()} {
			got, err := read(t, name, file, intake.Choices{})
			if err != nil {
				t.Fatalf("%s %d: %v", name, n, err)
			}
			held(t, fmt.Sprint(name, " ", n), got, s, true)
		}
		ours, err := file.NewParquetReader(bytes.NewReader(write(t, "parquet", s, outform.Options{})))
		if err != nil {
			t.Fatal(err)
		}
		reader, err := pqarrow.NewFileReader(ours, pqarrow.ArrowReadProperties{}, memory.DefaultAllocator)
		if err != nil {
			t.Fatal(err)
		}
		table, err := reader.ReadTable(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		checkColumns(t, n, s, array.NewTableReader(table, 0))
		in, err := ipc.NewReader(bytes.NewReader(write(t, "arrow", s, outform.Options{})))
		if err != nil {
			t.Fatal(err)
		}
		checkColumns(t, n, s, in)
	}
}

// checkColumns holds record batches against a set.
func checkColumns(t *testing.T, n int, s set, in array.RecordReader) {
	t.Helper()
	at := 0
	for in.Next() {
		batch := in.RecordBatch()
		for i := range int(batch.NumRows()) {
			for c, col := range batch.Columns() {
				cell := s.rows[at][c]
				if null := col.IsNull(i); null != cell.Null || !null && col.ValueStr(i) != cell.Text {
					t.Fatalf("columnar %d: record %d, column %q is %q, %t; want %+v", n, at, s.columns[c], col.ValueStr(i), null, cell)
				}
			}
			at++
		}
	}
	if err := in.Err(); err != nil && err != io.EOF || at != len(s.rows) {
		t.Fatalf("columnar %d: %d records, want %d; %v", n, at, len(s.rows), err)
	}
}
