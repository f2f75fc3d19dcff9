// Package badfiles has files that cannot be read, for tests of whoever reads files.
package badfiles

import (
	"archive/zip"
	"bytes"
	"io"
	"math/rand/v2"
	"strings"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/xuri/excelize/v2"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
)

// File is a file that cannot be read with the choices that go with it.
type File struct {
	Name       string // of what is wrong
	File       func() []byte
	FileName   string
	Choices    intake.Choices
	MostUnpack int64  // of [intake.Options]
	Err        string // what the error begins with
}

// All are files with everything that can be wrong with them.
func All() []File {
	row := `<row><c t="inlineStr"><is><t>a</t></is></c></row>`
	return []File{
		{Name: "empty rows beside errors", File: func() []byte { return []byte(`{"rows":[],"errors":[{"e":"x"}]}`) }, Err: "the array at /rows, where its records seem to be, is empty; other arrays: /errors (1 object). State the JSON Pointer"},
		{Name: "empty", File: func() []byte { return nil }, Err: "the file is empty"},
		{Name: "a database", File: func() []byte { return []byte("SQLite format 3\x00\x10\x00") }, Err: "this is an SQLite database"},
		{Name: "wrong encoding", File: func() []byte { return []byte("a;b\nM\xfcller;1\n") }, Choices: intake.Choices{Encoding: "UTF-8"}, Err: "line 2: column \"a\" has bytes that are not UTF-8 (FC)"},
		{Name: "no such bytes", File: func() []byte { return []byte("a;b\nok;1\nM\x81ller;1\n") }, Choices: intake.Choices{Encoding: "windows-1252"}, Err: "line 3: bytes stand here that are no text in windows-1252"},
		{Name: "half a UTF-16", File: func() []byte { return []byte("\xFF\xFEa\x00;\x00b\x00\n\x00\x00\xD8;\x00") }, Err: "line 2: bytes stand here that are no text in UTF-16LE"},
		{Name: "bytes that are no text", File: func() []byte { return []byte(strings.Repeat("\x02\xd3\x81,\x7f\x00\x1f\n", 200)) }, Err: "it does not look like a text file"},
		{Name: "an archive of controls", File: func() []byte { return []byte(strings.Repeat("a\x01b\x02c\n", 200)) }, Err: "it does not look like a text file"},
		{Name: "unknown encoding", File: func() []byte { return []byte("a\n") }, Choices: intake.Choices{Encoding: "EBCDIC"}, Err: `"EBCDIC"`},
		{Name: "long delimiter", File: func() []byte { return []byte("a\n") }, Choices: intake.Choices{Delimiter: "||"}, Err: `delimiter: "||" is not one character`},
		{Name: "no layout", File: func() []byte { return []byte("a\n") }, Choices: intake.Choices{Format: intake.Fixed}, Err: "layout: fixed-width text needs a layout"},
		{Name: "layout backwards", File: func() []byte { return []byte("a\n") }, Choices: intake.Choices{Layout: "a 5-9, b 1-4"}, Err: `layout: column "b" begins at character 1, within or before column "a"`},
		{Name: "all skipped", File: func() []byte { return []byte("a\nb\n") }, Choices: intake.Choices{SkipFirst: 7}, Err: "the file ends before line 8"},
		{Name: "a million columns", File: func() []byte { return []byte(strings.Repeat("a,", 1_000_000) + "\n") },
			Err: "line 1: the line that names the columns is not well formed: more than 16384 cells"},
		{Name: "a line of 100 MB", File: func() []byte { return append([]byte("a,b\n1,2\n"), bytes.Repeat([]byte("x"), 100<<20)...) }, Err: "line 3: a record of more than 16 MiB starts here"},
		{Name: "a long fixed line", File: func() []byte { return bytes.Repeat([]byte("x"), 100<<20) }, Choices: intake.Choices{Layout: "a 1-5"}, Err: "line 1: a line of more than 16 MiB starts here"},
		{Name: "a long NDJSON line", File: func() []byte { return append([]byte(`{"a":"`), bytes.Repeat([]byte("x"), 100<<20)...) }, Choices: intake.Choices{Format: intake.NDJSON}, Err: "line 1: a record of more than 16 MiB starts here"},
		{Name: "a long JSON text", File: func() []byte { return append([]byte(`[{"a":"`), bytes.Repeat([]byte("x"), 100<<20)...) }, Err: "a record of more than 16 MiB is in the JSON"},
		{Name: "a long last line", File: func() []byte { return append([]byte("a,b\n1,2\n"), bytes.Repeat([]byte("x"), 100<<20)...) }, Choices: intake.Choices{SkipLast: 1},
			Err: "its last lines, 1 to be left out, are longer than 32 MiB"},
		{Name: "JSON cut off", File: func() []byte { return []byte("[\n{\"a\":1},\n{\"a\":") }, Err: "line 3: the JSON is cut off; it did not arrive whole"},
		{Name: "JSON cut off behind", File: func() []byte { return []byte(`{"data":[{"a":1}]`) }, FileName: "x.json", Err: "line 1: the JSON is cut off"},
		{Name: "JSON goes on", File: func() []byte { return []byte(`[{"a":1}] [`) }, Err: "line 1: something stands behind the end of the JSON document"},
		{Name: "JSON without array", File: func() []byte { return []byte(`{"a":1}`) }, Choices: intake.Choices{Format: intake.JSON}, Err: "line 1: the document is not an array of objects"},
		{Name: "no such pointer", File: func() []byte { return []byte(`{"a":[{}]}`) }, Choices: intake.Choices{Format: intake.JSON, Pointer: "/b"}, Err: `the JSON Pointer leads to nothing: there is no "b"`},
		{Name: "deep JSON", File: func() []byte { return []byte(strings.Repeat(`[{"a":`, 1)) }, Err: "line 1: the JSON is cut off"},
		{Name: "very deep JSON", File: func() []byte {
			return []byte(`[` + strings.Repeat(`{"a":`, 500) + `1` + strings.Repeat(`}`, 500) + `]`)
		}, Err: "line 1: the text is no JSON from here on: objects lie more than 100 deep"},
		{Name: "no fields", File: func() []byte { return []byte(`[{},{}]`) }, Err: "no record with a field is in it"},
		{Name: "JSON not UTF-8", File: func() []byte { return []byte("[{\"a\":\"M\xfcller\"}]") }, Choices: intake.Choices{Encoding: "UTF-8"}, Err: "line 1: the record has bytes that are not UTF-8 (FC)"},
		{Name: "cut gzip", File: func() []byte { b := Pack("gzip", bytes.Repeat([]byte("a,b\n1,2\n"), 9)); return b[:len(b)-9] }, Err: "the gzip file is cut off"},
		{Name: "cut zstd", File: func() []byte { b := Pack("zstd", noise(2_000_000)); return b[:len(b)/2] }, Err: "the zstd file is cut off"},
		{Name: "a gzip bomb", File: func() []byte { return Pack("gzip", bytes.Repeat([]byte("a,b\n"), 8<<20)) }, MostUnpack: 1 << 20,
			Err: "the gzip file unpacks to more than 1048576 bytes, which is the limit here"},
		{Name: "a packed workbook", File: func() []byte { return Pack("gzip", written("xlsx")) }, Choices: intake.Choices{Format: intake.Spreadsheet}, Err: "a xlsx file is read from place to place"},
		{Name: "no workbook", File: func() []byte { return []byte("PK\x03\x04nothing") }, Err: "the workbook is damaged or cut off"},
		{Name: "a cut workbook", File: func() []byte { b := written("xlsx"); return b[:len(b)-100] }, Err: "the workbook is damaged or cut off"},
		{Name: "a workbook password", File: func() []byte { return locked() }, Err: "the workbook is protected with a password"},
		{Name: "no such sheet", File: func() []byte { return written("xlsx") }, Choices: intake.Choices{Sheet: "May"}, Err: `the workbook has no sheet "May"; it has "records"`},
		{Name: "row 9 names nothing", File: func() []byte { return written("xlsx") }, Choices: intake.Choices{HeaderRow: 9}, Err: `the sheet "records" ends before row 9`},
		{Name: "a sheet bomb, texts", File: func() []byte {
			return Workbook(strings.NewReader("<sheetData/>"), endless("<si><t>"+strings.Repeat("x", 5000)+"</t></si>", 140<<20))
		}, Err: "xl/sharedStrings.xml in the workbook unpacks to more than can be held"},
		{Name: "a sheet bomb, a cell", File: func() []byte {
			return Workbook(io.MultiReader(strings.NewReader("<sheetData><row><c><v>"), endless(strings.Repeat("x", 5000), 20<<20)), nil)
		}, Err: "a cell of more than 1024 KiB is in the workbook"},
		{Name: "a sheet bomb, a row", File: func() []byte {
			return Workbook(io.MultiReader(strings.NewReader("<sheetData>"+row+"<row>"), endless(`<c t="inlineStr"><is><t>`+strings.Repeat("x", 1000)+`</t></is></c>`, 40<<20)), nil)
		}, Err: "line 2: the row is longer than a record can be"},
		{Name: "a broken sheet", File: func() []byte { return Workbook(strings.NewReader("<sheetData>"+row+"<row><c>"), nil) }, Err: "the workbook is damaged: xl/worksheets/sheet1.xml cannot be read"},
		{Name: "nested lists", File: func() []byte { return nestedParquet() }, Err: `column "stops": its values are of type list`},
		{Name: "a cut Parquet", File: func() []byte { b := written("parquet"); return b[:len(b)-20] }, Err: "the Parquet file is damaged"},
		{Name: "a broken Parquet", File: func() []byte {
			b := written("parquet")
			copy(b[4:], make([]byte, 30))
			return b
		}, Err: "the Parquet file is damaged"},
		{Name: "a cut Arrow", File: func() []byte { b := written("arrow"); return b[:len(b)-300] }, Err: "the Arrow file is"},
		{Name: "a footer empty", File: func() []byte { return []byte("a\n") }, Choices: intake.Choices{Footers: []string{""}}, Err: "footers: a footer's beginning is empty"},
	}
}

// written is a small set in a format.
func written(format string) []byte {
	var out bytes.Buffer
	w, err := outform.New(format, &out, []outform.Column{{Name: "a"}, {Name: "b"}}, outform.Options{})
	if err != nil {
		panic(err)
	}
	for _, r := range [][]record.Cell{{{Text: "x"}, {Text: "1"}}, {{Text: "y"}, {Text: "2"}}} {
		if err := w.Write(r); err != nil {
			panic(err)
		}
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	return out.Bytes()
}

// Workbook packs a sheet of the given XML and shared texts.
func Workbook(sheet, texts io.Reader) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	put := func(name string, content io.Reader) {
		w, err := z.Create(name)
		if err != nil {
			panic(err)
		}
		if _, err := io.Copy(w, content); err != nil {
			panic(err)
		}
	}
	put("xl/workbook.xml", strings.NewReader(`<workbook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="Log" sheetId="1" r:id="r1"/></sheets></workbook>`))
	put("xl/_rels/workbook.xml.rels", strings.NewReader(`<Relationships><Relationship Id="r1" Type="x/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`))
	put("xl/worksheets/sheet1.xml", sheet)
	if texts != nil {
		put("xl/sharedStrings.xml", texts)
	}
	if err := z.Close(); err != nil {
		panic(err)
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

func locked() []byte {
	book := excelize.NewFile()
	defer book.Close()
	var out bytes.Buffer
	if err := book.Write(&out, excelize.Options{Password: "pilot"}); err != nil {
		panic(err)
	}
	return out.Bytes()
}

func nestedParquet() []byte {
	schema := arrow.NewSchema([]arrow.Field{{Name: "call_no", Type: arrow.BinaryTypes.String}, {Name: "stops", Type: arrow.ListOf(arrow.BinaryTypes.String)}}, nil)
	b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
	b.Field(0).(*array.StringBuilder).Append("MW-1")
	b.Field(1).(*array.ListBuilder).AppendNull()
	var out bytes.Buffer
	w, err := pqarrow.NewFileWriter(schema, &out, parquet.NewWriterProperties(), pqarrow.DefaultWriterProps())
	if err != nil {
		panic(err)
	}
	if err := w.Write(b.NewRecordBatch()); err != nil {
		panic(err)
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	return out.Bytes()
}

func noise(n int) []byte {
	r, b := rand.NewChaCha8([32]byte{1}), make([]byte, n)
	for i := range b {
		b[i] = "abcdefgh,\n"[r.Uint64()%10]
	}
	return b
}

// Pack packs bytes with gzip, zstd, or not at all.
func Pack(packing string, b []byte) []byte {
	var out bytes.Buffer
	var w io.WriteCloser
	switch packing {
	case "gzip":
		w = gzip.NewWriter(&out)
	case "zstd":
		z, err := zstd.NewWriter(&out)
		if err != nil {
			panic(err)
		}
		w = z
	default:
		return b
	}
	if _, err := w.Write(b); err != nil {
		panic(err)
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	return out.Bytes()
}
