package service

import (
	"context"
	"time"

	"twinsieve/core/again"
	"twinsieve/core/ahead"
	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// workColumns are what a list that is handed over says of the work on each exception.
var workColumns = [...]string{"since then", "status", "owner", "given reason", "moves the balance by", "currency", "found first", "carried from run"}

// workAmount is which of them is an amount.
const workAmount = 4

// handed is an entry that is handed over: as its run has found it, for how people see it in the console is not what a list needs.
type handed struct {
	exception.Entry
	work [len(workColumns)]string // all empty for a record that is no exception
}

// handedPage is some of the entries that are handed over.
type handedPage struct {
	list []handed
	next string // cursor of those behind them; "": there are none
}

// handedAtOnce is how many exceptions are handed over at a time, more than people see on a page, for each costs a walk over the report. Three such pages are in memory.
const handedAtOnce = 8000

// handed reads a page of what a query chooses, for handing it over. All that could be wrong with the query is wrong with the first.
func (v *Service) handed(ctx context.Context, r *report, q Query) (*handedPage, error) {
	t, exceptions, err := q.tray()
	if err != nil {
		return nil, err
	}
	q.perPage = handedAtOnce
	if !exceptions {
		if err := v.open(ctx, r); err != nil {
			return nil, err
		}
		if q.perPage, err = v.entriesAtOnce(ctx, r.tables); err != nil {
			return nil, err
		}
		read, next, err := v.readUnexceptional(ctx, r, t, q)
		if err != nil {
			return nil, err
		}
		page := &handedPage{make([]handed, len(read)), next}
		for i := range read {
			page.list[i].Entry = read[i]
		}
		return page, v.wholeGroups(ctx, r, page.list)
	}
	rows, of, err := v.exceptions(ctx, r, q)
	if err != nil {
		return nil, err
	}
	page := &handedPage{make([]handed, len(rows)), of.Next}
	if err := v.sideBySide(len(rows), func(i int) error { return page.list[i].read(r, &rows[i]) }); err != nil {
		return nil, err
	}
	return page, v.wholeGroups(ctx, r, page.list)
}

// read makes it what is stored of an exception.
func (h *handed) read(r *report, row *store.Shown) error {
	s, err := readSeen(row.Body)
	if err != nil {
		return err
	}
	if h.Entry = s.Entry; s.reject != nil {
		h.Entry = exception.OfReject(r.plan, s.Side, record.Reject(*s.reject))
	}
	h.work = [...]string{row.Change, row.Status, row.Owner, row.Reason, row.Amount, row.Currency, row.Opened.UTC().Format(time.DateOnly), carriedFrom(&h.Entry)}
	return nil
}

// carriedFrom names the runs that an entry's records are carried from.
func carriedFrom(e *exception.Entry) string {
	var runs []int64
	add := func(r *exception.Record) {
		if r != nil && r.Run > 0 {
			runs = append(runs, r.Run)
		}
	}
	for s := range e.Sides {
		add(e.Sides[s])
		if e.Group != nil {
			for i := range e.Group.Records[s] {
				add(&e.Group.Records[s][i])
			}
		}
	}
	return view.CarriedFrom(runs)
}

// eachHanded visits the entries that a query chooses, from their first page on. The next page is read while one is visited.
func (v *Service) eachHanded(ctx context.Context, r *report, q Query, page *handedPage, visit func(*handed) error) error {
	return ahead.Each(ctx, func(ctx context.Context, pass func(*handedPage) error) (err error) {
		q.counted = new(int64) // nobody asks how many there are
		for page := page; ; {
			if err := pass(page); err != nil || page.next == "" {
				return err
			}
			q.After = page.next
			if page, err = v.handed(ctx, r, q); err != nil {
				return err
			}
		}
	}, func(page *handedPage) error {
		for i := range page.list {
			if err := visit(&page.list[i]); err != nil {
				return err
			}
		}
		return nil
	})
}

// wholeGroups reads those of the entries again, from the snapshots, that are groups of more records than are listed, each with all its records: of groups all records are handed over.
func (v *Service) wholeGroups(ctx context.Context, r *report, list []handed) error {
	var places []exception.Place
	var of []*handed
	for i := range list {
		h := &list[i]
		g := h.Group
		if g == nil || int64(len(g.Records[0])) == g.Count[0] && int64(len(g.Records[1])) == g.Count[1] || h.work[0] != "" && !again.Change(h.work[0]).Here() {
			continue
		}
		places, of = append(places, exception.Place{Tray: h.Tray, Side: tray.Left, Number: h.Sides[0].Number}), append(of, h)
	}
	if len(places) == 0 {
		return nil
	}
	if err := v.open(ctx, r); err != nil {
		return err
	}
	read, err := exception.NewReader(r.plan, r.index, r.tables).Read(ctx, places)
	if err != nil {
		return err
	}
	for n, h := range of {
		h.Entry = read[n]
	}
	return nil
}
