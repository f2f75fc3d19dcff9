package service

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"unique"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/pace"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// A run finds its sieve's exceptions of before again in steps. Mostly nearly all of those that were there are as they were, and are found by the print that is kept of each. Of the rest it is
// read what people saw of them, and they are recognised by their keys and contents as the run's plan reads them. Of those that were gone, which become ever more, only those are looked at
// that are kept under a share of something that has not been found yet, or of a matched record.

// stand reads how the exceptions of before stand, and their prints where they say anything: last is the sieve's newest run. Where the sieve carries records, what people saw of
// all of them is needed anyway, so all are marked.
func (f *following) stand(ctx context.Context, v *Service, p *planned, last store.Run) error {
	head, err := runOf(last)
	if err != nil {
		return err
	}
	budget := v.options.Memory / (8 * jobsAtOnce)
	f.sharer, f.bodies, f.dormant = again.NewSharer(p.Plan), map[uint]bool{}, map[int64]bool{}
	same := again.NewSame(budget, v.store.TempDir())
	reading := f.sharer.Reading()
	if v.looksAtAll {
		reading = 2 // which is that of none
	}
	printed, err := v.store.Standings(ctx, f.sieve, reading, func(page []store.Standing) error {
		for i := range page {
			x := &page[i]
			if sleeps(p, x) && x.Shares.Reading == reading {
				for _, share := range x.Shares.Sides {
					if share != 0 {
						f.dormant[share] = true
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
	f.recogniser = again.NewRecogniser(budget, v.store.TempDir())
	if f.same = same; err != nil {
		return err
	}
	columns := [2][]string{head.Sides[0].Columns, head.Sides[1].Columns}
	if v.looksAtAll || !printed || !slices.Equal(columns[0], p.Plan.Columns[0]) || !slices.Equal(columns[1], p.Plan.Columns[1]) || p.Definition.Carry {
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

// sleeps reports whether an exception is absent, and there is nothing to be done about it: of those there may be very many. What is explained may be carried in.
func sleeps(p *planned, x *store.Standing) bool {
	return x.Presence == string(again.Absent) && (x.Status == store.StatusSettled || x.Settled && !p.Definition.Carry)
}

// add adds an exception of before.
func (f *following) add(x *store.Standing) {
	presence := again.Change(x.Presence)
	of := standing{x.Status, x.Owner, x.Reason, x.Opened, presence, x.Settled, presence != here && x.Shares.Reading != f.sharer.Reading()}
	f.rows = append(f.rows, before{x.At, unique.Make(of)})
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
	var prints again.Printer
	tables := v.tables(p)
	done := 0
	for some := range slices.Chunk(places, entriesAtOnce) {
		entries, err := exception.Read(ctx, p.Plan, index, tables, some)
		if err != nil {
			return err
		}
		for i := range entries {
			if err := f.same.Now(prints.Of(&entries[i])); err != nil {
				return err
			}
		}
		done += len(some)
		j.progress(recognising, int64(done), int64(len(places)))
	}
	err := v.eachReject(ctx, p, func(s tray.Side, some []store.Reject) error {
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
		var met []int64
		err := again.Met(ctx, p.Plan, index, v.tables(p), func(share int64) bool { return f.dormant[share] }, func(share int64) { met = append(met, share) })
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
	ask := func(share int64) { w.asked = append(w.asked, share) }
	if f.marker == nil { // nothing has been marked yet; what wakes has the plan's columns
		f.marker = again.NewMarker(p.Plan)
	}
	tables := v.tables(p)
	rejects, _ := slices.BinarySearch(f.news, len(places)) // where they begin
	done := 0
	for some := range slices.Chunk(f.news[:rejects], entriesAtOnce) {
		at := make([]exception.Place, len(some))
		for i, n := range some {
			at[i] = places[n]
		}
		entries, err := exception.Read(ctx, p.Plan, index, tables, at)
		if err != nil {
			return err
		}
		for i := range entries {
			mark := f.marker.Mark(&entries[i])
			if err := f.recogniser.Now(&mark); err != nil {
				return err
			}
			if f.sharer.Asked(&entries[i], ask); len(w.asked) >= sharesAtOnce {
				if err := w.look(ctx); err != nil {
					return err
				}
			}
		}
		done += len(some)
		j.progress(recognisingRest, int64(done), int64(len(f.news)))
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
				ask(f.sharer.OfReject(s, r.Text).Sides[s])
			}
			reject++
		}
		return w.look(ctx)
	})
}

// sharesAtOnce is how many shares are looked for at once, about.
const sharesAtOnce = 10_000

// waking adds exceptions that are gone, and are kept under shares that are asked for, to those before.
type waking struct {
	f     *following
	v     *Service
	p     *planned
	asked []int64
	woken []int         // which of those before they are
	there map[uint]bool // for an exception may be kept under two shares
}

// look looks for what has been asked since.
func (w *waking) look(ctx context.Context) error {
	slices.Sort(w.asked)
	asked := slices.Compact(w.asked)
	w.asked = w.asked[:0]
	if len(asked) == 0 || w.v.looksAtAll {
		return nil
	}
	return w.v.store.GoneBy(ctx, w.f.sieve, w.f.sharer.Reading(), asked, func(x store.Standing) error {
		if x.Presence == string(again.Absent) && !sleeps(w.p, &x) || w.there[x.At.ID] { // it is among them already
			return nil
		}
		w.there[x.At.ID] = true
		w.woken = append(w.woken, len(w.f.rows))
		w.f.add(&x)
		return nil
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

// lookAt reads what people saw of some exceptions of before, and marks them as the plan reads them, for the recogniser to look at. It tells j how far it is, if there is one.
func (f *following) lookAt(ctx context.Context, v *Service, p *planned, list []int, j *job) error {
	if len(list) == 0 {
		return nil
	}
	type source struct {
		columns [2][]string
		sets    [2]string
		number  int
	}
	heads := map[uint]*source{}
	head := func(run uint) (*source, error) {
		if heads[run] == nil {
			text, number, err := v.store.Header(ctx, run)
			if err != nil {
				return nil, err
			}
			var h header
			if err := json.Unmarshal([]byte(text), &h); err != nil {
				return nil, err
			}
			heads[run] = &source{number: number}
			for s, side := range h.Sides {
				heads[run].columns[s], heads[run].sets[s] = side.Columns, side.Set
			}
		}
		return heads[run], nil
	}
	places := make([]store.EarlierPlace, len(list))
	for i, b := range list {
		places[i] = f.rows[b].at
	}
	if f.marker == nil {
		var all [][2][]string
		for run := range f.bodies {
			of, err := head(run)
			if err != nil {
				return err
			}
			all = append(all, of.columns)
		}
		f.marker = again.NewMarker(p.Plan, all...)
	}
	n := 0
	return v.store.EachEarlier(ctx, f.sieve, places, func(page []store.Earlier) error {
		seen := make([]view.Entry, len(page)) // what people saw of them last
		if err := v.sideBySide(len(page), func(i int) error { return readBody(page[i].Body, &seen[i]) }); err != nil {
			return err
		}
		for i := range page {
			row, shown, b := &page[i], &seen[i], list[n]
			n++
			of, err := head(row.BodyRun)
			if err != nil {
				return err
			}
			var mark again.Mark
			var kept again.Shares
			if shown.Reject != nil {
				mark, kept = again.MarkReject(sideOf(shown), shown.Reject.Text), f.sharer.OfReject(sideOf(shown), shown.Reject.Text)
			} else {
				e := readBack(p.Plan, shown)
				for _, s := range tray.Sides {
					if e.Sides[s] != nil {
						e.Sides[s].Cells = f.marker.Arrange(s, of.columns[s], e.Sides[s].Cells)
					}
					if e.Group != nil {
						for n := range e.Group.Records[s] {
							e.Group.Records[s][n].Cells = f.marker.Arrange(s, of.columns[s], e.Group.Records[s][n].Cells)
						}
					}
				}
				mark, kept = f.marker.Mark(e), f.sharer.Of(e)
				f.mayCarry(p, b, e, mark, of.sets, of.number)
			}
			mark.Gone, mark.Order = f.rows[b].stands.Value().presence != here, int64(row.At.ID)
			f.olds, f.kept = append(f.olds, b), append(f.kept, kept)
			if err := f.recogniser.Before(&mark); err != nil {
				return err
			}
		}
		if j != nil {
			j.progress(readingRest, int64(n), int64(len(places)))
		}
		return ctx.Err()
	})
}
