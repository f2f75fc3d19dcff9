package match

import (
	"bytes"
	"errors"
	"fmt"
	"slices"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/arrow/memory"

	"twinsieve/core/tray"
)

// SealRecords is how many records one sealed part of a side covers, but for the last.
const SealRecords = 1 << 20

// A sealed part says of each record in one byte where it ends up, what there is to say of its partner, and what of its key. Most has been said by then: a right record's partner, and its key, by
// the left record that it is paired with; and a left record mostly has the next key. A partner that is told is told as its distance from where it would be if both sides had the same order, in
// four columns of a byte, of which those behind the first few are all zero.
const (
	sealTray = 0x0f // of the byte

	sealPartner     = 0x30
	sealNoPartner   = 0x00
	sealToldPartner = 0x10
	sealSaidPartner = 0x20 // it is the left record that has this one as its partner

	sealKey     = 0xc0
	sealNoKey   = 0x00
	sealToldKey = 0x40
	sealNextKey = 0x80 // it is the one behind the greatest before it in the part
	sealSaidKey = 0xc0 // it is its partner's
)

// said stands for the partner or the key of a record of which the left side's parts tell it, until [Index.Unsealed].
const said = None - 1

var sealSchema = arrow.NewSchema([]arrow.Field{
	{Name: "kind", Type: arrow.PrimitiveTypes.Uint8},
	{Name: "partner0", Type: arrow.PrimitiveTypes.Uint8},
	{Name: "partner1", Type: arrow.PrimitiveTypes.Uint8},
	{Name: "partner2", Type: arrow.PrimitiveTypes.Uint8},
	{Name: "partner3", Type: arrow.PrimitiveTypes.Uint8},
	{Name: "key", Type: arrow.PrimitiveTypes.Uint32},
}, nil)

// sealSchemaOfBefore is that of parts in which all is told.
var sealSchemaOfBefore = arrow.NewSchema([]arrow.Field{
	{Name: "tray", Type: arrow.PrimitiveTypes.Uint8},
	{Name: "partner", Type: arrow.PrimitiveTypes.Uint32},
	{Name: "key", Type: arrow.PrimitiveTypes.Uint32},
}, nil)

// Seal writes the records of a side from number first up to end, which are at least one and best [SealRecords], as a compressed Arrow IPC stream.
func (x *Index) Seal(side tray.Side, first, end int) ([]byte, error) {
	s, left := &x.Sides[side], &x.Sides[tray.Left]
	n := end - first
	kinds, keys := make([]byte, n), make([]uint32, n)
	var partners [4][]byte
	for i := range partners {
		partners[i] = make([]byte, n)
	}
	nextKey, nextPartner := uint32(0), uint32(first)
	for i := range n {
		row := first + i
		kind, partner, key := byte(s.Trays[row]), s.Partners[row], s.Keys[row]
		isSaid := side == tray.Right && partner != None && left.Partners[partner] == uint32(row)
		switch {
		case partner == None:
		case isSaid:
			kind |= sealSaidPartner
		default:
			kind |= sealToldPartner
			step := int32(partner - nextPartner)
			apart := uint32(step<<1) ^ uint32(step>>31) // small whichever way
			for b := range partners {
				partners[b][i] = byte(apart >> (8 * b))
			}
			nextPartner = partner + 1
		}
		switch {
		case key == None:
		case isSaid && left.Keys[partner] == key:
			kind |= sealSaidKey
		case key == nextKey:
			kind |= sealNextKey
			nextKey++
		default:
			kind |= sealToldKey
			keys[i] = key
			nextKey = max(nextKey, key+1)
		}
		kinds[i] = kind
	}
	column := func(t arrow.DataType, b []byte) arrow.ArrayData {
		return array.NewData(t, n, []*memory.Buffer{nil, memory.NewBufferBytes(b)}, nil, 0, 0)
	}
	columns := []arrow.Array{array.NewUint8Data(column(arrow.PrimitiveTypes.Uint8, kinds))}
	for _, b := range partners {
		columns = append(columns, array.NewUint8Data(column(arrow.PrimitiveTypes.Uint8, b)))
	}
	columns = append(columns, array.NewUint32Data(column(arrow.PrimitiveTypes.Uint32, arrow.Uint32Traits.CastToBytes(keys))))
	var out bytes.Buffer
	w := ipc.NewWriter(&out, ipc.WithSchema(sealSchema), ipc.WithLZ4())
	if err := w.Write(array.NewRecordBatch(sealSchema, columns, int64(n))); err != nil {
		return nil, fmt.Errorf("sealing an index: %w", err)
	}
	if err := w.Close(); err != nil {
		return nil, fmt.Errorf("sealing an index: %w", err)
	}
	return out.Bytes(), nil
}

// Reserve makes room for so many records that will be unsealed.
func (s *Side) Reserve(records int64) {
	s.Trays = slices.Grow(s.Trays, int(records))
	s.Partners = slices.Grow(s.Partners, int(records))
	s.Keys = slices.Grow(s.Keys, int(records))
}

// Unseal appends what a part sealed by [Index.Seal] holds. The parts of a side come in their order; when all of both sides are there, [Index.Unsealed] is to follow.
func (s *Side) Unseal(part []byte) error {
	r, err := ipc.NewReader(bytes.NewReader(part))
	if err != nil {
		return fmt.Errorf("reading a sealed index: %w", err)
	}
	rec, err := r.Read()
	if err != nil {
		return fmt.Errorf("reading a sealed index: %w", err)
	}
	switch {
	case rec.Schema().Equal(sealSchemaOfBefore):
		for _, t := range rec.Column(0).(*array.Uint8).Uint8Values() {
			s.Trays = append(s.Trays, tray.Tray(t))
		}
		s.Partners = append(s.Partners, rec.Column(1).(*array.Uint32).Uint32Values()...)
		s.Keys = append(s.Keys, rec.Column(2).(*array.Uint32).Uint32Values()...)
		return nil
	case !rec.Schema().Equal(sealSchema):
		return fmt.Errorf("reading a sealed index: it has the columns %v", rec.Schema().Fields())
	}
	var partners [4][]byte
	for b := range partners {
		partners[b] = rec.Column(1 + b).(*array.Uint8).Uint8Values()
	}
	keys := rec.Column(5).(*array.Uint32).Uint32Values()
	nextKey, nextPartner := uint32(0), uint32(len(s.Trays))
	for i, kind := range rec.Column(0).(*array.Uint8).Uint8Values() {
		partner, key := None, None
		switch kind & sealPartner {
		case sealSaidPartner:
			partner = said
		case sealToldPartner:
			apart := uint32(partners[0][i]) | uint32(partners[1][i])<<8 | uint32(partners[2][i])<<16 | uint32(partners[3][i])<<24
			partner = nextPartner + (apart>>1 ^ -(apart & 1))
			nextPartner = partner + 1
		}
		switch kind & sealKey {
		case sealSaidKey:
			key = said
		case sealNextKey:
			key = nextKey
			nextKey++
		case sealToldKey:
			key = keys[i]
			nextKey = max(nextKey, key+1)
		}
		s.Trays, s.Partners, s.Keys = append(s.Trays, tray.Tray(kind&sealTray)), append(s.Partners, partner), append(s.Keys, key)
	}
	return nil
}

var errSealed = errors.New("reading a sealed index: its sides do not belong together")

// Unsealed fills in what the left side's parts say of the right side's records.
func (x *Index) Unsealed() error {
	left, right := &x.Sides[tray.Left], &x.Sides[tray.Right]
	for row, partner := range left.Partners {
		switch {
		case partner == None:
		case int64(partner) >= int64(len(right.Partners)):
			return errSealed
		case right.Partners[partner] == said:
			right.Partners[partner] = uint32(row)
			if right.Keys[partner] == said {
				right.Keys[partner] = left.Keys[row]
			}
		}
	}
	if slices.Contains(right.Partners, said) || slices.Contains(right.Keys, said) {
		return errSealed
	}
	return nil
}
