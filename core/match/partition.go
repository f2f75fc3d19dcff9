package match

import (
	"bytes"
	"encoding/binary"
	"math/bits"
	"sync"
	"sync/atomic"

	"twinsieve/core/largepages"
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
	room  largepages.Room
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

// entryBytes is about how many bytes an entry takes.
const entryBytes = 96

// partitionCount chooses so many partitions that one of both sides fits a processor's cache and every worker's share of
// the budget.
func partitionCount(records int64, opts Options) int {
	each := min(1<<20, opts.Budget/int64(4*opts.Workers))
	n := records * entryBytes / max(each, 1)
	return 1 << min(max(bits.Len64(uint64(n)), 2), 10)
}

func newPartitions(n int, records int64, opts Options) *partitions {
	block := opts.Budget / 4 / int64(2*n*opts.Workers)
	p := &partitions{opts: opts, shift: 64 - bits.TrailingZeros(uint(n)), block: int(min(max(block, leastBlock), mostBlock)), parts: make([]partition, n)}
	p.room.Piece = int(min(min(opts.Budget, records*entryBytes)/4, 16<<20)) // so that little is left of the last
	return p
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

// An entry is a head, the key, and the values, each as its size and state in one varint followed by its text. The head is the record's number,
// the lower half of its key's hash (4 bytes each), the entry's size and the key's size (2 bytes each; the highest bit of the last says that one
// of the values is unreadable). Of entries that may be too large for that, both are 0 and follow as 4 bytes each.
const (
	shortHead       = 12
	longHead        = 20
	longestShort    = 1<<15 - 1
	shortUnreadable = 1 << 15
	longUnreadable  = 1 << 31
)

// headOf is how many bytes the heads of entries have of which none is larger than so many bytes.
func headOf(longest int) int {
	if longest > longestShort {
		return longHead
	}
	return shortHead
}

// write adds an entry of so many bytes, which has room behind it.
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
			block = w.to.room.Block(max(size, w.to.block))
		}
		at = 0
	}
	// Most entries are short, and how short cannot be foreseen: then it is quicker to copy more than there is.
	if size <= 2*shortEntry && cap(block)-at >= 2*shortEntry && len(room) >= 2*shortEntry {
		putShort(block[at:at+shortEntry], room)
		if size > shortEntry {
			putShort(block[at+shortEntry:at+2*shortEntry], room[shortEntry:])
		}
		w.open[part] = block[:at+size]
		return nil
	}
	w.open[part] = append(block[:at], room[:size]...)
	return nil
}

// shortEntry is how many bytes of an entry are copied at a time.
const shortEntry = 64

// putShort copies so many bytes, which the compiler does without a call.
func putShort(to, from []byte) {
	for k := 0; k < shortEntry; k += 16 {
		*(*[16]byte)(to[k:]) = *(*[16]byte)(from[k:])
	}
}

// seal fills in the head of an entry, of so many bytes, whose key ends at keyEnd, and returns the key's hash.
func (p *partitions) seal(e entry, row uint32, head, keyEnd int, unreadable bool) uint64 {
	key := e[head:keyEnd]
	hash := p.opts.Hash(key)
	binary.LittleEndian.PutUint32(e, row)
	binary.LittleEndian.PutUint32(e[4:], uint32(hash))
	if head == longHead {
		size := uint32(len(key))
		if unreadable {
			size |= longUnreadable
		}
		binary.LittleEndian.PutUint32(e[8:], 0)
		binary.LittleEndian.PutUint32(e[12:], uint32(len(e)))
		binary.LittleEndian.PutUint32(e[16:], size)
		return hash
	}
	size := uint16(len(key))
	if unreadable {
		size |= shortUnreadable
	}
	binary.LittleEndian.PutUint16(e[8:], uint16(len(e)))
	binary.LittleEndian.PutUint16(e[10:], size)
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
	e := entry(block[at:])
	if size := binary.LittleEndian.Uint16(e[8:]); size != 0 {
		return e[:size]
	}
	return e[:binary.LittleEndian.Uint32(e[12:])]
}

func (e entry) size() uint32 { return uint32(len(e)) }
func (e entry) row() uint32  { return binary.LittleEndian.Uint32(e) }
func (e entry) hash() uint32 { return binary.LittleEndian.Uint32(e[4:]) }
func (e entry) long() bool   { return binary.LittleEndian.Uint16(e[8:]) == 0 }

// keyPlace is where the key begins and ends.
func (e entry) keyPlace() (from, to int) {
	if e.long() {
		return longHead, longHead + int(binary.LittleEndian.Uint32(e[16:])&^longUnreadable)
	}
	return shortHead, shortHead + int(binary.LittleEndian.Uint16(e[10:])&^shortUnreadable)
}

func (e entry) key() []byte {
	from, to := e.keyPlace()
	return e[from:to]
}

// unreadable reports whether one of the values is.
func (e entry) unreadable() bool {
	if e.long() {
		return binary.LittleEndian.Uint32(e[16:])&longUnreadable != 0
	}
	return binary.LittleEndian.Uint16(e[10:])&shortUnreadable != 0
}

// sameAs reports whether the entries have the same key and the same values.
func (e entry) sameAs(other entry) bool { return bytes.Equal(e[8:], other[8:]) }

// tail is the values as they stand in the entry.
func (e entry) tail() []byte {
	_, from := e.keyPlace()
	return e[from:]
}

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
