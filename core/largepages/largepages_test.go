package largepages

import (
	"bufio"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
	"unsafe"
)

// TestAdvise asks the system what it knows of a piece of memory that is to be in large pages, and of one that is not.
func TestAdvise(t *testing.T) {
	if _, err := os.Stat("/sys/kernel/mm/transparent_hugepage"); err != nil {
		t.Skip("the system has no large pages")
	}
	numbers := make([]uint32, 4<<20)
	Advise(numbers)
	Advise([]uint32(nil))
	for i, n := range numbers {
		if n != 0 {
			t.Fatalf("number %d is %d", i, n)
		}
		numbers[i] = uint32(i)
	}
	flags := flagsOf(t, uintptr(unsafe.Pointer(&numbers[len(numbers)/2])))
	if !strings.Contains(flags, " hg") {
		t.Errorf("the system was not asked: %s", flags)
	}
	for i, n := range numbers {
		if n != uint32(i) {
			t.Fatalf("number %d is %d", i, n)
		}
	}
}

// flagsOf is what the system says of the memory at an address.
func flagsOf(t *testing.T, address uintptr) string {
	t.Helper()
	f, err := os.Open("/proc/self/smaps")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	inside := false
	for lines := bufio.NewScanner(f); lines.Scan(); {
		var from, to uintptr
		if n, _ := fmt.Sscanf(lines.Text(), "%x-%x ", &from, &to); n == 2 {
			inside = address >= from && address < to
		} else if inside && strings.HasPrefix(lines.Text(), "VmFlags:") {
			return lines.Text()
		}
	}
	t.Fatal("the system does not know the address")
	return ""
}

// TestRoom: blocks are empty, zero, as large as asked for, and apart from each other, whoever asks for them at the same time.
func TestRoom(t *testing.T) {
	for _, piece := range []int{0, 3 * page} {
		room := Room{Piece: piece}
		var blocks [4][][]byte
		var all sync.WaitGroup
		for w := range blocks {
			all.Go(func() {
				for n := range 300 {
					size := 1 + n*137%30_000
					if n == 100 {
						size = 4 * page // more than a piece
					}
					b := room.Block(size)
					if len(b) != 0 || cap(b) != size {
						t.Errorf("a block of %d bytes has %d of %d", size, len(b), cap(b))
					}
					b = b[:size]
					for i, c := range b {
						if c != 0 {
							t.Errorf("byte %d of a block is %d", i, c)
							return
						}
						b[i] = byte(1 + w*64 + n%64)
					}
					blocks[w] = append(blocks[w], b)
				}
			})
		}
		all.Wait()
		room.Close()
		for w := range blocks {
			for n, b := range blocks[w] {
				for i, c := range b {
					if c != byte(1+w*64+n%64) {
						t.Fatalf("byte %d of block %d of worker %d was written by another", i, n, w)
					}
				}
			}
		}
	}
}
