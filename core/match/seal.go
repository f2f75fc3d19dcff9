package match

import (
	"bytes"
	"fmt"
	"slices"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/arrow/memory"

	"twinsieve/core/tray"
)

// SealRecords is how many records one sealed part of a side covers.
const SealRecords = 1 << 20

var sealSchema = arrow.NewSchema([]arrow.Field{
	{Name: "tray", Type: arrow.PrimitiveTypes.Uint8},
	{Name: "partner", Type: arrow.PrimitiveTypes.Uint32},
	{Name: "key", Type: arrow.PrimitiveTypes.Uint32},
}, nil)

// Seal writes the side's records from number first on, at most [SealRecords], as a compressed Arrow IPC stream.
func (s *Side) Seal(first int) ([]byte, error) {
	end := min(first+SealRecords, len(s.Trays))
	trays := make([]byte, 0, end-first)
	for _, t := range s.Trays[first:end] {
		trays = append(trays, byte(t))
	}
	column := func(t arrow.DataType, b []byte) arrow.ArrayData {
		return array.NewData(t, end-first, []*memory.Buffer{nil, memory.NewBufferBytes(b)}, nil, 0, 0)
	}
	rec := array.NewRecordBatch(sealSchema, []arrow.Array{
		array.NewUint8Data(column(arrow.PrimitiveTypes.Uint8, trays)),
		array.NewUint32Data(column(arrow.PrimitiveTypes.Uint32, arrow.Uint32Traits.CastToBytes(s.Partners[first:end]))),
		array.NewUint32Data(column(arrow.PrimitiveTypes.Uint32, arrow.Uint32Traits.CastToBytes(s.Keys[first:end]))),
	}, int64(end-first))
	var out bytes.Buffer
	w := ipc.NewWriter(&out, ipc.WithSchema(sealSchema), ipc.WithLZ4())
	if err := w.Write(rec); err != nil {
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

// Unseal appends what a part sealed by [Side.Seal] holds.
func (s *Side) Unseal(part []byte) error {
	r, err := ipc.NewReader(bytes.NewReader(part))
	if err != nil {
		return fmt.Errorf("reading a sealed index: %w", err)
	}
	rec, err := r.Read()
	if err != nil {
		return fmt.Errorf("reading a sealed index: %w", err)
	}
	if !rec.Schema().Equal(sealSchema) {
		return fmt.Errorf("reading a sealed index: it has the columns %v", rec.Schema().Fields())
	}
	for _, t := range rec.Column(0).(*array.Uint8).Uint8Values() {
		s.Trays = append(s.Trays, tray.Tray(t))
	}
	s.Partners = append(s.Partners, rec.Column(1).(*array.Uint32).Uint32Values()...)
	s.Keys = append(s.Keys, rec.Column(2).(*array.Uint32).Uint32Values()...)
	return nil
}
