// Package slots places entries in a hash table that holds nothing but their numbers. Whoever has the entries looks for one from the slot that its
// hash names, the next ones following, until one is empty.
package slots

// Place puts the numbers of so many entries, counted from one, into slots, each into the first empty one from that which its hash names. There is a power
// of two of slots, all empty, that is zero, and more of them than entries. hash is that of an entry by its index, counted from zero.
func Place(slots []uint32, entries int, hash func(i int) uint64) {
	mask := uint64(len(slots) - 1)
	for i := range entries {
		at := hash(i) & mask
		for slots[at] != 0 {
			at = (at + 1) & mask
		}
		slots[at] = uint32(i + 1)
	}
}
