package columnar

import (
	"fmt"

	"github.com/apache/arrow-go/v18/arrow/memory"
)

// mostAllocated is how many bytes a decoder may ask for at once. A page or buffer is nowhere near as large unless the file is
// damaged, or made to bring the program down.
const mostAllocated = 1 << 30

// bounded allocates memory for a decoder, and panics over a request that is too large, which [guard] makes an error.
type bounded struct{ memory.Allocator }

// decoding is the memory of all decoders.
var decoding = bounded{memory.DefaultAllocator}

func check(size int) {
	if size < 0 || size > mostAllocated {
		panic(fmt.Sprintf("a part of %d bytes is said to be in it", size))
	}
}

// Allocate implements [memory.Allocator].
func (b bounded) Allocate(size int) []byte {
	check(size)
	return b.Allocator.Allocate(size)
}

// Reallocate implements [memory.Allocator].
func (b bounded) Reallocate(size int, old []byte) []byte {
	check(size)
	return b.Allocator.Reallocate(size, old)
}
