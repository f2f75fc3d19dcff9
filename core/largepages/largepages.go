// Package largepages lets large pieces of memory lie in large pages, where the system has such: memory that is written for the first time then costs
// a tenth, and what is spread over much of it is found sooner.
package largepages

import (
	"sync"
	"unsafe"
)

// page is the size of a large page, in bytes: 2 MiB on nearly every machine.
const page = 2 << 20

// Advise asks the system to keep the elements in large pages. It is only advice: where it cannot be followed, nothing happens. What is smaller
// than two large pages is left alone. The elements must hold no pointers.
func Advise[T any](elements []T) {
	var one T
	size := uintptr(len(elements)) * unsafe.Sizeof(one)
	if size < 2*page {
		return
	}
	bytes := unsafe.Slice((*byte)(unsafe.Pointer(&elements[0])), size)
	// Only whole large pages can be.
	at := uintptr(unsafe.Pointer(&bytes[0]))
	from, to := (page-at%page)%page, size-(at+size)%page
	advise(bytes[from:to])
}

// Room cuts blocks out of large pieces of memory. A piece is given back once no block of it is used any more. The zero value makes every block by
// itself. It may be used by several goroutines at once.
type Room struct {
	Piece int // bytes of a piece; less than two large pages: each block is made by itself

	mu   sync.Mutex
	rest []byte
}

// Block returns a block of so many bytes, all zero. It has no bytes in it yet.
func (r *Room) Block(size int) []byte {
	if r.Piece < 2*page || size > r.Piece/2 {
		return make([]byte, 0, size)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.rest) < size {
		r.rest = make([]byte, r.Piece)
		Advise(r.rest)
	}
	block := r.rest[:0:size]
	r.rest = r.rest[size:]
	return block
}

// Close gives back what has not been used of the last piece. Blocks stay as they are; no more are to be asked for.
func (r *Room) Close() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.rest = nil
}
