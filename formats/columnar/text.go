package columnar

import (
	"fmt"
	"math"
	"strconv"
	"time"
	"unicode/utf8"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/decimal128"
	"github.com/apache/arrow-go/v18/arrow/decimal256"
	"github.com/apache/arrow-go/v18/arrow/float16"

	"twinsieve/core/exact"
)

// cellText appends the text of value i, which is not null. It reports false where the value has none, as bytes that are
// not UTF-8 have not.
type cellText func(dst []byte, i int) ([]byte, bool)

// textOf returns how the values of an array are written, or an error for types that are no cells.
func textOf(values arrow.Array) (cellText, error) {
	switch a := values.(type) {
	case *array.String:
		return func(dst []byte, i int) ([]byte, bool) { return appendText(dst, a.Value(i)) }, nil
	case *array.LargeString:
		return func(dst []byte, i int) ([]byte, bool) { return appendText(dst, a.Value(i)) }, nil
	case *array.StringView:
		return func(dst []byte, i int) ([]byte, bool) { return appendText(dst, a.Value(i)) }, nil
	case *array.Binary:
		return func(dst []byte, i int) ([]byte, bool) { return appendText(dst, string(a.Value(i))) }, nil
	case *array.LargeBinary:
		return func(dst []byte, i int) ([]byte, bool) { return appendText(dst, string(a.Value(i))) }, nil
	case *array.FixedSizeBinary:
		return func(dst []byte, i int) ([]byte, bool) { return appendText(dst, string(a.Value(i))) }, nil
	case *array.Dictionary:
		entries, err := textOf(a.Dictionary())
		if err != nil {
			return nil, err
		}
		return func(dst []byte, i int) ([]byte, bool) { return entries(dst, a.GetValueIndex(i)) }, nil
	case *array.Boolean:
		return func(dst []byte, i int) ([]byte, bool) { return strconv.AppendBool(dst, a.Value(i)), true }, nil
	case *array.Int8:
		return integers(func(i int) int64 { return int64(a.Value(i)) }), nil
	case *array.Int16:
		return integers(func(i int) int64 { return int64(a.Value(i)) }), nil
	case *array.Int32:
		return integers(func(i int) int64 { return int64(a.Value(i)) }), nil
	case *array.Int64:
		return integers(a.Value), nil
	case *array.Uint8:
		return integers(func(i int) int64 { return int64(a.Value(i)) }), nil
	case *array.Uint16:
		return integers(func(i int) int64 { return int64(a.Value(i)) }), nil
	case *array.Uint32:
		return integers(func(i int) int64 { return int64(a.Value(i)) }), nil
	case *array.Uint64:
		return func(dst []byte, i int) ([]byte, bool) { return strconv.AppendUint(dst, a.Value(i), 10), true }, nil
	case *array.Float16:
		return func(dst []byte, i int) ([]byte, bool) { return appendFloat16(dst, a.Value(i)), true }, nil
	case *array.Float32:
		return floats(32, func(i int) float64 { return float64(a.Value(i)) }), nil
	case *array.Float64:
		return floats(64, a.Value), nil
	case *array.Decimal128:
		scale := a.DataType().(*arrow.Decimal128Type).Scale
		return func(dst []byte, i int) ([]byte, bool) { return appendDecimal128(dst, a.Value(i), scale), true }, nil
	case *array.Decimal256:
		scale := a.DataType().(*arrow.Decimal256Type).Scale
		return func(dst []byte, i int) ([]byte, bool) { return appendDecimal256(dst, a.Value(i), scale), true }, nil
	case *array.Date32:
		return func(dst []byte, i int) ([]byte, bool) {
			return a.Value(i).ToTime().AppendFormat(dst, time.DateOnly), true
		}, nil
	case *array.Date64:
		return func(dst []byte, i int) ([]byte, bool) {
			return a.Value(i).ToTime().AppendFormat(dst, time.DateOnly), true
		}, nil
	case *array.Timestamp:
		return timestamps(a)
	case *array.Time32:
		unit := a.DataType().(*arrow.Time32Type).Unit
		return func(dst []byte, i int) ([]byte, bool) {
			return a.Value(i).ToTime(unit).AppendFormat(dst, "15:04:05.999"), true
		}, nil
	case *array.Time64:
		unit := a.DataType().(*arrow.Time64Type).Unit
		return func(dst []byte, i int) ([]byte, bool) {
			return a.Value(i).ToTime(unit).AppendFormat(dst, "15:04:05.999999999"), true
		}, nil
	case array.ExtensionArray:
		return extended(a)
	case *array.Null:
		return func(dst []byte, _ int) ([]byte, bool) { return dst, true }, nil
	}
	return nil, fmt.Errorf("it is of type %s, which is no cell", values.DataType())
}

// extended returns how the values of an extension type are written: UUIDs as people write them, others as they are stored.
func extended(a array.ExtensionArray) (cellText, error) {
	bytes, ok := a.Storage().(*array.FixedSizeBinary)
	if !ok || a.ExtensionType().ExtensionName() != "arrow.uuid" || bytes.DataType().(*arrow.FixedSizeBinaryType).ByteWidth != 16 {
		return textOf(a.Storage())
	}
	return func(dst []byte, i int) ([]byte, bool) {
		v := bytes.Value(i)
		return fmt.Appendf(dst, "%x-%x-%x-%x-%x", v[:4], v[4:6], v[6:8], v[8:10], v[10:]), true
	}, nil
}

// appendFloat16 writes a number with as few digits as tell it from its neighbours, and a whole number as it is.
func appendFloat16(dst []byte, v float16.Num) []byte {
	wide := float64(v.Float32())
	for digits := 1; digits < 5 && wide != math.Trunc(wide); digits++ { // five always do
		text := strconv.FormatFloat(wide, 'g', digits, 64)
		if near, err := strconv.ParseFloat(text, 64); err == nil && float16.New(float32(near)) == v {
			return exact.AppendFloat(dst, near, 64)
		}
	}
	return exact.AppendFloat(dst, wide, 32)
}

func appendText(dst []byte, text string) ([]byte, bool) {
	return append(dst, text...), utf8.ValidString(text)
}

func integers(value func(int) int64) cellText {
	return func(dst []byte, i int) ([]byte, bool) { return strconv.AppendInt(dst, value(i), 10), true }
}

func floats(bits int, value func(int) float64) cellText {
	return func(dst []byte, i int) ([]byte, bool) {
		return exact.AppendFloat(dst, value(i), bits), true
	}
}

func appendDecimal128(dst []byte, v decimal128.Num, scale int32) []byte {
	return append(dst, v.ToString(scale)...)
}

func appendDecimal256(dst []byte, v decimal256.Num, scale int32) []byte {
	return append(dst, v.ToString(scale)...)
}

// timestamps writes times in ISO 8601: with a Z where the column says that its times are in UTC, with the distance from UTC
// where it names another zone, and with neither where it names none.
func timestamps(a *array.Timestamp) (cellText, error) {
	t := a.DataType().(*arrow.TimestampType)
	layout := "2006-01-02T15:04:05.999999999"
	zone := time.UTC
	if t.TimeZone != "" {
		var err error
		if zone, err = time.LoadLocation(t.TimeZone); err != nil {
			return nil, fmt.Errorf("its time zone %q is not known here", t.TimeZone)
		}
		layout += "Z07:00"
	}
	return func(dst []byte, i int) ([]byte, bool) {
		return a.Value(i).ToTime(t.Unit).In(zone).AppendFormat(dst, layout), true
	}, nil
}
