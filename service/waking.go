package service

import (
	"context"
	"slices"

	"twinsieve/core/again"
	"twinsieve/store"
)

// sleeps reports whether an exception is absent, and there is nothing to be done about it: of those there may be very many. What is explained may be carried in.
func sleeps(p *planned, x *store.Standing) bool {
	return x.Presence == string(again.Absent) && (x.Status == store.StatusSettled || x.Settled && !p.Definition.Carry)
}

// hashesAtOnce is how many hashes are looked for at once, about.
const hashesAtOnce = 10_000

// waking adds exceptions that are gone, and are kept under hashes that are asked for, to those before.
type waking struct {
	f     *following
	v     *Service
	p     *planned
	asked []int64
	woken []int         // which of those before they are
	there map[uint]bool // for an exception may be kept under two hashes
}

// look looks for what has been asked since.
func (w *waking) look(ctx context.Context) error {
	slices.Sort(w.asked)
	asked := slices.Compact(w.asked)
	w.asked = w.asked[:0]
	if len(asked) == 0 || w.v.looksAtAll {
		return nil
	}
	return w.v.store.GoneBy(ctx, w.f.sieve, w.f.hasher.Reading(), asked, func(x store.Standing) error {
		if x.Presence == string(again.Absent) && !sleeps(w.p, &x) || w.there[x.At.ID] { // it is among them already
			return nil
		}
		w.there[x.At.ID] = true
		w.woken = append(w.woken, len(w.f.rows))
		w.f.add(&x)
		return nil
	})
}
