package record

import (
	"errors"
	"fmt"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/cespare/xxhash/v2"
)

// A column of a batch is kept as an Arrow IPC stream, compressed with LZ4: a page is decoded ten times as fast as with
// Zstandard. It has one of three forms, which its first field's name tells:
//
//	values   a dictionary array, where few of the cells are different
//	sizes    how many bytes each cell has, and beside it, in the first row of a second column, the text of them all: what is
//	         compressed then is sizes, which are alike, and not places, which never are
//	cells    a string array, as it was written once
//
// A null cell keeps its text in each of them.

// The fields of the forms.
const (
	valuesField = "values"
	sizesField  = "sizes"
	textField   = "text"
	cellsField  = "cells"
)

// EncodeColumn writes one column of a batch.
func EncodeColumn(col *array.String) ([]byte, error) {
	if col.Len() > 0 {
		if d := fewValues(col); d != nil {
			return d.encode(col)
		}
	}
	return encodeSizes(col)
}

// DecodeColumn reads what [EncodeColumn] wrote.
func DecodeColumn(blob []byte) (*array.String, error) {
	rec, err := decode(blob)
	if err != nil {
		return nil, err
	}
	wrong := errors.New("a stored column does not hold text")
	if rec.NumCols() == 0 {
		return nil, wrong
	}
	var col *array.String
	ok := false
	switch rec.ColumnName(0) {
	case cellsField:
		col, ok = rec.Column(0).(*array.String)
	case valuesField:
		col, ok = decodeValues(rec.Column(0))
	case sizesField:
		col, ok = decodeSizes(rec)
	}
	if !ok {
		return nil, wrong
	}
	return col, nil
}

// dictionary is the different values of a column, and which of them each cell has.
type dictionary struct {
	values  [][]byte
	indexes []uint16
}

// fewValues finds the different values of a column, or returns nil where they are so many that nothing is gained.
func fewValues(col *array.String) *dictionary {
	offsets, text := col.ValueOffsets(), col.ValueBytes()
	most := col.Len() / 4 // different values
	if most == 0 || len(text) < 2*col.Len() {
		return nil
	}
	const slots = 1 << 14
	var table [slots]uint16 // number of a value plus one
	most = min(most, slots/2)
	d := &dictionary{indexes: make([]uint16, col.Len())}
	for i := range d.indexes {
		value := text[offsets[i]:offsets[i+1]]
		at := xxhash.Sum64(value) % slots
		for ; ; at = (at + 1) % slots {
			n := table[at]
			if n == 0 {
				if len(d.values) == most || len(d.values) > 256 && len(d.values) > i*3/4 {
					return nil
				}
				d.values = append(d.values, value)
				table[at] = uint16(len(d.values))
				d.indexes[i] = uint16(len(d.values) - 1)
				break
			}
			if string(d.values[n-1]) == string(value) {
				d.indexes[i] = n - 1
				break
			}
		}
	}
	return d
}

// encode writes a column by its dictionary.
func (d *dictionary) encode(col *array.String) ([]byte, error) {
	offsets := make([]int32, 1, len(d.values)+1)
	var text []byte
	for _, v := range d.values {
		text = append(text, v...)
		offsets = append(offsets, int32(len(text)))
	}
	var index arrow.DataType = arrow.PrimitiveTypes.Uint16
	buffer := arrow.Uint16Traits.CastToBytes(d.indexes)
	if len(d.values) <= 1<<8 {
		small := make([]byte, len(d.indexes))
		for i, n := range d.indexes {
			small[i] = byte(n)
		}
		index, buffer = arrow.PrimitiveTypes.Uint8, small
	}
	t := &arrow.DictionaryType{IndexType: index, ValueType: arrow.BinaryTypes.String}
	data := array.NewDataWithDictionary(t, len(d.indexes), []*memory.Buffer{validity(col), memory.NewBufferBytes(buffer)}, col.NullN(), 0, stringArray(text, offsets, nil).Data().(*array.Data))
	schema := arrow.NewSchema([]arrow.Field{{Name: valuesField, Type: t, Nullable: true}}, nil)
	return encode(schema, array.NewRecordBatch(schema, []arrow.Array{array.NewDictionaryData(data)}, int64(col.Len())), ipc.WithLZ4())
}

func decodeValues(a arrow.Array) (*array.String, bool) {
	d, ok := a.(*array.Dictionary)
	if !ok {
		return nil, false
	}
	values, ok := d.Dictionary().(*array.String)
	if !ok {
		return nil, false
	}
	from, all := values.ValueOffsets(), values.ValueBytes()
	offsets := make([]int32, d.Len()+1)
	size := int32(0)
	for i := range d.Len() {
		n := d.GetValueIndex(i)
		if n < 0 || n >= values.Len() {
			return nil, false
		}
		size += from[n+1] - from[n]
		offsets[i+1] = size
	}
	text := make([]byte, 0, size)
	for i := range d.Len() {
		n := d.GetValueIndex(i)
		text = append(text, all[from[n]:from[n+1]]...)
	}
	return stringArray(text, offsets, d.NullBitmapBytes()), true
}

// validity is the bitmap of a column's cells that are not null; nil: none is.
func validity(col *array.String) *memory.Buffer {
	if col.NullN() == 0 {
		return nil
	}
	return memory.NewBufferBytes(col.NullBitmapBytes())
}

func encodeSizes(col *array.String) ([]byte, error) {
	n := col.Len()
	offsets := col.ValueOffsets()
	longest := int32(0)
	for i := range n {
		longest = max(longest, offsets[i+1]-offsets[i])
	}
	var t arrow.DataType
	var sizes []byte
	switch {
	case longest < 1<<8:
		t, sizes = arrow.PrimitiveTypes.Uint8, make([]byte, n)
		for i := range n {
			sizes[i] = byte(offsets[i+1] - offsets[i])
		}
	case longest < 1<<16:
		short := make([]uint16, n)
		for i := range n {
			short[i] = uint16(offsets[i+1] - offsets[i])
		}
		t, sizes = arrow.PrimitiveTypes.Uint16, arrow.Uint16Traits.CastToBytes(short)
	default:
		long := make([]uint32, n)
		for i := range n {
			long[i] = uint32(offsets[i+1] - offsets[i])
		}
		t, sizes = arrow.PrimitiveTypes.Uint32, arrow.Uint32Traits.CastToBytes(long)
	}
	sizeData := array.NewData(t, n, []*memory.Buffer{validity(col), memory.NewBufferBytes(sizes)}, nil, col.NullN(), 0)
	whole := make([]int32, n+1) // the first row has all the text
	for i := range n {
		whole[i+1] = int32(len(col.ValueBytes()))
	}
	schema := arrow.NewSchema([]arrow.Field{{Name: sizesField, Type: t, Nullable: true}, {Name: textField, Type: arrow.BinaryTypes.String}}, nil)
	return encode(schema, array.NewRecordBatch(schema, []arrow.Array{array.MakeFromData(sizeData), stringArray(col.ValueBytes(), whole, nil)}, int64(n)), ipc.WithLZ4())
}

func decodeSizes(rec arrow.RecordBatch) (*array.String, bool) {
	if rec.NumCols() != 2 {
		return nil, false
	}
	text, ok := rec.Column(1).(*array.String)
	if !ok {
		return nil, false
	}
	n := int(rec.NumRows())
	offsets := make([]int32, n+1)
	at := int32(0)
	switch sizes := rec.Column(0).(type) {
	case *array.Uint8:
		for i, v := range sizes.Uint8Values() {
			at += int32(v)
			offsets[i+1] = at
		}
	case *array.Uint16:
		for i, v := range sizes.Uint16Values() {
			at += int32(v)
			offsets[i+1] = at
		}
	case *array.Uint32:
		for i, v := range sizes.Uint32Values() {
			at += int32(v)
			offsets[i+1] = at
		}
	default:
		return nil, false
	}
	var valid []byte
	if rec.Column(0).NullN() > 0 {
		valid = rec.Column(0).NullBitmapBytes()
	}
	bytes := text.ValueBytes()
	if int(at) > len(bytes) {
		return nil, false
	}
	return stringArray(bytes[:at:at], offsets, valid), true
}

// EncodeLines writes the source lines of a batch: how far each is from the one before.
func EncodeLines(lines []int64) ([]byte, error) {
	steps := make([]int64, len(lines))
	before := int64(0)
	for i, line := range lines {
		steps[i], before = line-before, line
	}
	schema := arrow.NewSchema([]arrow.Field{{Name: stepsField, Type: arrow.PrimitiveTypes.Int64}}, nil)
	return encode(schema, array.NewRecordBatch(schema, []arrow.Array{int64Array(steps)}, int64(len(steps))), ipc.WithLZ4())
}

// The fields of lines: steps, or, as they were written once, the lines themselves.
const (
	stepsField = "steps"
	linesField = "lines"
)

// DecodeLines reads what [EncodeLines] wrote.
func DecodeLines(blob []byte) ([]int64, error) {
	rec, err := decode(blob)
	if err != nil {
		return nil, err
	}
	if rec.NumCols() != 1 {
		return nil, errors.New("stored lines have more than one column")
	}
	numbers, ok := rec.Column(0).(*array.Int64)
	if !ok {
		return nil, errors.New("stored lines are not numbers")
	}
	switch rec.ColumnName(0) {
	case linesField:
		return numbers.Int64Values(), nil
	case stepsField:
		lines := make([]int64, numbers.Len())
		at := int64(0)
		for i, step := range numbers.Int64Values() {
			at += step
			lines[i] = at
		}
		return lines, nil
	}
	return nil, fmt.Errorf("stored lines are called %q", rec.ColumnName(0))
}
