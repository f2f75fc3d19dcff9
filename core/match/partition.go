package match

import (
	"math/bits"
	"sync"
	"sync/atomic"

	"twinsieve/core/largepages"
	"twinsieve/core/spill"
	"twinsieve/core/tray"
)

// Partitions grow in blocks. Every writer has one open block for each partition; together they take at most an eighth of the budget, as far as
// blocks of the least size allow.
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
	p := &partitions{opts: opts, shift: 64 - bits.TrailingZeros(uint(n)), parts: make([]partition, n)}
	p.block = int(min(max(opts.Budget/8/int64(2*n*opts.Workers), leastBlock), mostBlock))
	p.room.Piece = int(min(min(opts.Budget, records*entryBytes)/4, 16<<20)) // so that little is left of the last
	return p
}

func (p *partitions) spilled() int64 { return p.file.Size() }
func (p *partitions) close()         { _ = p.file.Close() }

// keep takes a block of whole entries into a partition. What it returns is what of the block may be used again: nothing where it stays in
// memory, and all where it has gone to the temporary file.
func (p *partitions) keep(part int, s tray.Side, block []byte) (again []byte, err error) {
	to := &p.parts[part][s]
	if p.used.Add(int64(cap(block))) <= p.opts.Budget*3/4 {
		to.mu.Lock()
		defer to.mu.Unlock()
		to.blocks = append(to.blocks, block)
		return nil, nil
	}
	p.used.Add(-int64(cap(block)))
	at, err := p.spill(block)
	if err != nil {
		return nil, err
	}
	to.mu.Lock()
	defer to.mu.Unlock()
	to.extents = append(to.extents, extent{at, len(block)})
	return block[:0], nil
}

// spill puts a block into the temporary file, and returns where it is.
func (p *partitions) spill(block []byte) (at int64, err error) {
	p.once.Do(func() { p.file, p.err = spill.Create(p.opts.TempDir) })
	if p.err != nil {
		return 0, p.err
	}
	return p.file.Append(block)
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

// seal fills in the head of an entry, of so many bytes, whose key ends at keyEnd, and returns the key's hash.
func (p *partitions) seal(e entry, row uint32, head, keyEnd int, unreadable bool) uint64 {
	key := e[head:keyEnd]
	hash := p.opts.Hash(key)
	e.putHead(row, uint32(hash), head, len(key), unreadable)
	return hash
}
