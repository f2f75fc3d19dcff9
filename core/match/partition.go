package match

import (
	"math/bits"
	"sync"
	"sync/atomic"

	"twinsieve/core/largepages"
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
	e.putHead(row, uint32(hash), head, len(key), unreadable)
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
