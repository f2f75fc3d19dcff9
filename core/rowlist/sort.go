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

// entry is a row and its sort key: its first bytes as a number, for most comparisons end there, and where all of it is.
type entry struct {
	first      uint64
	start, end int
	row        comparison.Row
}

func (r *run) add(row comparison.Row, key []byte) {
	start := len(r.text)
	r.text = append(r.text, key...)
	r.entries = append(r.entries, entry{firstOf(key), start, len(r.text), row})
}

func firstOf(key []byte) uint64 {
	var first [8]byte
	copy(first[:], key)
	return binary.BigEndian.Uint64(first[:])
}

// sort sorts the run. Rows with equal keys stay in the order in which they were added.
func (r *run) sort() {
	slices.SortFunc(r.entries, func(a, b entry) int {
		if a.first != b.first {
			return cmp.Compare(a.first, b.first)
		}
		return cmp.Or(bytes.Compare(r.text[a.start:a.end], r.text[b.start:b.end]), cmp.Compare(a.start, b.start))
	})
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
