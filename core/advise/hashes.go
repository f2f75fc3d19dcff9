package advise

import (
	"cmp"
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/cespare/xxhash/v2"

	"twinsieve/core/reading"
)

// A hasher hashes a column's values in the form in which they are held against others. Most columns have few values, so it remembers short ones
// that it has read lately. It is not for several goroutines at once.
type hasher struct {
	reader *reading.Reader
	lately []known // by the hash of the text; made with the first value
}

// known is a short text that has been read, and what its value hashes to.
type known struct {
	hash   uint64
	length uint8 // of the text, plus one; 0: there is none
	text   [longestKnown]byte
}

const (
	longestKnown = 31
	knownAtOnce  = 512
)

// of is the hash of a value; 0: it is blank. What cannot be read in the form stays as it came.
func (h *hasher) of(col *array.String, i int) uint64 {
	if col.IsNull(i) {
		return 0
	}
	text := col.Value(i)
	if len(text) > longestKnown {
		return h.read([]byte(text))
	}
	if h.lately == nil {
		h.lately = make([]known, knownAtOnce)
	}
	k := &h.lately[xxhash.Sum64String(text)%knownAtOnce]
	if int(k.length) != len(text)+1 || string(k.text[:len(text)]) != text {
		k.length = uint8(copy(k.text[:], text) + 1)
		k.hash = h.read(k.text[:len(text)])
	}
	return k.hash
}

func (h *hasher) read(cell []byte) uint64 {
	v := h.reader.Cell(cell)
	switch {
	case v.State.IsBlank():
		return 0
	case v.State == reading.Unreadable:
		return max(xxhash.Sum64(cell), 1)
	}
	return max(xxhash.Sum64(v.Text), 1)
}

// mix spreads a hash over all its bits.
func mix(h uint64) uint64 {
	h ^= h >> 33
	h *= 0xff51afd7ed558ccd
	h ^= h >> 33
	h *= 0xc4ceb9fe1a85ec53
	return h ^ h>>33
}

// entry is a record's key, as a hash, and its number among the records looked at.
type entry struct {
	hash uint64
	row  int
}

// byHash compares entries by hash, and by row where that is the same.
func byHash(a, b entry) int { return cmp.Or(cmp.Compare(a.hash, b.hash), cmp.Compare(a.row, b.row)) }

// inBucket is about how many entries are sorted at a time. So few lie near the processor.
const inBucket = 16

// sortEntries sorts entries, whose hashes go up to most and are spread evenly, by hash and row. It gives back other memory than it was given.
func sortEntries(list []entry, most uint64) []entry {
	buckets := len(list)/inBucket + 2
	width := most/uint64(buckets) + 1
	ends := make([]int, buckets) // first how many are in each, then where it begins, at last where it ends
	for i := range list {
		ends[list[i].hash/width]++
	}
	begin := 0
	for b, n := range ends {
		ends[b] = begin
		begin += n
	}
	sorted := make([]entry, len(list))
	for _, e := range list {
		at := &ends[e.hash/width]
		sorted[*at] = e
		*at++
	}
	begin = 0
	for _, end := range ends {
		sortBucket(sorted[begin:end])
		begin = end
	}
	return sorted
}

// sortBucket sorts entries of which there are few, or many whose hashes are the same.
func sortBucket(list []entry) {
	if len(list) > 4*inBucket {
		slices.SortFunc(list, byHash)
		return
	}
	for i := 1; i < len(list); i++ {
		e, at := list[i], i
		for ; at > 0 && byHash(e, list[at-1]) < 0; at-- {
			list[at] = list[at-1]
		}
		list[at] = e
	}
}
