package profile

import (
	"bytes"
	"context"
)

// part is a share of all values. Of so many parts, a power of two, every value belongs to one, and values that differ only
// in letter case belong to the same.
type part struct{ number, of uint64 }

// has reports whether a value, whose hash is h, belongs to the part.
func (p *part) has(h uint64, text []byte) bool {
	if p.of == 1 {
		return true
	}
	if lower := appendLower(nil, text); !bytes.Equal(lower, text) {
		h = hash(lower)
	}
	return (h>>40)&(p.of-1) == p.number
}

// parts counts values in as many parts as memory demands.
type parts struct {
	count  func(ctx context.Context, t *tally, p *part, full func()) error
	budget int64
	begin  func() *tally // makes the tally of the first pass; nil: an empty one will do
	known  []part        // into which the values are divided; nil before the first pass
	whole  *tally        // the only part's, kept
}

// mostParts is into how many parts values are divided at most.
const mostParts = 1 << 20

// each counts the values of one part after the other, and shows each tally to see.
func (ps *parts) each(ctx context.Context, see func(*tally)) error {
	if ps.whole != nil {
		see(ps.whole)
		return nil
	}
	todo, begin := ps.known, newTally
	if todo == nil {
		todo = []part{{0, 1}}
		if ps.begin != nil {
			begin = ps.begin
		}
	}
	var done []part
	for len(todo) > 0 {
		p := todo[0]
		todo = todo[1:]
		t := begin()
		begin = newTally
		err := ps.count(ctx, t, &p, func() {
			for t.bytes() > ps.budget && p.of < mostParts && len(t.entries) > 1 {
				p.of *= 2
				todo = append(todo, part{p.number + p.of/2, p.of})
				t.keep(p)
			}
		})
		if err != nil {
			return err
		}
		see(t)
		done = append(done, p)
		if p.of == 1 {
			ps.whole = t
		}
	}
	ps.known = done
	return nil
}
