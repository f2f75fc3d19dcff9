package profile

import (
	"context"
	"encoding/binary"

	"twinsieve/core/record"
)

// repeated counts the records that are the same as an earlier one in every cell.
func repeated(ctx context.Context, t record.Table, budget int64, steps *progress) (int64, error) {
	var n int64
	ps := parts{budget: budget, count: func(ctx context.Context, into *tally, p *part, full func()) error {
		var whole []byte
		for i := range t.Starts() {
			b, err := t.Batch(ctx, i)
			if err != nil {
				return err
			}
			for k := range b.Records() {
				whole = whole[:0]
				for _, col := range b.Columns {
					offsets := col.ValueOffsets()
					text := col.ValueBytes()[offsets[k]:offsets[k+1]]
					// A size in front of each cell, so that no two different records are the same bytes; its last bit tells a null.
					size := uint64(len(text)) << 1
					if col.IsNull(k) {
						size |= 1
					}
					whole = append(binary.AppendUvarint(whole, size), text...)
				}
				if h := hash(whole); p.has(h, whole) {
					into.add(h, whole)
				}
			}
			full()
			steps.add(int64(b.Records()))
		}
		return nil
	}}
	err := ps.each(ctx, func(into *tally) {
		for i := range into.entries {
			n += into.entries[i].records - 1
		}
	})
	return n, err
}
