package service

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"sync"
	"time"
	"unique"

	"twinsieve/core/again"
	"twinsieve/core/exact"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// following is what a run makes of its sieve's exceptions of before. There may be any number of them, so little of each is kept in memory.
type following struct {
	sieve      uint
	rows       []before
	marker     *again.Marker
	recogniser *again.Recogniser // nil for the first run of a sieve
	of         []int             // by place of the run, and then by reject: which of them it is, or -1
	changes    []again.Change    // by place of the run
	lost       []lost
	carriable  []carriable
	carried    []bool      // of each of them: whether the run carries records of it in; nil: it carries nothing
	since      *view.Since // nil for the first run of a sieve

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
	f.recogniser = again.NewRecogniser(v.options.Memory/(8*jobsAtOnce), v.store.TempDir())
	defer func() {
		if err != nil {
			err = errors.Join(err, f.close())
		}
	}()
	if err := v.earlier(ctx, sieveID, p, f); err != nil {
		return nil, err
	}
	if p.Definition.Carry {
		if err := f.carry(ctx, v, w, p); err != nil {
			return nil, err
		}
	}
	return f, nil
}

// close gives back what does not fit into memory.
func (f *following) close() error {
	if f == nil || f.recogniser == nil {
		return nil
	}
	r := f.recogniser
	f.recogniser = nil
	return r.Close()
}

// recognise finds the exceptions of before again among the places of a run, and among its rejects. places are those of exceptions.
func (f *following) recognise(ctx context.Context, j *job, v *Service, p *planned, index *match.Index, places []exception.Place) error {
	all := int64(len(places)) + p.snapshots[0].Rejects + p.snapshots[1].Rejects
	f.of, f.changes = make([]int, all), make([]again.Change, all)
	for i := range f.of {
		f.of[i], f.changes[i] = -1, again.New
	}
	if f.since == nil {
		return nil
	}
	tables := v.tables(p)
	for done := 0; done < len(places) && len(f.rows) > 0; {
		end := min(done+entriesAtOnce, len(places))
		entries, err := exception.Read(ctx, p.Plan, index, tables, places[done:end])
		if err != nil {
			return err
		}
		for i := range entries {
			mark := f.marker.Mark(&entries[i])
			if err := f.recogniser.Now(&mark); err != nil {
				return err
			}
		}
		done = end
		j.progress("recognising exceptions", int64(done), int64(len(places)))
	}
	if len(f.rows) > 0 {
		err := v.eachReject(ctx, p, func(s tray.Side, some []store.Reject) error {
			for _, r := range some {
				mark := again.MarkReject(s, r.Text)
				if err := f.recogniser.Now(&mark); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		err = f.recogniser.Recognise(ctx, func(n, b int, is, was *again.Mark) {
			f.of[n], f.changes[n] = b, f.became(b, is, was)
		}, f.lose)
		if err != nil {
			return err
		}
	}
	for _, c := range f.changes {
		f.since.Counts[c]++
	}
	return f.close()
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

// earlier reads a sieve's exceptions of before, and marks them as the plan reads them.
func (v *Service) earlier(ctx context.Context, sieveID uint, p *planned, f *following) error {
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
	var all [][2][]string
	runs, err := v.store.BodyRuns(ctx, sieveID)
	if err != nil {
		return err
	}
	for _, run := range runs {
		of, err := head(run)
		if err != nil {
			return err
		}
		all = append(all, of.columns)
	}
	f.marker = again.NewMarker(p.Plan, all...)
	return v.store.Earlier(ctx, sieveID, func(page []store.Earlier) error {
		seen := make([]view.Entry, len(page)) // what people saw of them last
		if err := v.sideBySide(len(page), func(i int) error { return readBody(page[i].Body, &seen[i]) }); err != nil {
			return err
		}
		for i := range page {
			row, shown := &page[i], &seen[i]
			of, err := head(row.BodyRun)
			if err != nil {
				return err
			}
			if shown.Reject != nil {
				if err := f.add(row, again.MarkReject(sideOf(shown), shown.Reject.Text)); err != nil {
					return err
				}
				continue
			}
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
			mark := f.marker.Mark(e)
			f.mayCarry(p, &row.Exception, e, mark, of.sets, of.number)
			if err := f.add(row, mark); err != nil {
				return err
			}
		}
		return ctx.Err()
	})
}

// place gives entries their places in the run's report, and lays them out on a desk while they fit.
func (f *following) place(w *store.RunWriter, list []store.Found) store.Placed {
	placed := w.Place(list)
	if f.room -= int64(len(list)); f.room < 0 {
		f.desk = nil
		return placed
	}
	for i := range list {
		f.desk = append(f.desk, list[i].Entry.DeskRow())
	}
	return placed
}

// add adds an exception of before.
func (f *following) add(x *store.Earlier, mark again.Mark) error {
	of := standing{x.Status, x.Owner, x.Reason, x.Opened, again.Change(x.Presence), x.Settled != nil}
	f.rows = append(f.rows, before{x.At, unique.Make(of)})
	mark.Gone = of.presence != here
	return f.recogniser.Before(&mark)
}

// asBefore lets an entry at a place be the exception of before that it has been recognised as.
func (f *following) asBefore(place int, row *store.Entry) {
	if b := f.of[place]; b >= 0 {
		of := f.rows[b].stands.Value()
		row.ExceptionID, row.Status, row.Owner, row.Reason, row.Opened = f.rows[b].at.ID, of.status, of.owner, of.reason, of.opened
	}
}

// found gives an exception at a place of a run the form in which the store keeps it.
func (f *following) found(plan *sieve.Plan, place int, e *exception.Entry) (store.Found, error) {
	shown := entryOf(plan, e)
	body, err := writeBody(&shown)
	if err != nil {
		return store.Found{}, err
	}
	row := store.Entry{Tray: e.Tray.String(), Side: shown.Side, Change: string(f.changes[place]), Status: store.StatusOpen, KeyText: strings.ToLower(strings.Join(shown.Key, " ")), Size: []byte{}, Search: searchText(&shown)}
	f.asBefore(place, &row)
	for i, field := range e.Fields {
		if !field.Agrees {
			row.Differs |= 1 << min(i, store.MostDiffers-1)
		}
	}
	if len(plan.Amounts) > 0 {
		moves := exception.Moves(plan, e, 0)
		var currencies []string
		for _, m := range moves {
			if m.Currency != "" {
				currencies = append(currencies, m.Currency)
			}
		}
		row.Currency = strings.Join(currencies, ", ")
		if len(moves) == 1 {
			row.Amount = exact.Text(moves[0].Amount)
			row.Size = exact.AppendOrdered(nil, []byte(strings.TrimPrefix(row.Amount, "-")))
		}
	}
	return store.Found{Entry: row, Body: body}, nil
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
