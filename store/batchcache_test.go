package store

import (
	"testing"

	"twinsieve/core/record"
)

// TestBatchCache: who goes through a set again and again that is larger than the cache finds most of what there is room for, whoever looks at a page has what they saw last, and nothing
// stays for ever that nobody uses.
func TestBatchCache(t *testing.T) {
	batch := &record.Batch{Lines: make([]int64, 16)}
	const room = 20
	c := newBatchCache(room * batch.Bytes())
	ask := func(snapshot uint, i int, through bool) (found bool) {
		t.Helper()
		if _, found = c.get(batchKey{snapshot, i}); !found {
			c.put(batchKey{snapshot, i}, batch, through)
		}
		if held := int64(len(c.byKey)) * batch.Bytes(); c.held != held || held > c.budget || c.order.Len() != len(c.byKey) {
			t.Fatalf("%d bytes are held, said to be %d, in %d places, of %d at most", held, c.held, c.order.Len(), c.budget)
		}
		return found
	}
	loop := func(snapshot uint, batches int) (found int) {
		for i := range batches {
			if ask(snapshot, i, true) {
				found++
			}
		}
		return found
	}
	loop(1, 30)
	for range 10 {
		if found := loop(1, 30); found != room {
			t.Errorf("of 30 batches %d are found, there is room for %d", found, room)
		}
	}
	for range 3 { // pages
		ask(2, 7, false)
	}
	if !ask(2, 7, false) {
		t.Error("what was looked at last is not found")
	}
	if found := loop(1, 30); found != room-1 || !ask(2, 7, false) {
		t.Errorf("of 30 batches %d are found beside the one that was looked at", found)
	}
	for i := range longAgo * room { // somebody else's set takes the place of what nobody uses any more
		loop(3, 1+i%room)
	}
	if found := loop(3, room); found != room || ask(1, 0, true) {
		t.Errorf("of %d batches %d are found, and others still are", room, found)
	}
	c.forget(3)
	if c.held != 0 || loop(4, room) != 0 || loop(4, room) != room {
		t.Errorf("%d bytes are held of sets that are gone", c.held)
	}
	if c.limit(5 * batch.Bytes()); len(c.byKey) != 5 || !ask(4, room-1, true) {
		t.Errorf("%d are kept of those used last, there is room for 5", len(c.byKey))
	}
	if c.put(batchKey{5, 1}, &record.Batch{Lines: make([]int64, 1000)}, false); len(c.byKey) != 5 {
		t.Error("what is larger than all of the room pushes others out")
	}
}
