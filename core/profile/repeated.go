package profile

import (
	"context"
	"encoding/binary"
	"slices"

	"twinsieve/core/record"
)

// repeated counts the records that are the same as an earlier one in every cell. Where there is room for a hash of every record, only
// those whose hash is not theirs alone are compared.
func repeated(ctx context.Context, t record.Table, budget int64, steps *progress) (int64, error) {
	if 2*8*t.Records() <= budget {
		rows, err := alike(ctx, t, steps)
		if err != nil || len(rows) == 0 {
			return 0, err
		}
		const many = 8 // of all records, beyond which each batch is read for the comparison anyway
		if int64(len(rows)) < t.Records()/many {
			return repeatedAmong(ctx, t, rows)
		}
	}
	var n int64
	ps := parts{budget: budget, count: func(ctx context.Context, into *tally, p *part, full func()) error {
		var whole []byte
		for i := range t.Starts() {
			b, err := t.Batch(ctx, i)
			if err != nil {
				return err
			}
			for k := range b.Records() {
				whole = appendWhole(whole[:0], b, k)
				if h := hash(whole); p.has(h, whole) {
					into.add(h, whole)
				}
			}
			full()
			steps.add(wholeRecord, int64(b.Records()))
		}
		return nil
	}}
	err := ps.each(ctx, func(into *tally) { n += into.more() })
	return n, err
}

// alike are the numbers of the records whose hash another record has, too.
func alike(ctx context.Context, t record.Table, steps *progress) (rows []uint32, err error) {
	hashes := make([]uint64, 0, t.Records())
	var whole []byte
	for i := range t.Starts() {
		b, err := t.Batch(ctx, i)
		if err != nil {
			return nil, err
		}
		for k := range b.Records() {
			whole = appendWhole(whole[:0], b, k)
			hashes = append(hashes, hash(whole))
		}
		steps.add(wholeRecord, int64(b.Records()))
	}
	sorted := slices.Clone(hashes)
	slices.Sort(sorted)
	several := map[uint64]bool{}
	for i := 1; i < len(sorted); i++ {
		if sorted[i] == sorted[i-1] {
			several[sorted[i]] = true
		}
	}
	if len(several) == 0 {
		return nil, nil
	}
	for row, h := range hashes {
		if several[h] {
			rows = append(rows, uint32(row))
		}
	}
	return rows, nil
}

func repeatedAmong(ctx context.Context, t record.Table, rows []uint32) (int64, error) {
	into := newTally()
	var whole []byte
	err := record.Gather(ctx, t, rows, func(_ int, b *record.Batch, i int) {
		whole = appendWhole(whole[:0], b, i)
		into.add(hash(whole), whole)
	})
	return into.more(), err
}

// more is how many of what was counted were there already.
func (t *tally) more() (n int64) {
	for i := range t.entries {
		n += t.entries[i].records - 1
	}
	return n
}

// appendWhole appends the batch's record i. A size in front of each cell makes no two different records the same bytes; its last bit
// tells a null.
func appendWhole(dst []byte, b *record.Batch, i int) []byte {
	for _, col := range b.Columns {
		offsets := col.ValueOffsets()
		text := col.ValueBytes()[offsets[i]:offsets[i+1]]
		size := uint64(len(text)) << 1
		if col.IsNull(i) {
			size |= 1
		}
		dst = append(binary.AppendUvarint(dst, size), text...)
	}
	return dst
}
