package service

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"sync"

	"twinsieve/core/again"
	"twinsieve/core/exact"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// following is what a run makes of its sieve's exceptions of before.
type following struct {
	rows      []store.Exception // those of before
	marks     []again.Mark      // of each of them
	searches  []string          // what a search of each of them looks through
	marker    *again.Marker
	of        []int          // by place of the run, and then by reject: which of them it is, or -1
	changes   []again.Change // by place of the run
	carriable []carriable
	carried   []bool      // of each of them: whether the run carries records of it in; nil: it carries nothing
	since     *view.Since // nil for the first run of a sieve

	seen int64           // entry of the history up to which those of before are known
	desk []store.DeskRow // of the entries that were written; nil where they do not fit
	room int64           // how many more would
}

// follow begins to follow a sieve's exceptions of before into a run, and carries records of theirs in where the sieve says so.
func (v *Service) follow(ctx context.Context, sieveID uint, w *store.RunWriter, p *planned) (*following, error) {
	newest, err := v.store.NewestEvent(ctx)
	if err != nil {
		return nil, err
	}
	f := &following{seen: newest.Seq, room: v.room(), desk: []store.DeskRow{}}
	last, err := v.store.NewestOf(ctx, sieveID)
	if errors.Is(err, store.ErrNotFound) {
		return f, nil
	}
	if err != nil {
		return nil, err
	}
	f.since = &view.Since{Run: last.ID, Number: last.Number, Counts: map[again.Change]int64{}}
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
	now := make([]again.Mark, 0, all)
	tables := v.tables(p)
	for done := 0; done < len(places) && len(f.rows) > 0; {
		end := min(done+entriesAtOnce, len(places))
		entries, err := exception.Read(ctx, p.Plan, index, tables, places[done:end])
		if err != nil {
			return err
		}
		for i := range entries {
			now = append(now, f.marker.Mark(&entries[i]))
		}
		done = end
		j.progress("recognising exceptions", int64(done), int64(len(places)))
	}
	if len(f.rows) > 0 {
		rejects, err := v.markRejects(ctx, p)
		if err != nil {
			return err
		}
		now = append(now, rejects...)
		for n, b := range again.Recognise(f.marks, now) {
			if b >= 0 {
				f.of[n], f.changes[n] = b, f.became(b, &now[n])
			}
		}
	}
	for _, c := range f.changes {
		f.since.Counts[c]++
	}
	return nil
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
		if err := v.sideBySide(len(page), func(i int) error { return json.Unmarshal([]byte(page[i].Body), &seen[i]) }); err != nil {
			return err
		}
		for i := range page {
			row, shown := &page[i], &seen[i]
			of, err := head(row.BodyRun)
			if err != nil {
				return err
			}
			if shown.Reject != nil {
				f.add(row.Exception, again.MarkReject(sideOf(shown), shown.Reject.Text), strings.ToLower(shown.Reject.Text))
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
			f.mayCarry(p, &row.Exception, e, of.sets, of.number)
			f.add(row.Exception, f.marker.Mark(e), searchText(shown))
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
func (f *following) add(row store.Exception, mark again.Mark, search string) {
	mark.Gone = row.Presence != "here"
	f.rows, f.marks, f.searches = append(f.rows, row), append(f.marks, mark), append(f.searches, search)
}

// asBefore lets an entry at a place be the exception of before that it has been recognised as.
func (f *following) asBefore(place int, row *store.Entry) {
	if b := f.of[place]; b >= 0 {
		of := &f.rows[b]
		row.ExceptionID, row.Status, row.Owner, row.Reason, row.Opened = of.ID, of.Status, of.Owner, of.Reason, of.Opened
	}
}

// gone are the entries of the exceptions that were there before and are not in the run. Those that were gone before and still are, are told
// again only where they are still open.
func (f *following) gone(ctx context.Context, p *planned, index *match.Index, v *Service) (list []store.Found, err error) {
	if f.since == nil {
		return nil, nil
	}
	taken := make([]bool, len(f.rows))
	for _, b := range f.of {
		if b >= 0 {
			taken[b] = true
		}
	}
	var lost []int
	var marks []again.Mark
	for b := range f.rows {
		if !taken[b] && f.rows[b].Presence != string(again.Cleared) {
			lost, marks = append(lost, b), append(marks, f.marks[b])
		}
	}
	fates, err := again.Fates(ctx, p.Plan, index, v.tables(p), marks)
	if err != nil {
		return nil, err
	}
	for i, b := range lost {
		row := &f.rows[b]
		if f.marks[b].Gone && fates[i] == again.Absent && row.Settled != nil {
			continue
		}
		f.since.Counts[fates[i]]++
		list = append(list, store.Found{Entry: store.Entry{Tray: row.Tray, Side: row.Side, Change: string(fates[i]), Status: row.Status, Owner: row.Owner, Reason: row.Reason,
			ExceptionID: row.ID, Opened: row.Opened, Amount: row.Amount, Currency: row.Currency, Size: row.Size, KeyText: row.KeyText, BodyRun: row.BodyRun, BodySeq: row.BodySeq, Search: f.searches[b]}})
	}
	return list, nil
}

// found gives an exception at a place of a run the form in which the store keeps it.
func (f *following) found(plan *sieve.Plan, place int, e *exception.Entry) (store.Found, error) {
	shown := entryOf(plan, e)
	body, err := json.Marshal(shown)
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
	return store.Found{Entry: row, Body: string(body)}, nil
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
