package profile

import (
	"context"
	"encoding/binary"
	"slices"

	"twinsieve/core/record"
)

// repeated counts the records that are the same as an earlier one in every cell. Where there is room for a hash of every record, only
// those whose hash is not theirs alone are compared. list says how many values each column has, roughly.
func repeated(ctx context.Context, t record.Table, list []effort, budget int64, steps *progress) (int64, error) {
	if hashBytes*t.Records() <= budget {
		telling := tellApart(list, t.Records())
		for _, columns := range [][]int{telling, dearestFirst(list)} {
			rows, err := alike(ctx, t, columns, steps)
			if err != nil || len(rows) == 0 {
				return 0, err
			}
			const many = 8 // of all records, beyond which each batch is read for the comparison anyway
			if int64(len(rows)) < t.Records()/many {
				return repeatedAmong(ctx, t, rows)
			}
			if len(telling) == len(list) {
				break
			}
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

// tellApart are the fewest columns by whose values most records can be told apart, if these are independent of each other: those with the most values.
func tellApart(list []effort, records int64) []int {
	columns := slices.Clone(dearestFirst(list))
	apart := 1.0
	for n, c := range columns {
		const enough = 64 // so many possible values for each record
		if apart *= float64(max(list[c].values, 1)); apart > enough*float64(records) {
			return columns[:n+1]
		}
	}
	return columns
}

// hashBytes is how much memory is needed for each record to find those that are alike.
const hashBytes = 8 + 2*seenBits/8

// seenBits is how many bits there are at least to each record in which it is noted that a hash has been seen.
const seenBits = 8

// alike are the numbers of the records that have in some columns the hash that another record has, too. Most have none, which is seen by a bit that nobody else has set; only the
// hashes of the others are compared.
func alike(ctx context.Context, t record.Table, columns []int, steps *progress) (rows []uint32, err error) {
	hashes := make([]uint64, 0, t.Records())
	bits := 64
	for bits < seenBits*int(t.Records()) {
		bits *= 2
	}
	seen, again := make([]uint64, bits/64), make([]uint64, bits/64)
	place := func(h uint64) (word, bit uint64) {
		at := h & uint64(bits-1)
		return at / 64, 1 << (at % 64)
	}
	for i := range t.Starts() {
		from := len(hashes)
		for n, c := range columns {
			col, err := record.ColumnOf(ctx, t, i, c)
			if err != nil {
				return nil, err
			}
			offsets, all := col.ValueOffsets(), col.ValueBytes()
			if n == 0 {
				hashes = append(hashes, make([]uint64, col.Len())...)
			}
			for k := range hashes[from:] {
				h := &hashes[from+k]
				*h = *h*mixing ^ hash(all[offsets[k]:offsets[k+1]])
			}
		}
		for _, h := range hashes[from:] {
			word, bit := place(h)
			again[word] |= seen[word] & bit
			seen[word] |= bit
		}
		steps.add(wholeRecord, int64(len(hashes)-from))
	}
	var several []uint64
	for row, h := range hashes {
		if word, bit := place(h); again[word]&bit != 0 {
			rows, several = append(rows, uint32(row)), append(several, h)
		}
	}
	slices.Sort(several)
	lone := func(row uint32) bool {
		at, _ := slices.BinarySearch(several, hashes[row])
		return at+1 == len(several) || several[at+1] != hashes[row]
	}
	return slices.DeleteFunc(rows, lone), nil
}

// mixing is odd, so that no hash of a cell gets lost among those of the others.
const mixing = 0x9e3779b97f4a7c15

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
