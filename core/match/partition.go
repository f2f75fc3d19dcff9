package match

import (
	"math/bits"
	"sync"
	"sync/atomic"

	"twinsieve/core/largepages"
	"twinsieve/core/spill"
	"twinsieve/core/tray"
)

// Partitions grow in blocks. Every partition has one open block for each side; together they take at most an eighth of the budget, as far as
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
	open    []byte // the block that is being filled
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
	p.block = int(min(max(opts.Budget/8/int64(2*n), leastBlock), mostBlock))
	p.room.Piece = int(min(min(opts.Budget, records*entryBytes)/4, 16<<20)) // so that little is left of the last
	return p
}

func (p *partitions) spilled() int64 { return p.file.Size() }
func (p *partitions) close()         { _ = p.file.Close() }

// add puts whole entries into a partition.
func (p *partitions) add(part int, s tray.Side, entries []byte) error {
	to := &p.parts[part][s]
	to.mu.Lock()
	defer to.mu.Unlock()
	if cap(to.open)-len(to.open) < len(entries) {
		if len(to.open) > 0 {
			if p.used.Add(int64(cap(to.open))) <= p.opts.Budget*3/4 {
				to.blocks, to.open = append(to.blocks, to.open), nil
			} else {
				p.used.Add(-int64(cap(to.open)))
				at, err := p.spill(to.open)
				if err != nil {
					return err
				}
				to.extents, to.open = append(to.extents, extent{at, len(to.open)}), to.open[:0]
			}
		}
		if cap(to.open) < len(entries) {
			to.open = p.room.Block(max(len(entries), p.block))
		}
	}
	to.open = append(to.open, entries...)
	return nil
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
	if len(from.open) > 0 {
		blocks = append(blocks, from.open)
	}
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
		p.parts[part][s].blocks, p.parts[part][s].open = nil, nil
	}
}

// seal fills in the head of an entry, of so many bytes, whose key ends at keyEnd, and returns the key's hash.
func (p *partitions) seal(e entry, row uint32, head, keyEnd int, unreadable bool) uint64 {
	key := e[head:keyEnd]
	hash := p.opts.Hash(key)
	e.putHead(row, uint32(hash), head, len(key), unreadable)
	return hash
}
