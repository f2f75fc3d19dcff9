package slots

import (
	"math/rand/v2"
	"testing"
)

// TestPlace looks for every entry as its owner would, however alike the hashes are, and however full the table.
func TestPlace(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 1))
	for range 300 {
		slots := make([]uint32, 1<<(1+r.IntN(8)))
		hashes := make([]uint64, r.IntN(len(slots)))
		alike := uint64(1 + r.IntN(1000))
		for i := range hashes {
			hashes[i] = r.Uint64() % alike
		}
		Place(slots, len(hashes), func(i int) uint64 { return hashes[i] })
		held := 0
		for _, n := range slots {
			if n != 0 {
				held++
			}
		}
		if held != len(hashes) {
			t.Fatalf("%d of %d entries have a slot", held, len(hashes))
		}
		for i, h := range hashes {
			at := h % uint64(len(slots))
			for slots[at] != uint32(i+1) {
				if slots[at] == 0 {
					t.Fatalf("entry %d is not found from its slot %d: %v", i, h%uint64(len(slots)), slots)
				}
				at = (at + 1) % uint64(len(slots))
			}
		}
	}
}
