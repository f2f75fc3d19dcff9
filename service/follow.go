package service

import (
	"context"
	"errors"
	"sync"
	"time"
	"unique"

	"twinsieve/core/again"
	"twinsieve/service/view"
	"twinsieve/store"
)

// following is what a run makes of its sieve's exceptions of before. There may be any number of them, so little of each is kept in memory.
type following struct {
	sieve     uint
	rows      []before
	stands    unique.Handle[standing] // of the last of rows
	of        []int                   // by place of the run, and then by reject: which of them it is, or -1
	changes   []again.Change          // by place of the run
	lost      []lost
	carriable []carriable
	carried   []bool      // of each of them: whether the run carries records of it in; nil: it carries nothing
	since     *view.Since // nil for the first run of a sieve

	// How they are found again, see recognise.go.
	marker     *again.Marker
	same       *again.Same       // nil where it is not known what they show
	recogniser *again.Recogniser // nil for the first run of a sieve
	olds, news []int             // which of them, and places of which exceptions of the run, the recogniser looks at
	rekeyed    bool              // the sieve's key is another than in its newest run
	byContent  bool              // so that what records hold says which is which, and they can be held against each other
	hasher     *again.Hasher     // nil for the first run of a sieve
	kept       []again.Hashes    // of each of olds: what it will be kept under when it is gone
	bodies     map[uint]bool     // runs in which stands what people saw of them last
	dormant    map[int64]bool    // hashes of what was absent before, and explained or settled
	rekept     []store.KeptUnder // what stays as gone as it was, and is to be found by other hashes from now on

	retired []uint // exceptions that the new key cannot produce

	seen int64           // entry of the history up to which those of before are known
	desk []store.DeskRow // of the entries that were written; nil where they do not fit
	room int64           // how many more would
}

// before is an exception of before.
type before struct {
	at     store.EarlierPlace
	stands unique.Handle[standing] // many have the same
}

// standing is how an exception stands.
type standing struct {
	status, owner, reason string
	opened                time.Time
	presence              again.Change // "here", cleared or absent
	settled               bool         // explained or settled
	outdated              bool         // gone, and not kept under hashes of the reading that is the sieve's now
}

const here again.Change = "here"

// follow begins to follow a sieve's exceptions of before into a run, and carries records of theirs in where the sieve says so. What it returns is to be closed.
func (v *Service) follow(ctx context.Context, sieveID uint, w *store.RunWriter, p *planned) (f *following, err error) {
	newest, err := v.store.NewestEvent(ctx)
	if err != nil {
		return nil, err
	}
	f = &following{sieve: sieveID, seen: newest.Seq, room: v.room(), desk: []store.DeskRow{}}
	last, err := v.store.NewestOf(ctx, sieveID)
	if errors.Is(err, store.ErrNotFound) {
		return f, nil
	}
	if err != nil {
		return nil, err
	}
	f.since = &view.Since{Run: last.ID, Number: last.Number, Counts: map[again.Change]int64{}}
	defer func() {
		if err != nil {
			err = errors.Join(err, f.close())
		}
	}()
	if err := f.stand(ctx, v, p, last); err != nil {
		return nil, err
	}
	if p.Definition.Carry {
		if err := f.carry(ctx, v, w, p); err != nil {
			return nil, err
		}
	}
	return f, nil
}

// place gives entries their places in the run's report, and lays them out on a desk while they fit.
func (f *following) place(w *store.RunWriter, list []store.Found) store.Placed {
	placed := w.Place(list)
	if f.room -= int64(len(list)); f.room < 0 {
		f.desk = nil
		return placed
	}
	for i := range list {
		row := list[i].Entry.DeskRow()
		row.Currency = unique.Make(row.Currency).Value()
		f.desk = append(f.desk, row)
	}
	return placed
}

// asBefore lets an entry at a place be the exception of before that it has been recognised as.
func (f *following) asBefore(place int, row *store.Entry) {
	if b := f.of[place]; b >= 0 {
		of := f.rows[b].stands.Value()
		row.ExceptionID, row.Status, row.Owner, row.Reason, row.Opened = f.rows[b].at.ID, of.status, of.owner, of.reason, of.opened
	}
}

// back reports whether the exception at a place was absent, and is as it was because the run carries its records in.
func (f *following) back(place int) bool {
	b := f.of[place]
	return b >= 0 && f.changes[place] == again.StillOpen && f.rows[b].stands.Value().presence == again.Absent
}

// oneAtATime lets one run of a sieve at a time find its exceptions again.
type oneAtATime struct {
	mu sync.Mutex
	of map[uint]*sync.Mutex
}

// lock waits for the lock of a sieve.
func (o *oneAtATime) lock(sieveID uint) (unlock func()) {
	o.mu.Lock()
	if o.of == nil {
		o.of = map[uint]*sync.Mutex{}
	}
	m := o.of[sieveID]
	if m == nil {
		m = &sync.Mutex{}
		o.of[sieveID] = m
	}
	o.mu.Unlock()
	m.Lock()
	return m.Unlock
}
