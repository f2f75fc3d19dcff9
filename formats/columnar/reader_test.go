package columnar_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/decimal128"
	"github.com/apache/arrow-go/v18/arrow/decimal256"
	"github.com/apache/arrow-go/v18/arrow/extensions"
	"github.com/apache/arrow-go/v18/arrow/float16"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/formats/columnar"
)

// files are a record batch in each form.
func files(t testing.TB, b arrow.RecordBatch) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	var stream, file, parq bytes.Buffer
	s := ipc.NewWriter(&stream, ipc.WithSchema(b.Schema()))
	if err := errors.Join(s.Write(b), s.Close()); err != nil {
		t.Fatal(err)
	}
	f, err := ipc.NewFileWriter(&file, ipc.WithSchema(b.Schema()), ipc.WithZstd())
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(f.Write(b), f.Close()); err != nil {
		t.Fatal(err)
	}
	out["stream"], out["file"] = stream.Bytes(), file.Bytes()
	if p, err := pqarrow.NewFileWriter(b.Schema(), &parq, parquet.NewWriterProperties(), pqarrow.NewArrowWriterProperties(pqarrow.WithStoreSchema())); err == nil {
		if errors.Join(p.Write(b), p.Close()) == nil { // which knows fewer types
			out["parquet"] = parq.Bytes()
		}
	}
	return out
}

// open opens a file in a form.
func open(form string, file []byte, o columnar.Options) (*columnar.Reader, error) {
	if form == "parquet" {
		return columnar.NewParquet(bytes.NewReader(file), int64(len(file)), o)
	}
	return columnar.NewArrow(bytes.NewReader(file), int64(len(file)), o)
}

// cells reads a file whole: each record as its line and its cells, a null as ∅.
func cells(form string, file []byte, o columnar.Options) ([]string, error) {
	r, err := open(form, file, o)
	if err != nil {
		return nil, err
	}
	rows, lines, err := recordtest.Read(r)
	for i, line := range lines {
		rows[i] = fmt.Sprintf("%d|%s", line, rows[i])
	}
	return rows, err
}

// TestTypes reads a value of every type, and a null, in each form that knows the type.
func TestTypes(t *testing.T) {
	for _, c := range []struct {
		build func(b array.Builder)
		typ   arrow.DataType
		want  string
	}{
		{func(b array.Builder) { b.(*array.StringBuilder).Append("Tar Quay") }, arrow.BinaryTypes.String, "Tar Quay"},
		{func(b array.Builder) { b.(*array.LargeStringBuilder).Append("靠泊") }, arrow.BinaryTypes.LargeString, "靠泊"},
		{func(b array.Builder) { b.(*array.StringViewBuilder).Append("a longer text than fits in a view itself") }, arrow.BinaryTypes.StringView, "a longer text than fits in a view itself"},
		{func(b array.Builder) { b.(*array.BinaryBuilder).Append([]byte("MW-1")) }, arrow.BinaryTypes.Binary, "MW-1"},
		{func(b array.Builder) { b.(*array.BinaryBuilder).Append([]byte("MW-1")) }, arrow.BinaryTypes.LargeBinary, "MW-1"},
		{func(b array.Builder) { b.(*array.FixedSizeBinaryBuilder).Append([]byte("MW-1")) }, &arrow.FixedSizeBinaryType{ByteWidth: 4}, "MW-1"},
		{func(b array.Builder) { b.(*array.BooleanBuilder).Append(true) }, arrow.FixedWidthTypes.Boolean, "true"},
		{func(b array.Builder) { b.(*array.Int8Builder).Append(-128) }, arrow.PrimitiveTypes.Int8, "-128"},
		{func(b array.Builder) { b.(*array.Int16Builder).Append(-32768) }, arrow.PrimitiveTypes.Int16, "-32768"},
		{func(b array.Builder) { b.(*array.Int32Builder).Append(math.MaxInt32) }, arrow.PrimitiveTypes.Int32, "2147483647"},
		{func(b array.Builder) { b.(*array.Int64Builder).Append(9007199254740993) }, arrow.PrimitiveTypes.Int64, "9007199254740993"},
		{func(b array.Builder) { b.(*array.Uint8Builder).Append(255) }, arrow.PrimitiveTypes.Uint8, "255"},
		{func(b array.Builder) { b.(*array.Uint16Builder).Append(65535) }, arrow.PrimitiveTypes.Uint16, "65535"},
		{func(b array.Builder) { b.(*array.Uint32Builder).Append(math.MaxUint32) }, arrow.PrimitiveTypes.Uint32, "4294967295"},
		{func(b array.Builder) { b.(*array.Uint64Builder).Append(math.MaxUint64) }, arrow.PrimitiveTypes.Uint64, "18446744073709551615"},
		{func(b array.Builder) { b.(*array.Float32Builder).Append(0.1) }, arrow.PrimitiveTypes.Float32, "0.1"},
		{func(b array.Builder) { b.(*array.Float64Builder).Append(1204.5) }, arrow.PrimitiveTypes.Float64, "1204.5"},
		{func(b array.Builder) { b.(*array.Float64Builder).Append(1e20) }, arrow.PrimitiveTypes.Float64, "100000000000000000000"},
		{func(b array.Builder) { b.(*array.Float64Builder).Append(1e300) }, arrow.PrimitiveTypes.Float64, "1e+300"},
		{func(b array.Builder) { b.(*array.Decimal128Builder).Append(decimal128.FromI64(-120450)) }, &arrow.Decimal128Type{Precision: 12, Scale: 2}, "-1204.50"},
		{func(b array.Builder) { b.(*array.Decimal256Builder).Append(decimal256.FromI64(5)) }, &arrow.Decimal256Type{Precision: 50, Scale: 3}, "0.005"},
		{func(b array.Builder) { b.(*array.Date32Builder).Append(20516) }, arrow.FixedWidthTypes.Date32, "2026-03-04"},
		{func(b array.Builder) { b.(*array.Date64Builder).Append(20516 * 86_400_000) }, arrow.FixedWidthTypes.Date64, "2026-03-04"},
		{func(b array.Builder) { b.(*array.TimestampBuilder).Append(1772604428) }, &arrow.TimestampType{Unit: arrow.Second}, "2026-03-04T06:07:08"},
		{func(b array.Builder) { b.(*array.TimestampBuilder).Append(1772604428_500000) }, &arrow.TimestampType{Unit: arrow.Microsecond, TimeZone: "UTC"}, "2026-03-04T06:07:08.5Z"},
		{func(b array.Builder) { b.(*array.Time32Builder).Append(22_028_250) }, arrow.FixedWidthTypes.Time32ms, "06:07:08.25"},
		{func(b array.Builder) { b.(*array.Time64Builder).Append(22_028_000_000_001) }, arrow.FixedWidthTypes.Time64ns, "06:07:08.000000001"},
		{func(b array.Builder) { _ = b.(*array.BinaryDictionaryBuilder).AppendString("TUG") }, &arrow.DictionaryType{IndexType: arrow.PrimitiveTypes.Int8, ValueType: arrow.BinaryTypes.String}, "TUG"},
		{func(b array.Builder) { b.AppendNull() }, arrow.Null, "∅"},
		{func(b array.Builder) { b.(*array.Float16Builder).Append(float16.New(0.1)) }, arrow.FixedWidthTypes.Float16, "0.1"},
		{func(b array.Builder) { b.(*array.Float16Builder).Append(float16.New(2049)) }, arrow.FixedWidthTypes.Float16, "2048"},
		{func(b array.Builder) { b.(*array.Float16Builder).Append(float16.New(65504)) }, arrow.FixedWidthTypes.Float16, "65504"},
		{func(b array.Builder) {
			b.(*extensions.UUIDBuilder).AppendBytes([16]byte{0, 0x11, 0x22, 0x33, 0x44, 0x55, 0x66, 0x77, 0x88, 0x99, 0xaa, 0xbb, 0xcc, 0xdd, 0xee, 0xff})
		}, extensions.NewUUIDType(), "00112233-4455-6677-8899-aabbccddeeff"},
	} {
		schema := arrow.NewSchema([]arrow.Field{{Name: "v", Type: c.typ, Nullable: true}}, nil)
		b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
		c.build(b.Field(0))
		b.Field(0).AppendNull()
		for form, file := range files(t, b.NewRecordBatch()) {
			got, err := cells(form, file, columnar.Options{})
			want := "1|" + c.want + " 2|∅"
			if err != nil || strings.Join(got, " ") != want {
				t.Errorf("%s, %s: %v, %v, want %s", c.typ, form, got, err, want)
			}
		}
	}
}

func TestRefused(t *testing.T) {
	item := arrow.BinaryTypes.String
	for want, typ := range map[string]arrow.DataType{`column "v": its values are of type list`: arrow.ListOf(item), `column "v": its values are of type struct`: arrow.StructOf(arrow.Field{Name: "a", Type: item}),
		`column "v": its values are of type map`: arrow.MapOf(item, item), `column "v": it is of type month_interval, which is no cell`: arrow.FixedWidthTypes.MonthInterval} {
		schema := arrow.NewSchema([]arrow.Field{{Name: "v", Type: typ, Nullable: true}}, nil)
		b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
		b.Field(0).AppendNull()
		for form, file := range files(t, b.NewRecordBatch()) {
			if got, err := cells(form, file, columnar.Options{}); err == nil || !strings.HasPrefix(err.Error(), want) {
				t.Errorf("%s, %s: %v, %v", typ, form, got, err)
			}
		}
	}
	schema := arrow.NewSchema([]arrow.Field{{Name: "v", Type: arrow.BinaryTypes.Binary}}, nil)
	b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
	for _, v := range []string{"one", "\xff", "three"} {
		b.Field(0).(*array.BinaryBuilder).Append([]byte(v))
	}
	for form, file := range files(t, b.NewRecordBatch()) {
		var rejects []record.Reject
		got, err := cells(form, file, columnar.Options{Reject: func(r record.Reject) { rejects = append(rejects, r) }})
		if err != nil || fmt.Sprint(got) != "[1|one 3|three]" || fmt.Sprint(rejects) != `[{2 column "v" holds bytes that are no UTF-8 text }]` {
			t.Errorf("%s: %v, rejects %v, %v", form, got, rejects, err)
		}
	}
}

// small is a batch with something of everything that has a length.
func small() arrow.RecordBatch {
	note := arrow.NewMetadata([]string{"office"}, []string{"harbour"})
	schema := arrow.NewSchema([]arrow.Field{{Name: "call_no", Type: arrow.BinaryTypes.String, Metadata: note}, {Name: "at", Type: &arrow.TimestampType{Unit: arrow.Second, TimeZone: "UTC"}, Nullable: true},
		{Name: "code", Type: &arrow.DictionaryType{IndexType: arrow.PrimitiveTypes.Int8, ValueType: arrow.BinaryTypes.String}}}, &note)
	b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
	for i := range 3 {
		b.Field(0).(*array.StringBuilder).Append(fmt.Sprintf("MW-%d", i))
		b.Field(1).AppendNull()
		_ = b.Field(2).(*array.BinaryDictionaryBuilder).AppendString("TUG")
	}
	return b.NewRecordBatch()
}

// TestDamaged sets every four bytes of a file to large numbers in turn: lengths among them would have a decoder ask for more
// memory than there is, from which no program comes back. What happens is an error or the records, and never a panic.
func TestDamaged(t *testing.T) {
	for form, file := range files(t, small()) {
		whole, err := cells(form, file, columnar.Options{})
		if err != nil || len(whole) != 3 {
			t.Fatalf("%s: %v, %v", form, whole, err)
		}
		refused := 0
		for at := 0; at+4 <= len(file); at++ {
			for _, n := range []uint32{0x7FFFFFF0, 0xFFFFFFFF, 0x00FFFFFF, 0} {
				damaged := bytes.Clone(file)
				binary.LittleEndian.PutUint32(damaged[at:], n)
				if _, err := cells(form, damaged, columnar.Options{}); err != nil {
					refused++
					if u := new(record.Unreadable); !errors.As(err, &u) {
						t.Fatalf("%s, %d at %d: %T %v", form, n, at, err, err)
					}
				}
			}
		}
		if refused == 0 {
			t.Errorf("%s: nothing was refused", form)
		}
		for cut := range len(file) {
			if got, err := cells(form, file[:cut], columnar.Options{}); err == nil && (form != "stream" || len(got) != 3 && len(got) != 0) {
				t.Errorf("%s cut to %d of %d bytes: %v", form, cut, len(file), got)
			}
		}
	}
}

func FuzzColumnar(f *testing.F) {
	for form, file := range files(f, small()) {
		f.Add(form == "parquet", file)
	}
	f.Fuzz(func(t *testing.T, parq bool, file []byte) {
		form := "stream"
		if parq {
			form = "parquet"
		}
		if _, err := cells(form, file, columnar.Options{}); err != nil {
			if u := new(record.Unreadable); !errors.As(err, &u) {
				t.Errorf("%T %v", err, err)
			}
		}
	})
}

// TestDictionaryNulls: an entry of a dictionary may be null, and so may what refers to one.
func TestDictionaryNulls(t *testing.T) {
	entries := array.NewStringBuilder(memory.DefaultAllocator)
	entries.Append("TUG")
	entries.AppendNull()
	places := array.NewInt8Builder(memory.DefaultAllocator)
	places.AppendValues([]int8{0, 1, 0}, []bool{true, true, false})
	typ := &arrow.DictionaryType{IndexType: arrow.PrimitiveTypes.Int8, ValueType: arrow.BinaryTypes.String}
	col := array.NewDictionaryArray(typ, places.NewArray(), entries.NewArray())
	batch := array.NewRecordBatch(arrow.NewSchema([]arrow.Field{{Name: "v", Type: typ, Nullable: true}}, nil), []arrow.Array{col}, 3)
	for form, file := range files(t, batch) {
		got, err := cells(form, file, columnar.Options{})
		if want := "[1|TUG 2|∅ 3|∅]"; err != nil || fmt.Sprint(got) != want {
			t.Errorf("%s: %v, %v, want %s", form, got, err, want)
		}
	}
}
