package record

import (
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/bitutil"
)

// Markers are texts that a set's owner has declared to mean blank, such as "n/a". A cell that is exactly one of them is
// null, and keeps its text.
type Markers struct {
	texts    map[string]bool
	shortest int
	longest  int
}

// NewMarkers returns the markers with the given texts. No texts give markers that change nothing.
func NewMarkers(texts []string) Markers {
	m := Markers{texts: make(map[string]bool, len(texts))}
	for i, t := range texts {
		if i == 0 || len(t) < m.shortest {
			m.shortest = len(t)
		}
		m.longest = max(m.longest, len(t))
		m.texts[t] = true
	}
	return m
}

// Apply returns the batch with every cell null that is a marker. The batch that was given is as it was.
func (m Markers) Apply(b *Batch) *Batch {
	if len(m.texts) == 0 {
		return b
	}
	out := &Batch{First: b.First, Lines: b.Lines, Columns: make([]*array.String, len(b.Columns))}
	for c, col := range b.Columns {
		if col != nil {
			out.Columns[c] = m.column(col)
		}
	}
	return out
}

func (m Markers) column(col *array.String) *array.String {
	offsets, text := col.ValueOffsets(), col.ValueBytes()
	var valid []byte
	for i := range col.Len() {
		n := int(offsets[i+1] - offsets[i])
		if n < m.shortest || n > m.longest || !m.texts[string(text[offsets[i]:offsets[i+1]])] {
			continue
		}
		if valid == nil {
			valid = make([]byte, bitutil.BytesForBits(int64(col.Len())))
			for k := range col.Len() {
				bitutil.SetBitTo(valid, k, col.IsValid(k))
			}
		}
		bitutil.ClearBit(valid, i)
	}
	if valid == nil {
		return col
	}
	return stringArray(text, offsets, valid)
}
