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

// A sieve that runs for years has ever more exceptions that are gone, of which a run finds next to none again. They are kept under hashes, so that a run need not look at
// any but those that have one in common with something in it.

// Hashes are the numbers under which an exception that is gone is kept: of its key on each side, or of its content where it has none. What has none in common with it is not the same exception. The
// zero value is that of an exception that is not kept under any, and has to be looked at by every run.
type Hashes struct {
	Reading int64    // of the sieve, as it was when they were made: see [Hasher.Reading]
	Sides   [2]int64 // 0: none, or on the right the same as on the left
}

// Hasher makes hashes as a plan reads keys, but for its crosswalk, which may join other keys tomorrow. It is not for several goroutines at once.
type Hasher struct {
	plan    *sieve.Plan
	keys    *match.Keys
	reading int64
	text    []byte
}

// readingsMade is raised when readings come to make something else of the same text, so that all hashes are made anew.
const readingsMade = 1

// NewHasher returns a hasher for a plan.
func NewHasher(plan *sieve.Plan) *Hasher {
	text, err := json.Marshal([]any{readingsMade, plan.Definition.Key, plan.Definition.Lookups, plan.Columns})
	if err != nil {
		panic(err) // they are texts and numbers
	}
	sum := blake2b.Sum256(text)
	return &Hasher{plan: plan, keys: match.NewKeys(plan), reading: int64(binary.BigEndian.Uint64(sum[:]) | 1)}
}

// Reading is a number for how the sieve reads keys, and which columns there are. It is odd. Only hashes with the same reading say anything of each other.
func (h *Hasher) Reading() int64 { return h.reading }

// What a hash is made of.
const (
	ofKey = iota
	ofContent
	ofReject
)

// hash is the number of a text, never 0.
func (h *Hasher) hash(of byte, side tray.Side, text []byte) int64 {
	if of == ofKey {
		side = 0 // both sides of a pair have it, mostly
	}
	h.text = append(binary.BigEndian.AppendUint64(h.text[:0], uint64(h.reading)), of, byte(side))
	h.text = append(h.text, text...)
	return int64(xxhash.Sum64(h.text) | 1)
}

// Of are the hashes of an exception, whose cells stand under the plan's columns.
func (h *Hasher) Of(e *exception.Entry) Hashes {
	hashes := Hashes{Reading: h.reading}
	for _, side := range tray.Sides {
		r := e.Sides[side]
		if r == nil {
			continue
		}
		if own, keyed := h.keys.Own(side, keyTexts(h.plan, side, r.Cells)); keyed {
			hashes.Sides[side] = h.hash(ofKey, side, own)
		} else {
			hashes.Sides[side] = h.hash(ofContent, side, appendContents(nil, r.Cells))
		}
	}
	if hashes.Sides[0] == hashes.Sides[1] {
		hashes.Sides[1] = 0
	}
	return hashes
}

// OfReject are the hashes of a line of a side that is no record.
func (h *Hasher) OfReject(side tray.Side, text string) Hashes {
	hashes := Hashes{Reading: h.reading}
	hashes.Sides[side] = h.hash(ofReject, side, []byte(text))
	return hashes
}

// Asked calls back with every hash under which an exception may be kept that is the same as one of the run.
func (h *Hasher) Asked(e *exception.Entry, ask func(hash int64)) {
	for _, side := range tray.Sides {
		r := e.Sides[side]
		if r == nil {
			continue
		}
		key, keyed := h.keys.Of(side, keyTexts(h.plan, side, r.Cells))
		if !keyed {
			ask(h.hash(ofContent, side, appendContents(nil, r.Cells)))
			continue
		}
		h.ofClass(key, ask)
	}
}

// ofClass calls back with the hashes of all keys that are the same as one that was read.
func (h *Hasher) ofClass(key []byte, ask func(hash int64)) {
	joined := h.keys.Joined(key)
	for _, k := range joined {
		ask(h.hash(ofKey, tray.Left, []byte(k)))
	}
	if joined == nil {
		ask(h.hash(ofKey, tray.Left, key))
	}
}

// Met returns those of the wanted hashes that matched records have; no other exception can have been cleared. It reads the key columns of both tables once, side by side, so wanted
// is called by two goroutines at once.
func Met(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, wanted func(hash int64) bool) ([]int64, error) {
	var met [2][]int64
	group, ctx := errgroup.WithContext(ctx)
	for _, side := range tray.Sides {
		group.Go(func() error {
			hasher := NewHasher(plan)
			trays := index.Sides[side].Trays
			matched := func(row int64) bool { return trays[row] == tray.Matched }
			batches := oneBatch{table: tables[side], at: -1}
			ask := func(hash int64) {
				if wanted(hash) {
					met[side] = append(met[side], hash)
				}
			}
			return eachKey(ctx, plan, hasher.keys, side, tables[side], matched, func(p place, key []byte, keyed bool) error {
				if keyed {
					hasher.ofClass(key, ask)
					return nil
				}
				cells, err := batches.cells(ctx, p) // it was paired by hand
				if err == nil {
					ask(hasher.hash(ofContent, side, appendContents(nil, cells)))
				}
				return err
			})
		})
	}
	err := group.Wait()
	return append(met[0], met[1]...), err
}
