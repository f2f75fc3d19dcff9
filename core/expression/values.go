package expression

import (
	"fmt"
	"reflect"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"github.com/shopspring/decimal"
)

var (
	numberType = types.NewOpaqueType("number")
	dayType    = types.NewOpaqueType("date")
)

// number is an exact decimal, or a blank one.
type number struct {
	value decimal.Decimal
	blank bool
}

// day is a day of the calendar as YYYY-MM-DD, or a blank one.
type day string

// Equal implements [ref.Val]: a blank equals a blank and nothing else.
func (n number) Equal(other ref.Val) ref.Val {
	o, ok := other.(number)
	return types.Bool(ok && n.blank == o.blank && (n.blank || n.value.Equal(o.value)))
}

// Equal implements [ref.Val].
func (d day) Equal(other ref.Val) ref.Val {
	o, ok := other.(day)
	return types.Bool(ok && d == o)
}

// Type implements [ref.Val].
func (number) Type() ref.Type { return numberType }

// Type implements [ref.Val].
func (day) Type() ref.Type { return dayType }

// Value implements [ref.Val].
func (n number) Value() any { return n }

// Value implements [ref.Val].
func (d day) Value() any { return string(d) }

// ConvertToNative implements [ref.Val]. Nothing asks for it.
func (number) ConvertToNative(t reflect.Type) (any, error) {
	return nil, fmt.Errorf("a number is no %s", t)
}

// ConvertToNative implements [ref.Val]. Nothing asks for it.
func (day) ConvertToNative(t reflect.Type) (any, error) { return nil, fmt.Errorf("a date is no %s", t) }

// ConvertToType implements [ref.Val]. Nothing is converted in silence.
func (number) ConvertToType(t ref.Type) ref.Val {
	return types.NewErr("a number is no %s", t.TypeName())
}

// ConvertToType implements [ref.Val]. Nothing is converted in silence.
func (day) ConvertToType(t ref.Type) ref.Val { return types.NewErr("a date is no %s", t.TypeName()) }
