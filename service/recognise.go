package service

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"sync"
	"unique"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/pace"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/store"
)

// A run finds its sieve's exceptions of before again in steps. Mostly nearly all of those that were there are as they were, and are found by the print that is kept of each. Of the rest it is
// read what people saw of them, and they are recognised by their keys and contents as the run's plan reads them. Of those that were gone, which become ever more, only those are looked at
// that are kept under a hash of something that has not been found yet, or of a matched record.

// stand reads how the exceptions of before stand, and their prints where they say anything: newest is the sieve's newest run. Where the sieve carries records, what people saw of
// all of them is needed anyway, so all are marked.
func (f *following) stand(ctx context.Context, v *Service, p *planned, newest store.Run) error {
	head, err := runOf(newest)
	if err != nil {
		return err
	}
	budget := v.options.Memory / (8 * jobsAtOnce)
	f.hasher, f.bodies, f.dormant = again.NewHasher(p.Plan), map[uint]bool{}, map[int64]bool{}
	same := again.NewSame(budget, v.store.TempDir())
	reading := f.hasher.Reading()
	if v.looksAtAll {
		reading = 2 // which is that of none
	}
	printed, err := v.store.Standings(ctx, f.sieve, reading, func(page []store.Standing) error {
		for i := range page {
			x := &page[i]
			if sleeps(p, x) && x.Hashes.Reading == reading {
				for _, hash := range x.Hashes.Sides {
					if hash != 0 {
						f.dormant[hash] = true
					}
				}
				continue
			}
			f.add(x)
			if err := same.Before(x.Print); err != nil {
				return err
			}
		}
		return ctx.Err()
	})
	last := head.Definition
	swapped := last.Left != last.Right && last.Left == p.Definition.Right && last.Right == p.Definition.Left
	if swapped {
		last = last.Swapped()
	}
	f.rekeyed = keyText(&last) != keyText(&p.Definition)
	if f.rekeyed && err == nil {
		err = f.makeMarker(ctx, v, p)
		f.byContent = err == nil && f.marker.Whole()
	}
	f.recogniser = again.NewRecogniser(budget, v.store.TempDir(), f.byContent)
	if f.same = same; err != nil {
		return err
	}
	columns := [2][]string{head.Sides[0].Columns, head.Sides[1].Columns}
	if v.looksAtAll || swapped || !printed || !slices.Equal(columns[0], p.Plan.Columns[0]) || !slices.Equal(columns[1], p.Plan.Columns[1]) || p.Definition.Carry {
		f.same = nil
		err = same.Close()
	}
	if err != nil || !p.Definition.Carry {
		return err
	}
	all := make([]int, len(f.rows))
	for b := range all {
		all[b] = b
	}
	return f.lookAt(ctx, v, p, all, nil)
}

// keyText is all that a definition says of its key.
func keyText(d *sieve.Definition) string {
	text, _ := json.Marshal([]any{d.Key, d.Lookups}) // of plain values
	return string(text)
}

// add adds an exception of before.
func (f *following) add(x *store.Standing) {
	presence := again.Change(x.Presence)
	of := standing{x.Status, x.Owner, x.Reason, x.Opened, presence, x.Settled, presence != here && x.Hashes.Reading != f.hasher.Reading()}
	stands := f.stands
	if len(f.rows) == 0 || of != stands.Value() { // most stand as the one before does
		stands = unique.Make(of)
	}
	f.rows, f.stands = append(f.rows, before{x.At, stands}), stands
	f.bodies[x.BodyRun] = true
}

// close gives back what does not fit into memory.
func (f *following) close() (err error) {
	if f == nil {
		return nil
	}
	if f.same != nil {
		err = f.same.Close()
	}
	if f.recogniser != nil {
		err = errors.Join(err, f.recogniser.Close())
	}
	f.same, f.recogniser = nil, nil
	return err
}

// recognise finds the exceptions of before again among the places of a run, and among its rejects. places are those of exceptions.
func (f *following) recognise(ctx context.Context, j *job, v *Service, p *planned, index *match.Index, places []exception.Place) error {
	all := len(places) + int(p.snapshots[0].Rejects+p.snapshots[1].Rejects)
	f.of, f.changes = make([]int, all), make([]again.Change, all)
	for i := range f.of {
		f.of[i], f.changes[i] = -1, again.New
	}
	if f.since == nil {
		return nil
	}
	found := make([]bool, len(f.rows))
	if f.same != nil {
		if err := f.recogniseSame(ctx, j, v, p, index, places, found); err != nil {
			return err
		}
	}
	if err := f.recogniseRest(ctx, j, v, p, index, places, found); err != nil {
		return err
	}
	for _, c := range f.changes {
		f.since.Counts[c]++
	}
	return f.close()
}

// recogniseSame finds those that show the very same as they did before.
func (f *following) recogniseSame(ctx context.Context, j *job, v *Service, p *planned, index *match.Index, places []exception.Place, found []bool) error {
	printers := sync.Pool{New: func() any { return &again.Printer{} }}
	done := 0
	err := v.eachRead(ctx, p, index, places, func(entries []exception.Entry) error {
		prints := make([]again.Print, len(entries))
		err := v.inParts(len(entries), func(from, to int) error {
			printer := printers.Get().(*again.Printer)
			defer printers.Put(printer)
			for i := from; i < to; i++ {
				prints[i] = printer.Of(&entries[i])
			}
			return nil
		})
		if err != nil {
			return err
		}
		for _, print := range prints {
			if err := f.same.Now(print); err != nil {
				return err
			}
		}
		done += len(entries)
		j.progress(recognising, int64(done), int64(len(places)))
		return nil
	})
	if err != nil {
		return err
	}
	err = v.eachReject(ctx, p, func(s tray.Side, some []store.Reject) error {
		for _, r := range some {
			if err := f.same.Now(again.PrintReject(s, r.Text)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	err = f.same.Find(ctx, func(n, b int) { f.of[n], f.changes[n], found[b] = b, again.StillOpen, true })
	err = errors.Join(err, f.same.Close()) // so that what comes next has its memory
	f.same = nil
	return err
}

// recogniseRest recognises those that have not been found yet, by their marks.
func (f *following) recogniseRest(ctx context.Context, j *job, v *Service, p *planned, index *match.Index, places []exception.Place, found []bool) error {
	for n, b := range f.of {
		if b < 0 {
			f.news = append(f.news, n)
		}
	}
	if !p.Definition.Carry { // else all have been marked
		var rest []int
		for b := range f.rows {
			// What has been cleared has become nothing else where there is nothing else.
			if !found[b] && (len(f.news) > 0 || f.rows[b].stands.Value().presence != again.Cleared) {
				rest = append(rest, b)
			}
		}
		n := float64(len(places))
		j.expect(pace.Leg{Stage: readingRest, Units: float64(len(rest))}, pace.Leg{Stage: recognisingRest, Units: float64(len(f.news))}, pace.Leg{Stage: writingReport, Units: n},
			pace.Leg{Stage: sealingReport, Units: n})
		if err := f.lookAt(ctx, v, p, rest, j); err != nil {
			return err
		}
	}
	w := &waking{f: f, v: v, p: p, there: map[uint]bool{}}
	if err := f.markNew(ctx, j, v, p, index, places, w); err != nil {
		return err
	}
	if len(f.dormant) > 0 { // what is matched now may have been cleared
		met, err := again.Met(ctx, p.Plan, index, v.tables(p), func(hash int64) bool { return f.dormant[hash] })
		if err != nil {
			return err
		}
		w.asked = append(w.asked, met...)
	}
	if err := w.look(ctx); err != nil {
		return err
	}
	if f.carried != nil {
		f.carried = append(f.carried, make([]bool, len(w.woken))...)
	}
	if err := f.lookAt(ctx, v, p, w.woken, nil); err != nil {
		return err
	}
	if len(f.olds) == 0 {
		return nil
	}
	return f.recogniser.Recognise(ctx, func(n, b int, is, was *again.Mark) {
		n, b = f.news[n], f.olds[b]
		f.of[n], f.changes[n] = b, f.became(b, is, was)
	}, func(b int, was *again.Mark) { f.lose(f.olds[b], f.kept[b], was) })
}

// markNew marks the exceptions of the run that have not been found yet, and wakes those that may be the same.
func (f *following) markNew(ctx context.Context, j *job, v *Service, p *planned, index *match.Index, places []exception.Place, w *waking) error {
	if len(f.news) == 0 {
		return nil
	}
	ask := func(hash int64) { w.asked = append(w.asked, hash) }
	if f.marker == nil { // nothing has been marked yet; what wakes has the plan's columns
		f.marker = again.NewMarker(p.Plan)
	}
	rejects, _ := slices.BinarySearch(f.news, len(places)) // where they begin
	at := make([]exception.Place, rejects)
	for i, n := range f.news[:rejects] {
		at[i] = places[n]
	}
	done := 0
	err := v.eachRead(ctx, p, index, at, func(entries []exception.Entry) error {
		for i := range entries {
			mark := f.marker.Mark(&entries[i])
			if err := f.recogniser.Now(&mark); err != nil {
				return err
			}
			if f.hasher.Asked(&entries[i], ask); len(w.asked) >= hashesAtOnce {
				if err := w.look(ctx); err != nil {
					return err
				}
			}
		}
		done += len(entries)
		j.progress(recognisingRest, int64(done), int64(len(f.news)))
		return nil
	})
	if err != nil {
		return err
	}
	reject, left := len(places), f.news[rejects:]
	return v.eachReject(ctx, p, func(s tray.Side, some []store.Reject) error {
		for _, r := range some {
			if len(left) > 0 && left[0] == reject {
				left = left[1:]
				mark := again.MarkReject(s, r.Text)
				if err := f.recogniser.Now(&mark); err != nil {
					return err
				}
				ask(f.hasher.OfReject(s, r.Text).Sides[s])
			}
			reject++
		}
		return w.look(ctx)
	})
}

// touched is of how many exceptions of before the run has found something else: they are changed or returned, or were there and have not been recognised.
func (f *following) touched() (n int) {
	for place, b := range f.of {
		if b >= 0 && f.changes[place] != again.StillOpen {
			n++
		}
	}
	for _, l := range f.lost {
		if f.rows[l.row].stands.Value().presence == here {
			n++
		}
	}
	return n
}
