package match

import (
	"encoding/binary"
	"math/bits"
	"sync"
	"sync/atomic"

	"twinsieve/core/reading"
	"twinsieve/core/spill"
	"twinsieve/core/tray"
)

// Partitions grow in blocks. Every worker has one open block of each partition and side; together they take at most a
// quarter of the budget, as far as blocks of the least size allow.
const (
	leastBlock = 1 << 10 // bytes
	mostBlock  = 16 << 10
)

// partitions are the records of both sides as entries, divided by the hash of their key.
type partitions struct {
	opts  Options
	shift int // the hash's highest bits say the partition
	block int // bytes of a block
	parts []partition
	used  atomic.Int64 // bytes of full blocks in memory
	once  sync.Once
	file  *spill.File
	err   error
}

type partition [2]struct { // by side
	mu      sync.Mutex
	blocks  [][]byte
	extents []extent
}

type extent struct {
	at   int64
	size int
}

// partitionCount chooses so many partitions that one of both sides fits a processor's cache and every worker's share of
// the budget.
func partitionCount(records int64, opts Options) int {
	const entry = 96 // bytes, roughly
	each := min(1<<20, opts.Budget/int64(4*opts.Workers))
	n := records * entry / max(each, 1)
	return 1 << min(max(bits.Len64(uint64(n)), 2), 10)
}

func newPartitions(n int, opts Options) *partitions {
	block := opts.Budget / 4 / int64(2*n*opts.Workers)
	return &partitions{opts: opts, shift: 64 - bits.TrailingZeros(uint(n)), block: int(min(max(block, leastBlock), mostBlock)), parts: make([]partition, n)}
}

func (p *partitions) spilled() int64 { return p.file.Size() }
func (p *partitions) close()         { _ = p.file.Close() }

// keep takes over a full block, and returns one to go on with.
func (p *partitions) keep(part int, s tray.Side, block []byte) ([]byte, error) {
	to := &p.parts[part][s]
	if p.used.Add(int64(cap(block))) <= p.opts.Budget*3/4 {
		to.mu.Lock()
		to.blocks = append(to.blocks, block)
		to.mu.Unlock()
		return nil, nil
	}
	p.used.Add(-int64(cap(block)))
	p.once.Do(func() { p.file, p.err = spill.Create(p.opts.TempDir) })
	if p.err != nil {
		return nil, p.err
	}
	at, err := p.file.Append(block)
	if err != nil {
		return nil, err
	}
	to.mu.Lock()
	to.extents = append(to.extents, extent{at, len(block)})
	to.mu.Unlock()
	return block[:0], nil
}

// load returns all blocks of a partition's side, reading back into buffer what was spilled.
func (p *partitions) load(part int, s tray.Side, buffer []byte) (blocks [][]byte, _ []byte, _ error) {
	from := &p.parts[part][s]
	size := 0
	for _, e := range from.extents {
		size += e.size
	}
	if cap(buffer) < size {
		buffer = make([]byte, size)
	}
	blocks = from.blocks
	rest := buffer[:size]
	for _, e := range from.extents {
		if err := p.file.ReadAt(rest[:e.size], e.at); err != nil {
			return nil, buffer, err
		}
		blocks = append(blocks, rest[:e.size])
		rest = rest[e.size:]
	}
	return blocks, buffer, nil
}

// release lets a worked partition's memory go.
func (p *partitions) release(part int) {
	for s := range p.parts[part] {
		p.parts[part][s].blocks = nil
	}
}

// writer is one worker's open blocks of one side.
type writer struct {
	to   *partitions
	side tray.Side
	open [][]byte // by partition
}

func (p *partitions) writer(s tray.Side) *writer {
	return &writer{to: p, side: s, open: make([][]byte, len(p.parts))}
}

// An entry is its size, its record's number, the lower half of its key's hash and the key's size (4 bytes each; the highest bit of the
// last says that one of the values is unreadable), the key, and the values, each as its size and state in one varint followed by its text.
const (
	entryHead       = 16
	entryUnreadable = 1 << 31
)

// write adds an entry of so many bytes, whose key starts at [entryHead] and whose values follow it, and which has room behind it. Its
// hash has been put into it.
func (w *writer) write(room []byte, size int, hash uint64) error {
	part := int(hash >> w.to.shift)
	block := w.open[part]
	at := len(block)
	if cap(block)-at < size {
		if at > 0 {
			var err error
			if block, err = w.to.keep(part, w.side, block); err != nil {
				return err
			}
		}
		if cap(block) < size {
			block = make([]byte, 0, max(size, w.to.block))
		}
		at = 0
	}
	// Most entries are short, and how short cannot be foreseen: then it is quicker to copy more than there is.
	if size <= shortEntry && cap(block)-at >= shortEntry && len(room) >= shortEntry {
		to := block[at : at+shortEntry]
		for k := 0; k < shortEntry; k += 16 { // which the compiler does without a call
			*(*[16]byte)(to[k:]) = *(*[16]byte)(room[k:])
		}
		w.open[part] = block[:at+size]
		return nil
	}
	w.open[part] = append(block[:at], room[:size]...)
	return nil
}

// shortEntry is how many bytes of a short entry are copied.
const shortEntry = 128

// seal fills in the head of an entry whose key ends at keyEnd, and returns the key's hash. Flags go with the key's size.
func (p *partitions) seal(e entry, row uint32, keyEnd int, flags uint32) uint64 {
	key := e[entryHead:keyEnd]
	hash := p.opts.Hash(key)
	binary.LittleEndian.PutUint32(e, uint32(len(e)))
	binary.LittleEndian.PutUint32(e[4:], row)
	binary.LittleEndian.PutUint32(e[8:], uint32(hash))
	binary.LittleEndian.PutUint32(e[12:], uint32(len(key))|flags)
	return hash
}

// flush hands over what is in the open blocks.
func (w *writer) flush() error {
	for part, block := range w.open {
		if len(block) > 0 {
			if _, err := w.to.keep(part, w.side, block); err != nil {
				return err
			}
		}
		w.open[part] = nil
	}
	return nil
}

// entry is an entry in its block.
type entry []byte

func entryAt(block []byte, at uint32) entry {
	return entry(block[at : at+binary.LittleEndian.Uint32(block[at:])])
}

func (e entry) size() uint32 { return uint32(len(e)) }
func (e entry) row() uint32  { return binary.LittleEndian.Uint32(e[4:]) }
func (e entry) hash() uint32 { return binary.LittleEndian.Uint32(e[8:]) }
func (e entry) keyEnd() int {
	return entryHead + int(binary.LittleEndian.Uint32(e[12:])&^entryUnreadable)
}
func (e entry) key() []byte { return e[entryHead:e.keyEnd()] }

// unreadable reports whether one of the values is.
func (e entry) unreadable() bool { return binary.LittleEndian.Uint32(e[12:])&entryUnreadable != 0 }

// tail is the values as they stand in the entry.
func (e entry) tail() []byte { return e[e.keyEnd():] }

// values reads the entry's values into v, which has as many as the entry.
func (e entry) values(v []reading.Value) {
	rest := e.tail()
	for i := range v {
		head, n := uint64(rest[0]), 1
		if head >= 0x80 {
			head, n = binary.Uvarint(rest)
		}
		end := n + int(head>>2)
		v[i] = reading.Value{State: reading.State(head & 3), Text: rest[n:end]}
		rest = rest[end:]
	}
}
