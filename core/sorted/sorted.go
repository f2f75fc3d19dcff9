// Package sorted puts entries into the order of their keys, however many there are: what exceeds a budget of memory is sorted piece by piece,
// kept in a temporary file, and merged.
package sorted

import (
	"bytes"
	"cmp"
	"container/heap"
	"encoding/binary"
	"slices"

	"twinsieve/core/spill"
)

// Run is some entries. Each has a key, whose bytes are ordered as the entries are, and a payload that comes along. No key may be the beginning of
// another: see [AppendText].
type Run struct {
	entries []entry
	text    []byte
}

// entry is where an entry is, and the eight bytes of its key that are being sorted by, as a number.
type entry struct {
	word             uint64
	start, end, stop int // key and payload
}

// Add adds an entry.
func (r *Run) Add(key, payload []byte) {
	start := len(r.text)
	r.text = append(append(r.text, key...), payload...)
	r.entries = append(r.entries, entry{wordAt(key, 0), start, start + len(key), len(r.text)})
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

// Sort sorts the run. Entries with equal keys stay in the order in which they were added.
func (r *Run) Sort() { r.sortFrom(r.entries, 0) }

// sortFrom sorts entries whose keys are equal before a place: by the word there, and then each that have that in common by the
// next. No key is the beginning of another, so keys that are equal to their end are equal. Parts of few values, which are what
// is often sorted by first, are so compared once and not with every pair.
func (r *Run) sortFrom(entries []entry, at int) {
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
func (r *Run) bytes() int64 { return int64(cap(r.entries))*32 + int64(cap(r.text)) }

// Sorter holds sorted runs.
type Sorter struct {
	budget int64
	dir    string
	held   int64
	runs   []held
	file   *spill.File
}

// held is a run that is held: in memory, or where it is in the file.
type held struct {
	run    *Run
	blocks []extent
}

// New returns a sorter that holds so many bytes in memory, and the rest in a temporary file in dir. It is to be closed.
func New(budget int64, dir string) *Sorter { return &Sorter{budget: budget, dir: dir} }

// Close gives a temporary file's space back.
func (s *Sorter) Close() error { return s.file.Close() }

// Spilled is the number of bytes that went to a temporary file.
func (s *Sorter) Spilled() int64 { return s.file.Size() }

// blockBytes is how much of a run in a file is read at a time. An entry may be longer.
const blockBytes = 64 << 10

type extent struct {
	at   int64
	size int
}

// Add takes over a sorted run, which comes behind those before it.
func (s *Sorter) Add(r *Run) (err error) {
	if len(r.entries) == 0 {
		return nil
	}
	if s.held+r.bytes() <= s.budget {
		s.held += r.bytes()
		s.runs = append(s.runs, held{run: r})
		return nil
	}
	if s.file == nil {
		if s.file, err = spill.Create(s.dir); err != nil {
			return err
		}
	}
	var blocks []extent
	block := make([]byte, 0, blockBytes)
	flush := func() error {
		at, err := s.file.Append(block)
		blocks = append(blocks, extent{at, len(block)})
		block = block[:0]
		return err
	}
	for _, e := range r.entries {
		if len(block) > 0 && len(block)+e.stop-e.start+8 > blockBytes {
			if err := flush(); err != nil {
				return err
			}
		}
		block = binary.LittleEndian.AppendUint32(block, uint32(e.end-e.start))
		block = binary.LittleEndian.AppendUint32(block, uint32(e.stop-e.end))
		block = append(block, r.text[e.start:e.stop]...)
	}
	if err := flush(); err != nil {
		return err
	}
	s.runs = append(s.runs, held{blocks: blocks})
	return nil
}

// Cursor goes through all entries in order, once. There may be several at a time, when all runs have been added.
type Cursor struct {
	queue  merging
	begun  bool
	failed error
}

// Cursor returns a cursor before the first entry.
func (s *Sorter) Cursor() *Cursor {
	c := &Cursor{}
	for i, h := range s.runs {
		var w walk = &inFile{file: s.file, blocks: h.blocks}
		if h.run != nil {
			w = &inMemory{Run: h.run}
		}
		ok, err := w.next()
		if err != nil {
			c.failed = err
		}
		if ok {
			c.queue = append(c.queue, merged{w, i})
		}
	}
	heap.Init(&c.queue)
	return c
}

// Next goes to the next entry. It reports false behind the last.
func (c *Cursor) Next() (bool, error) {
	if c.failed != nil {
		return false, c.failed
	}
	if !c.begun {
		c.begun = true
		return len(c.queue) > 0, nil
	}
	if len(c.queue) == 0 {
		return false, nil
	}
	ok, err := c.queue[0].next()
	switch {
	case err != nil:
		c.failed = err
		return false, err
	case ok:
		heap.Fix(&c.queue, 0)
	default:
		heap.Pop(&c.queue)
	}
	return len(c.queue) > 0, nil
}

// At is the entry that has been gone to, until the next.
func (c *Cursor) At() (key, payload []byte) { return c.queue[0].at() }

// walk goes through a sorted run.
type walk interface {
	next() (bool, error)
	at() (key, payload []byte)
}

type inMemory struct {
	*Run
	n int // how many have been gone to
}

func (w *inMemory) next() (bool, error) {
	w.n++
	return w.n <= len(w.entries), nil
}

func (w *inMemory) at() (key, payload []byte) {
	e := &w.entries[w.n-1]
	return w.text[e.start:e.end], w.text[e.end:e.stop]
}

type inFile struct {
	file         *spill.File
	blocks       []extent
	block        []byte
	rest         []byte
	key, payload []byte
}

func (w *inFile) next() (bool, error) {
	if len(w.rest) == 0 {
		if len(w.blocks) == 0 {
			return false, nil
		}
		next := w.blocks[0]
		w.blocks = w.blocks[1:]
		w.block = slices.Grow(w.block[:0], next.size)[:next.size]
		if err := w.file.ReadAt(w.block, next.at); err != nil {
			return false, err
		}
		w.rest = w.block
	}
	end := 8 + binary.LittleEndian.Uint32(w.rest)
	stop := end + binary.LittleEndian.Uint32(w.rest[4:])
	w.key, w.payload, w.rest = w.rest[8:end], w.rest[end:stop], w.rest[stop:]
	return true, nil
}

func (w *inFile) at() (key, payload []byte) { return w.key, w.payload }

// merging is the runs that have entries left, the one with the least first; of equal ones, the earlier.
type merging []merged

type merged struct {
	walk
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

// AppendText appends a text to a key so that it is ordered before all that it begins, and is the beginning of none.
func AppendText(key, text []byte) []byte {
	for {
		zero := bytes.IndexByte(text, 0)
		if zero < 0 {
			return append(append(key, text...), 0, 1)
		}
		key = append(append(key, text[:zero+1]...), 0xFF)
		text = text[zero+1:]
	}
}
