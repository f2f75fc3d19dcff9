package near

import (
	"context"

	"github.com/cespare/xxhash/v2"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
	"twinsieve/core/similar"
)

// candidate is a pair that is alike enough, by places among the records looked at.
type candidate struct {
	left, right int32
	score       float64
}

// mostFiled is how many records of a side may have something in common for it to tell them apart.
const mostFiled = 24

// find holds candidates against each other.
func (n *finder) find(ctx context.Context) error {
	seen := map[uint64]struct{}{}
	try := func(l, r int32) {
		id := uint64(l)<<32 | uint64(uint32(r))
		if _, ok := seen[id]; ok {
			return
		}
		seen[id] = struct{}{}
		if score := n.score(&n.sides[0][l], &n.sides[1][r]); score >= n.least {
			n.found = append(n.found, candidate{l, r, score})
		}
	}
	join := func(keys func(e *entry, visit func(uint64))) {
		type file struct{ left, right []int32 }
		files := map[uint64]*file{}
		for i := range n.sides[0] {
			keys(&n.sides[0][i], func(k uint64) {
				f := files[k]
				if f == nil {
					f = &file{}
					files[k] = f
				}
				if len(f.left) <= mostFiled {
					f.left = append(f.left, int32(i))
				}
			})
		}
		for i := range n.sides[1] {
			keys(&n.sides[1][i], func(k uint64) {
				if f := files[k]; f != nil && len(f.right) <= mostFiled {
					f.right = append(f.right, int32(i))
				}
			})
		}
		for _, f := range files {
			if len(f.left) > mostFiled || len(f.right) > mostFiled {
				continue // too common to tell anything
			}
			for _, l := range f.left {
				for _, r := range f.right {
					try(l, r)
				}
			}
		}
	}
	for a := range n.attrs {
		for b := a; b < len(n.attrs); b++ { // b == a: one attribute that few records have
			if err := ctx.Err(); err != nil {
				return err
			}
			join(func(e *entry, visit func(uint64)) {
				x, y := &e.values[a], &e.values[b]
				if x.state == reading.Text && y.state == reading.Text {
					visit(x.hash*31 + y.hash)
				}
			})
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		if n.attrs[a].key && n.attrs[a].kind == agree.Text {
			join(func(e *entry, visit func(uint64)) { slips(e.values[a].text, visit) })
		}
	}
	return nil
}

// slips visits a text with every one character dropped, where it is neither so short that anything is near nor very long.
func slips(text []rune, visit func(uint64)) {
	if len(text) >= 4 && len(text) <= 64 {
		similar.DropOne(text, func(shorter []byte) { visit(xxhash.Sum64(shorter)) })
	}
}
