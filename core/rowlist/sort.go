package rowlist

import (
	"bytes"
	"cmp"
	"container/heap"
	"context"
	"encoding/binary"
	"slices"

	"twinsieve/core/comparison"
	"twinsieve/core/spill"
)

// run is some rows with their sort keys.
type run struct {
	entries []entry
	text    []byte
}

// entry is a row and its sort key: where it is, and the eight bytes of it that are being sorted by, as a number.
type entry struct {
	word       uint64
	start, end int
	row        comparison.Row
}

func (r *run) add(row comparison.Row, key []byte) {
	start := len(r.text)
	r.text = append(r.text, key...)
	r.entries = append(r.entries, entry{wordAt(key, 0), start, len(r.text), row})
}

const wordBytes = 8

// wordAt is the bytes of a key from a place on, as a number; what is behind the key's end counts as zero.
func wordAt(key []byte, at int) uint64 {
	var word [wordBytes]byte
	if at < len(key) {
		copy(word[:], key[at:])
	}
	return binary.BigEndian.Uint64(word[:])
}

// sort sorts the run. Rows with equal keys stay in the order in which they were added.
func (r *run) sort() { r.sortFrom(r.entries, 0) }

// sortFrom sorts entries whose keys are equal before a place: by the word there, and then each that have that in common by the
// next. No key is the beginning of another, so keys that are equal to their end are equal. Columns of few values, which are what
// people sort by first, are so compared once and not with every pair.
func (r *run) sortFrom(entries []entry, at int) {
	slices.SortFunc(entries, func(a, b entry) int { return cmp.Or(cmp.Compare(a.word, b.word), cmp.Compare(a.start, b.start)) })
	for from := 0; from < len(entries); {
		to := from + 1
		for to < len(entries) && entries[to].word == entries[from].word {
			to++
		}
		if alike := entries[from:to]; len(alike) > 1 && alike[0].end-alike[0].start > at+wordBytes {
			for i := range alike {
				alike[i].word = wordAt(r.text[alike[i].start:alike[i].end], at+wordBytes)
			}
			r.sortFrom(alike, at+wordBytes)
		}
		from = to
	}
}

// bytes is how much memory the run holds.
func (r *run) bytes() int64 { return int64(cap(r.entries))*32 + int64(cap(r.text)) }

// sorter merges runs. Beyond its budget they are kept in a temporary file.
type sorter struct {
	opts Options
	held int64
	runs []cursor
	file *spill.File
}

func newSorter(opts Options) *sorter { return &sorter{opts: opts} }

func (s *sorter) close() { _ = s.file.Close() }

// add takes over a sorted run, which comes behind those before it.
func (s *sorter) add(r *run) (err error) {
	if len(r.entries) == 0 {
		return nil
	}
	if s.held+r.bytes() <= s.opts.Budget/2 {
		s.held += r.bytes()
		s.runs = append(s.runs, &inMemory{run: r})
		return nil
	}
	if s.file == nil {
		if s.file, err = spill.Create(s.opts.TempDir); err != nil {
			return err
		}
	}
	c := &inFile{file: s.file}
	block := make([]byte, 0, blockBytes)
	flush := func() error {
		at, err := s.file.Append(block)
		c.blocks = append(c.blocks, extent{at, len(block)})
		block = block[:0]
		return err
	}
	for _, e := range r.entries {
		key := r.text[e.start:e.end]
		if len(block) > 0 && len(block)+len(key)+12 > blockBytes {
			if err := flush(); err != nil {
				return err
			}
		}
		block = binary.LittleEndian.AppendUint32(block, uint32(len(key)))
		block = binary.LittleEndian.AppendUint32(block, e.row[0])
		block = binary.LittleEndian.AppendUint32(block, e.row[1])
		block = append(block, key...)
	}
	s.runs = append(s.runs, c)
	return flush()
}

// merge writes all rows in order to a list.
func (s *sorter) merge(ctx context.Context, to *List) error {
	var queue merging
	for i, c := range s.runs {
		ok, err := c.next()
		if err != nil {
			return err
		}
		if ok {
			queue = append(queue, merged{c, i})
		}
	}
	heap.Init(&queue)
	rows := make([]comparison.Row, 0, 4096)
	for done := int64(0); len(queue) > 0; done++ {
		c := queue[0].cursor
		_, row := c.at()
		if rows = append(rows, row); len(rows) == cap(rows) {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := to.add(rows); err != nil {
				return err
			}
			rows = rows[:0]
		}
		ok, err := c.next()
		switch {
		case err != nil:
			return err
		case ok:
			heap.Fix(&queue, 0)
		default:
			heap.Pop(&queue)
		}
	}
	return to.add(rows)
}

// cursor goes through a sorted run.
type cursor interface {
	next() (bool, error)
	at() ([]byte, comparison.Row)
}

type inMemory struct {
	*run
	n int // how many have been gone to
}

func (c *inMemory) next() (bool, error) {
	c.n++
	return c.n <= len(c.entries), nil
}

func (c *inMemory) at() ([]byte, comparison.Row) {
	e := &c.entries[c.n-1]
	return c.text[e.start:e.end], e.row
}

// blockBytes is how much of a run in a file is read at a time. An entry may be longer.
const blockBytes = 64 << 10

type extent struct {
	at   int64
	size int
}

type inFile struct {
	file   *spill.File
	blocks []extent
	block  []byte
	rest   []byte
	key    []byte
	row    comparison.Row
}

func (c *inFile) next() (bool, error) {
	if len(c.rest) == 0 {
		if len(c.blocks) == 0 {
			return false, nil
		}
		next := c.blocks[0]
		c.blocks = c.blocks[1:]
		c.block = slices.Grow(c.block[:0], next.size)[:next.size]
		if err := c.file.ReadAt(c.block, next.at); err != nil {
			return false, err
		}
		c.rest = c.block
	}
	size := binary.LittleEndian.Uint32(c.rest)
	c.row = comparison.Row{binary.LittleEndian.Uint32(c.rest[4:]), binary.LittleEndian.Uint32(c.rest[8:])}
	c.key, c.rest = c.rest[12:12+size], c.rest[12+size:]
	return true, nil
}

func (c *inFile) at() ([]byte, comparison.Row) { return c.key, c.row }

// merging is the runs that have rows left, the one with the least first; of equal ones, the earlier.
type merging []merged

type merged struct {
	cursor
	number int
}

func (m merging) Len() int      { return len(m) }
func (m merging) Swap(i, j int) { m[i], m[j] = m[j], m[i] }
func (m merging) Less(i, j int) bool {
	a, _ := m[i].at()
	b, _ := m[j].at()
	if by := bytes.Compare(a, b); by != 0 {
		return by < 0
	}
	return m[i].number < m[j].number
}
func (m *merging) Push(x any) { *m = append(*m, x.(merged)) }
func (m *merging) Pop() any {
	last := (*m)[len(*m)-1]
	*m = (*m)[:len(*m)-1]
	return last
}
