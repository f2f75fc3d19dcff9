package intake_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"runtime"
	"runtime/debug"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"
	"github.com/xuri/excelize/v2"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
)

// workbook packs a sheet of the given XML and shared texts.
func workbook(t *testing.T, sheet, texts io.Reader) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	put := func(name string, content io.Reader) {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.Copy(w, content); err != nil {
			t.Fatal(err)
		}
	}
	put("xl/workbook.xml", strings.NewReader(`<workbook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Log" sheetId="1" r:id="r1"/></sheets></workbook>`))
	put("xl/_rels/workbook.xml.rels", strings.NewReader(`<Relationships><Relationship Id="r1" Type="x/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`))
	put("xl/worksheets/sheet1.xml", sheet)
	if texts != nil {
		put("xl/sharedStrings.xml", texts)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// endless gives so many bytes of one text, over and over.
func endless(text string, n int64) io.Reader {
	return io.LimitReader(&repeated{text: text}, n)
}

type repeated struct {
	text string
	at   int
}

func (r *repeated) Read(p []byte) (int, error) {
	n := copy(p, r.text[r.at:])
	r.at = (r.at + n) % len(r.text)
	return n, nil
}

func locked(t *testing.T) []byte {
	t.Helper()
	book := excelize.NewFile()
	defer book.Close()
	var out bytes.Buffer
	if err := book.Write(&out, excelize.Options{Password: "pilot"}); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func nestedParquet(t *testing.T) []byte {
	t.Helper()
	schema := arrow.NewSchema([]arrow.Field{{Name: "call_no", Type: arrow.BinaryTypes.String}, {Name: "stops", Type: arrow.ListOf(arrow.BinaryTypes.String)}}, nil)
	b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
	b.Field(0).(*array.StringBuilder).Append("MW-1")
	b.Field(1).(*array.ListBuilder).AppendNull()
	var out bytes.Buffer
	w, err := pqarrow.NewFileWriter(schema, &out, parquet.NewWriterProperties(), pqarrow.DefaultWriterProps())
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Write(b.NewRecordBatch()); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestBadInput: what cannot be read is refused with what is wrong and where, in bounded memory.
func TestBadInput(t *testing.T) {
	row := `<row><c t="inlineStr"><is><t>a</t></is></c></row>`
	small := set{columns: []string{"a", "b"}, rows: [][]record.Cell{{{Text: "x"}, {Text: "1"}}, {{Text: "y"}, {Text: "2"}}}}
	for name, c := range map[string]struct {
		file    func() []byte
		name    string
		choices intake.Choices
		opts    intake.Options
		err     string
	}{
		"empty":            {file: func() []byte { return nil }, err: "the file is empty"},
		"wrong encoding":   {file: func() []byte { return []byte("a;b\nM\xfcller;1\n") }, choices: intake.Choices{Encoding: "UTF-8"}, err: "line 2: bytes stand here that are not UTF-8"},
		"no such bytes":    {file: func() []byte { return []byte("a;b\nok;1\nM\x81ller;1\n") }, choices: intake.Choices{Encoding: "windows-1252"}, err: "line 3: bytes stand here that are no text in windows-1252"},
		"half a UTF-16":    {file: func() []byte { return []byte("\xFF\xFEa\x00;\x00b\x00\n\x00\x00\xD8;\x00") }, err: "line 2: bytes stand here that are no text in UTF-16LE"},
		"unknown encoding": {file: func() []byte { return []byte("a\n") }, choices: intake.Choices{Encoding: "EBCDIC"}, err: `encoding: "EBCDIC" is not an encoding that is read; write one of UTF-8, `},
		"long delimiter":   {file: func() []byte { return []byte("a\n") }, choices: intake.Choices{Delimiter: "||"}, err: `delimiter: "||" is not one character`},
		"no layout":        {file: func() []byte { return []byte("a\n") }, choices: intake.Choices{Format: intake.Fixed}, err: "layout: fixed-width text needs a layout"},
		"layout backwards": {file: func() []byte { return []byte("a\n") }, choices: intake.Choices{Layout: "a 5-9, b 1-4"}, err: `layout: column "b" begins at character 1, within or before column "a"`},
		"all skipped":      {file: func() []byte { return []byte("a\nb\n") }, choices: intake.Choices{SkipFirst: 7}, err: "the file ends before line 8"},
		"a million columns": {file: func() []byte { return []byte(strings.Repeat("a,", 1_000_000) + "\n") },
			err: "line 1: the line that names the columns is not well formed: more than 16384 cells"},
		"a line of 100 MB":   {file: func() []byte { return append([]byte("a,b\n1,2\n"), bytes.Repeat([]byte("x"), 100<<20)...) }, err: "line 3: a record of more than 16 MiB starts here"},
		"a long fixed line":  {file: func() []byte { return bytes.Repeat([]byte("x"), 100<<20) }, choices: intake.Choices{Layout: "a 1-5"}, err: "line 1: a line of more than 16 MiB starts here"},
		"a long NDJSON line": {file: func() []byte { return append([]byte(`{"a":"`), bytes.Repeat([]byte("x"), 100<<20)...) }, choices: intake.Choices{Format: intake.NDJSON}, err: "line 1: a record of more than 16 MiB starts here"},
		"a long JSON text":   {file: func() []byte { return append([]byte(`[{"a":"`), bytes.Repeat([]byte("x"), 100<<20)...) }, err: "a record of more than 16 MiB is in the JSON"},
		"a long last line": {file: func() []byte { return append([]byte("a,b\n1,2\n"), bytes.Repeat([]byte("x"), 100<<20)...) }, choices: intake.Choices{SkipLast: 1},
			err: "its last lines, 1 to be left out, are longer than 32 MiB"},
		"JSON cut off":        {file: func() []byte { return []byte("[\n{\"a\":1},\n{\"a\":") }, err: "line 3: the JSON is cut off; it did not arrive whole"},
		"JSON cut off behind": {file: func() []byte { return []byte(`{"data":[{"a":1}]`) }, name: "x.json", err: "line 1: the JSON is cut off"},
		"JSON goes on":        {file: func() []byte { return []byte(`[{"a":1}] [`) }, err: "line 1: something stands behind the end of the JSON document"},
		"JSON without array":  {file: func() []byte { return []byte(`{"a":1}`) }, choices: intake.Choices{Format: intake.JSON}, err: "line 1: the document is not an array of objects"},
		"no such pointer":     {file: func() []byte { return []byte(`{"a":[{}]}`) }, choices: intake.Choices{Format: intake.JSON, Pointer: "/b"}, err: `the JSON Pointer leads to nothing: there is no "b"`},
		"deep JSON":           {file: func() []byte { return []byte(strings.Repeat(`[{"a":`, 1)) }, err: "line 1: the JSON is cut off"},
		"very deep JSON": {file: func() []byte {
			return []byte(`[` + strings.Repeat(`{"a":`, 500) + `1` + strings.Repeat(`}`, 500) + `]`)
		}, err: "line 1: the text is no JSON from here on: objects lie more than 100 deep"},
		"no fields":      {file: func() []byte { return []byte(`[{},{}]`) }, err: "no record with a field is in it"},
		"JSON not UTF-8": {file: func() []byte { return []byte("[{\"a\":\"M\xfcller\"}]") }, choices: intake.Choices{Encoding: "UTF-8"}, err: "bytes stand in it that are not UTF-8"},
		"cut gzip":       {file: func() []byte { b := pack(t, "gzip", bytes.Repeat([]byte("a,b\n1,2\n"), 9)); return b[:len(b)-9] }, err: "the gzip file is cut off"},
		"cut zstd":       {file: func() []byte { b := pack(t, "zstd", noise(2_000_000)); return b[:len(b)/2] }, err: "the zstd file is cut off"},
		"a gzip bomb": {file: func() []byte { return pack(t, "gzip", bytes.Repeat([]byte("a,b\n"), 8<<20)) }, opts: intake.Options{MostUnpack: 1 << 20},
			err: "the gzip file unpacks to more than 1048576 bytes, which is the limit here"},
		"a packed workbook":   {file: func() []byte { return pack(t, "gzip", write(t, "xlsx", small, outform.Options{})) }, choices: intake.Choices{Format: intake.Spreadsheet}, err: "a xlsx file is read from place to place"},
		"no workbook":         {file: func() []byte { return []byte("PK\x03\x04nothing") }, err: "the workbook is damaged or cut off"},
		"a cut workbook":      {file: func() []byte { b := write(t, "xlsx", small, outform.Options{}); return b[:len(b)-100] }, err: "the workbook is damaged or cut off"},
		"a workbook password": {file: func() []byte { return locked(t) }, err: "the workbook is protected with a password"},
		"no such sheet":       {file: func() []byte { return write(t, "xlsx", small, outform.Options{}) }, choices: intake.Choices{Sheet: "May"}, err: `the workbook has no sheet "May"; it has "records"`},
		"row 9 names nothing": {file: func() []byte { return write(t, "xlsx", small, outform.Options{}) }, choices: intake.Choices{HeaderRow: 9}, err: `the sheet "records" ends before row 9`},
		"a sheet bomb, texts": {file: func() []byte {
			return workbook(t, strings.NewReader("<sheetData/>"), endless("<si><t>"+strings.Repeat("x", 5000)+"</t></si>", 140<<20))
		}, err: "xl/sharedStrings.xml in the workbook unpacks to more than can be held"},
		"a sheet bomb, a cell": {file: func() []byte {
			return workbook(t, io.MultiReader(strings.NewReader("<sheetData><row><c><v>"), endless(strings.Repeat("x", 5000), 20<<20)), nil)
		}, err: "a cell of more than 1024 KiB is in the workbook"},
		"a sheet bomb, a row": {file: func() []byte {
			return workbook(t, io.MultiReader(strings.NewReader("<sheetData>"+row+"<row>"), endless(`<c t="inlineStr"><is><t>`+strings.Repeat("x", 1000)+`</t></is></c>`, 40<<20)), nil)
		}, err: "line 2: the row is longer than a record can be"},
		"a broken sheet": {file: func() []byte { return workbook(t, strings.NewReader("<sheetData>"+row+"<row><c>"), nil) }, err: "the workbook is damaged: xl/worksheets/sheet1.xml cannot be read"},
		"nested lists":   {file: func() []byte { return nestedParquet(t) }, err: `column "stops": its values are of type list`},
		"a cut Parquet":  {file: func() []byte { b := write(t, "parquet", small, outform.Options{}); return b[:len(b)-20] }, err: "the Parquet file is damaged"},
		"a broken Parquet": {file: func() []byte {
			b := write(t, "parquet", small, outform.Options{})
			copy(b[4:], make([]byte, 30))
			return b
		}, err: "the Parquet file is damaged"},
		"a cut Arrow":    {file: func() []byte { b := write(t, "arrow", small, outform.Options{}); return b[:len(b)-300] }, err: "the Arrow file is"},
		"a footer empty": {file: func() []byte { return []byte("a\n") }, choices: intake.Choices{Footers: []string{""}}, err: "footers: a footer's beginning is empty"},
	} {
		t.Run(name, func(t *testing.T) {
			file := c.file()
			debug.FreeOSMemory()
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			err := drain(file, c.choices, intake.Options{Name: c.name, MostUnpack: c.opts.MostUnpack})
			runtime.ReadMemStats(&after)
			if err == nil || !strings.HasPrefix(err.Error(), c.err) {
				t.Errorf("error %v, want %q", err, c.err)
			}
			choice, unreadable := new(intake.ChoiceError), new(record.Unreadable)
			if !errors.As(err, &choice) && !errors.As(err, &unreadable) {
				t.Errorf("the error is a %T", err)
			}
			if grown := int64(after.Sys) - int64(before.Sys); grown > 400<<20 {
				t.Errorf("memory grew by %d MB", grown>>20)
			}
		})
	}
}

func noise(n int) []byte {
	r, b := rand.NewChaCha8([32]byte{1}), make([]byte, n)
	for i := range b {
		b[i] = "abcdefgh,\n"[r.Uint64()%10]
	}
	return b
}

func drain(file []byte, c intake.Choices, o intake.Options) error {
	src, err := intake.Open(bytes.NewReader(file), int64(len(file)), c, o)
	if err != nil {
		return err
	}
	defer src.Close()
	for {
		if _, err := src.Next(); err == io.EOF {
			return nil
		} else if err != nil {
			return err
		}
	}
}

// TestGuesses: what is found, and what is said of it.
func TestGuesses(t *testing.T) {
	for name, c := range map[string]struct {
		file, settled string
		records       int
		footers       string
		columns       string
	}{
		"semicolons":       {file: "call;amount\nMW-1;12,50\nMW-2;3,00\n", settled: "delimited, UTF-8, delimiter \";\"", records: 2, columns: "call|amount"},
		"no header":        {file: "MW-1\t12.50\nMW-2\t3.00\n", settled: "delimited, UTF-8, delimiter tab, no header", records: 2, columns: "column 1|column 2"},
		"a trailer":        {file: "call,amount\nMW-1,12.50\nTOTAL,1,12.50\n", settled: "delimited, UTF-8, delimiter \",\", footers begin with TOTAL", records: 1, footers: "3 TOTAL,1,12.50", columns: "call|amount"},
		"NDJSON":           {file: "{\"a\":1,\"b\":{\"c\":[1, 2]}}\n{\"a\":null}\n", settled: "ndjson, UTF-8", records: 2, columns: "a|b.c"},
		"a nested array":   {file: `{"meta":{"no":[1,2]},"data":{"rows":[{"a":1}]}}`, settled: "json, UTF-8, records at /data/rows", records: 1, columns: "a"},
		"pasted cells":     {file: "call\tamount\r\nMW-1\t12.50\r\n", settled: "delimited, UTF-8, delimiter tab", records: 1, columns: "call|amount"},
		"ISO-8859-15":      {file: "port;fee\n\xcele;5 \xa4\n", settled: "delimited, ISO-8859-15, delimiter \";\"", records: 1, columns: "port|fee"},
		"windows-1252":     {file: "port;fee\n\xcele;5 \x80\n", settled: "delimited, windows-1252, delimiter \";\"", records: 1, columns: "port|fee"},
		"late other bytes": {file: "a,b\n" + strings.Repeat("1,x\n", 40_000) + "\xfc,1\n", settled: "delimited, windows-1252, delimiter \",\"", records: 40_001, columns: "a|b"},
	} {
		t.Run(name, func(t *testing.T) {
			choices := intake.Choices{}
			got, err := read(t, name, []byte(c.file), choices)
			if err != nil {
				t.Fatal(err)
			}
			settled := got.source.Settled()
			footers := ""
			for _, f := range got.source.Footers() {
				footers += fmt.Sprint(f.Line, " ", f.Text)
			}
			if settled.Say() != c.settled || len(got.rows) != c.records || footers != c.footers || strings.Join(got.columns, "|") != c.columns {
				t.Errorf("%q: %d records, columns %q, footers %q", settled.Say(), len(got.rows), got.columns, footers)
			}
		})
	}
}

// TestTwelveFaults reads a file with twelve planted faults and a footer: each fault is a reject on its line.
func TestTwelveFaults(t *testing.T) {
	var text strings.Builder
	text.WriteString("call_no,service,amount\n")
	faults := map[int64]string{}
	line := int64(2)
	bad := []string{"MW-1,x", "MW-1,x,1,2", "MW-\"1,x,1", "\"MW-1\"x,y,1"}
	for n := range 120 {
		if n%10 == 5 {
			faults[line] = bad[n/10%4]
			text.WriteString(bad[n/10%4] + "\n")
			line++
		}
		if n%7 == 0 {
			fmt.Fprintf(&text, "MW-%d,\"two\nlines\",1.50\n", n)
			line += 2
		} else {
			fmt.Fprintf(&text, "MW-%d,tow,1.50\n", n)
			line++
		}
	}
	text.WriteString("TRAILER,120,180.00\n")
	got, err := read(t, "log.csv", []byte(text.String()), intake.Choices{})
	if err != nil {
		t.Fatal(err)
	}
	if len(got.rows) != 120 || len(got.rejects) != 12 || len(faults) != 12 {
		t.Errorf("%d records and %d rejects", len(got.rows), len(got.rejects))
	}
	for _, r := range got.rejects {
		if faults[r.Line] != r.Text {
			t.Errorf("reject %+v, planted %q", r, faults[r.Line])
		}
	}
	if f := got.source.Footers(); len(f) != 1 || f[0].Line != line || f[0].Text != "TRAILER,120,180.00" {
		t.Errorf("footers %+v, want line %d", f, line)
	}
}

// TestLeftOut leaves lines out before and after, keeps line numbers, and takes markers for blanks.
func TestLeftOut(t *testing.T) {
	text := "Port of Marrowick\nprinted in March\ncall|amount\nMW-1|n/a\nn/a|2\nMW-3|-\n-- end --\n3 records"
	got, err := read(t, "log.txt", []byte(text), intake.Choices{SkipFirst: 2, SkipLast: 2, Blanks: []string{"n/a"}})
	if err != nil {
		t.Fatal(err)
	}
	if want := "[[{MW-1 false} {n/a true}] [{n/a true} {2 false}] [{MW-3 false} {- false}]] [4 5 6]"; fmt.Sprint(got.rows, got.lines) != want {
		t.Errorf("%v %v, want %s", got.rows, got.lines, want)
	}
	if f := got.source.Footers(); fmt.Sprint(f) != "[{7 -- end --} {8 3 records}]" {
		t.Errorf("left out at the end: %v", f)
	}
}
