package store

import (
	"container/list"
	"context"
	"sync"

	"twinsieve/core/record"
)

// batchCache keeps batches that have been read or written, up to a number of bytes: those used last. Who goes through whole sets again and again, which are larger than that, would find
// nothing of them if each batch took the place of the one that will be needed next; so what they read pushes nothing out that has been used not long ago, see [Through].
type batchCache struct {
	mu     sync.Mutex
	budget int64
	held   int64
	passed int64      // bytes of all batches that have been asked for
	order  *list.List // of *cached, the last used first
	byKey  map[batchKey]*list.Element
}

type batchKey struct {
	snapshot uint
	batch    int
}

type cached struct {
	key   batchKey
	batch *record.Batch
	used  int64 // how many bytes had passed
}

// longAgo is how many times the cache's size passes until who goes through whole sets may push something out.
const longAgo = 4

type throughKey struct{}

// Through is a context for who goes through whole sets: what that reads pushes nothing out of memory but what has not been used for long.
func Through(ctx context.Context) context.Context { return context.WithValue(ctx, throughKey{}, true) }

func goesThrough(ctx context.Context) bool { return ctx.Value(throughKey{}) != nil }

func newBatchCache(budget int64) *batchCache {
	return &batchCache{budget: budget, order: list.New(), byKey: map[batchKey]*list.Element{}}
}

func (c *batchCache) get(key batchKey) (*record.Batch, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	e, ok := c.byKey[key]
	if !ok {
		return nil, false
	}
	of := e.Value.(*cached)
	c.passed += of.batch.Bytes()
	of.used = c.passed
	c.order.MoveToFront(e)
	return of.batch, true
}

// put keeps a batch, if there is room, or can be made. through is that it belongs to who goes through whole sets.
func (c *batchCache) put(key batchKey, b *record.Batch, through bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.passed += b.Bytes()
	if _, ok := c.byKey[key]; ok || b.Bytes() > c.budget {
		return
	}
	for c.held+b.Bytes() > c.budget {
		last := c.order.Back()
		if through && c.passed-last.Value.(*cached).used < longAgo*c.budget {
			return
		}
		c.remove(last)
	}
	c.byKey[key] = c.order.PushFront(&cached{key, b, c.passed})
	c.held += b.Bytes()
}

// forget lets the batches of a snapshot go.
func (c *batchCache) forget(snapshot uint) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for key, e := range c.byKey {
		if key.snapshot == snapshot {
			c.remove(e)
		}
	}
}

// limit sets the number of bytes. Those used least lately go, until the rest keeps to it.
func (c *batchCache) limit(budget int64) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for c.budget = budget; c.held > c.budget; {
		c.remove(c.order.Back())
	}
}

func (c *batchCache) remove(e *list.Element) {
	gone := c.order.Remove(e).(*cached)
	delete(c.byKey, gone.key)
	c.held -= gone.batch.Bytes()
}
