package match

import (
	"bytes"
	"encoding/binary"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// MostInClass is how many different keys a class of a crosswalk may have.
const MostInClass = 1000

// Classes are the keys that a crosswalk joins: transitive, so that each class acts as one key. The zero value joins nothing.
type Classes struct {
	of      map[string][]byte   // the class's least key, by the key
	members map[string][]string // of a class, by its least key
	longest int                 // bytes of the longest of these least keys
	Stale   int                 // equivalences that say nothing any more, for one of their keys has no value as the sieve reads it
}

// NewClasses makes the classes of a plan's crosswalk.
func NewClasses(plan *sieve.Plan, list []sieve.KeysEqual) *Classes {
	c := &Classes{of: map[string][]byte{}, members: map[string][]string{}}
	parent := map[string]string{}
	var find func(k string) string
	find = func(k string) string {
		if p, ok := parent[k]; ok && p != k {
			root := find(p)
			parent[k] = root
			return root
		}
		return k
	}
	readers := [2]*keyReader{newKeyReader(plan, tray.Left), newKeyReader(plan, tray.Right)}
	for _, e := range list {
		l, ok := readers[0].read(e.Left)
		r, ok2 := readers[1].read(e.Right)
		if !ok || !ok2 {
			c.Stale++
			continue
		}
		a, b := find(string(l)), find(string(r))
		if bytes.Compare([]byte(b), []byte(a)) < 0 {
			a, b = b, a
		}
		parent[a], parent[b] = a, a // the least of a class is its root
		for _, k := range []string{string(l), string(r)} {
			if _, ok := parent[k]; !ok {
				parent[k] = k
			}
		}
	}
	for k := range parent {
		root := find(k)
		c.of[k] = []byte(root)
		c.longest = max(c.longest, len(root))
		c.members[root] = append(c.members[root], k)
	}
	return c
}

// Size is how many keys the class of a key has, as its texts came on side s; 1 where it is in none.
func (c *Classes) Size(plan *sieve.Plan, s tray.Side, key []string) int {
	k, ok := newKeyReader(plan, s).read(key)
	if !ok {
		return 0
	}
	root, ok := c.of[string(k)]
	if !ok {
		return 1
	}
	return len(c.members[string(root)])
}

// Same returns those of the equivalences whose keys are of the class of a key of side s.
func (c *Classes) Same(plan *sieve.Plan, s tray.Side, key []string, list []sieve.KeysEqual) (same []sieve.KeysEqual) {
	k, ok := newKeyReader(plan, s).read(key)
	root, joined := c.of[string(k)]
	if !ok || !joined {
		return nil
	}
	left := newKeyReader(plan, tray.Left)
	for _, e := range list {
		if l, ok := left.read(e.Left); ok && bytes.Equal(c.of[string(l)], root) {
			same = append(same, e)
		}
	}
	return same
}

// Keys reads keys whose texts are at hand as an index of the plan does: into the bytes that it knows them by, where the
// crosswalk joins keys into those of their class. It is not for several goroutines at once.
type Keys struct {
	readers [2]*keyReader
	classes *Classes
}

// NewKeys returns a reader of a plan's keys.
func NewKeys(plan *sieve.Plan) *Keys {
	k := &Keys{readers: [2]*keyReader{newKeyReader(plan, tray.Left), newKeyReader(plan, tray.Right)}}
	if len(plan.Crosswalk.Keys) > 0 {
		k.classes = NewClasses(plan, plan.Crosswalk.Keys)
	}
	return k
}

// Of returns the key that texts of side s make, one text for each part of the key; ok is false where they make none, and the record
// is unkeyed.
func (k *Keys) Of(s tray.Side, texts []string) (key []byte, ok bool) {
	if key, ok = k.readers[s].read(texts); ok && k.classes != nil {
		if class, joined := k.classes.of[string(key)]; joined {
			key = class
		}
	}
	return key, ok
}

// Own is [Keys.Of] without the crosswalk.
func (k *Keys) Own(s tray.Side, texts []string) (key []byte, ok bool) {
	return k.readers[s].read(texts)
}

// Joined are the keys that the crosswalk joins in a key that [Keys.Of] has returned; nil where it joins none.
func (k *Keys) Joined(key []byte) []string {
	if k.classes == nil {
		return nil
	}
	return k.classes.members[string(key)]
}

// keyReader reads keys whose texts are at hand, into the bytes that the index knows them by.
type keyReader struct {
	plan    *sieve.Plan
	readers []*reading.Reader
}

func newKeyReader(plan *sieve.Plan, s tray.Side) *keyReader {
	r := &keyReader{plan: plan}
	for _, k := range plan.Key {
		r.readers = append(r.readers, k.Chain[s].Reader())
	}
	return r
}

func (r *keyReader) read(texts []string) (key []byte, ok bool) {
	if len(texts) != len(r.readers) {
		return nil, false
	}
	for p, reader := range r.readers {
		v := reader.Cell([]byte(texts[p]))
		switch {
		case v.State == reading.Text:
			key = binary.AppendUvarint(key, uint64(len(v.Text))+1)
			key = append(key, v.Text...)
		case v.State.IsBlank() && r.plan.Key[p].BlanksEqual:
			key = append(key, 0)
		default:
			return nil, false
		}
	}
	return key, true
}
