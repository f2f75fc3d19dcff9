package again

import (
	"context"
	"encoding/binary"
	"encoding/json"

	"github.com/cespare/xxhash/v2"
	"golang.org/x/crypto/blake2b"
	"golang.org/x/sync/errgroup"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// A sieve that runs for years has ever more exceptions that are gone, of which a run finds next to none again. They are kept under numbers, so that a run need not look at
// any but those that have one in common with something in it.

// Shares are the numbers under which an exception that is gone is kept: of its key on each side, or of its content where it has none. What has none in common with it is not the same exception. The
// zero value is that of an exception that is not kept under any, and has to be looked at by every run.
type Shares struct {
	Reading int64    // of the sieve, as it was when they were made: see [Sharer.Reading]
	Sides   [2]int64 // 0: none, or on the right the same as on the left
}

// Sharer makes shares as a plan reads keys, but for its crosswalk, which may join other keys tomorrow. It is not for several goroutines at once.
type Sharer struct {
	plan    *sieve.Plan
	keys    *match.Keys
	reading int64
	text    []byte
}

// readingsMade is raised when readings come to make something else of the same text, so that all shares are made anew.
const readingsMade = 1

// NewSharer returns a sharer for a plan.
func NewSharer(plan *sieve.Plan) *Sharer {
	text, err := json.Marshal([]any{readingsMade, plan.Definition.Key, plan.Definition.Lookups, plan.Columns})
	if err != nil {
		panic(err) // they are texts and numbers
	}
	sum := blake2b.Sum256(text)
	return &Sharer{plan: plan, keys: match.NewKeys(plan), reading: int64(binary.BigEndian.Uint64(sum[:]) | 1)}
}

// Reading is a number for how the sieve reads keys, and which columns there are. It is odd. Only shares with the same reading say anything of each other.
func (s *Sharer) Reading() int64 { return s.reading }

// What a share is made of.
const (
	ofKey = iota
	ofContent
	ofReject
)

// share is the number of a text, never 0.
func (s *Sharer) share(of byte, side tray.Side, text []byte) int64 {
	if of == ofKey {
		side = 0 // both sides of a pair have it, mostly
	}
	s.text = append(binary.BigEndian.AppendUint64(s.text[:0], uint64(s.reading)), of, byte(side))
	return int64(xxhash.Sum64(append(s.text, text...)) | 1)
}

// key are the texts of a record's key.
func (s *Sharer) key(side tray.Side, cells []record.Cell) []string {
	key := make([]string, len(s.plan.Key))
	for p, k := range s.plan.Key {
		key[p] = cells[k.Column[side]].Content()
	}
	return key
}

// Of are the shares of an exception, whose cells stand under the plan's columns.
func (s *Sharer) Of(e *exception.Entry) Shares {
	shares := Shares{Reading: s.reading}
	for _, side := range tray.Sides {
		r := e.Sides[side]
		if r == nil {
			continue
		}
		if own, keyed := s.keys.Own(side, s.key(side, r.Cells)); keyed {
			shares.Sides[side] = s.share(ofKey, side, own)
		} else {
			shares.Sides[side] = s.share(ofContent, side, appendContents(nil, r.Cells))
		}
	}
	if shares.Sides[0] == shares.Sides[1] {
		shares.Sides[1] = 0
	}
	return shares
}

// OfReject are the shares of a line of a side that is no record.
func (s *Sharer) OfReject(side tray.Side, text string) Shares {
	shares := Shares{Reading: s.reading}
	shares.Sides[side] = s.share(ofReject, side, []byte(text))
	return shares
}

// Asked calls back with every share under which an exception may be kept that is the same as one of the run.
func (s *Sharer) Asked(e *exception.Entry, ask func(share int64)) {
	for _, side := range tray.Sides {
		r := e.Sides[side]
		if r == nil {
			continue
		}
		key, keyed := s.keys.Of(side, s.key(side, r.Cells))
		if !keyed {
			ask(s.share(ofContent, side, appendContents(nil, r.Cells)))
			continue
		}
		s.ofClass(key, ask)
	}
}

// ofClass calls back with the shares of all keys that are the same as one that was read.
func (s *Sharer) ofClass(key []byte, ask func(share int64)) {
	joined := s.keys.Joined(key)
	for _, k := range joined {
		ask(s.share(ofKey, tray.Left, []byte(k)))
	}
	if joined == nil {
		ask(s.share(ofKey, tray.Left, key))
	}
}

// Met calls back with those of the wanted shares that a matched record has; no other exception can have been cleared. It reads the key columns of both tables once. wanted is called by
// several goroutines at once, met is not.
func Met(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, wanted func(share int64) bool, met func(share int64)) error {
	var found [2][]int64
	group, ctx := errgroup.WithContext(ctx)
	for _, side := range tray.Sides {
		group.Go(func() error {
			sharer := NewSharer(plan)
			trays := index.Sides[side].Trays
			matched := func(row int64) bool { return trays[row] == tray.Matched }
			return eachKey(ctx, plan, sharer.keys, side, tables[side], matched, func(_ place, key []byte, keyed bool) error {
				if keyed {
					sharer.ofClass(key, func(share int64) {
						if wanted(share) {
							found[side] = append(found[side], share)
						}
					})
				}
				return nil
			})
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for _, list := range found {
		for _, share := range list {
			met(share)
		}
	}
	return nil
}
