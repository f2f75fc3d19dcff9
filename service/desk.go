package service

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"twinsieve/service/view"
	"twinsieve/store"
)

// A desk is what the entries of one report can be chosen and sorted by, in memory, so that a list costs a walk over it
// rather than one over the data file. A run lays its report's out as it writes it, so that it is ready for the first who looks. It catches up with what people change before each answer. While it is being laid out, and for reports
// that do not fit, lists are read from the data file.
type desk struct {
	run uint

	sorting sync.Mutex

	mu     sync.RWMutex
	seen   int64 // entry of the history up to which it is current
	rows   []store.DeskRow
	at     map[uint]int     // row by exception
	orders map[string][]int // rows in the order of a sort
}

// deskRow is about how many bytes an entry takes on a desk. All desks together keep to an eighth of the memory; a report that does not fit has
// none.
const deskRow = 400

// room is how many entries there may be on all desks.
func (v *Service) room() int64 { return v.options.Memory / 8 / deskRow }

// desks are the reports that were looked at last.
type desks struct {
	mu     sync.Mutex
	ready  []*desk // the newest last
	laying map[uint]bool
	ended  sync.WaitGroup
}

// drop forgets the desk of a report.
func (d *desks) drop(run uint) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.ready = slices.DeleteFunc(d.ready, func(one *desk) bool { return one.run == run })
}

// desk returns the desk of a report as it is up to an entry of the history, or nil while there is none. Then one is laid out for the next who asks.
func (v *Service) desk(ctx context.Context, r *report, newest int64) (*desk, error) {
	v.desks.mu.Lock()
	at := slices.IndexFunc(v.desks.ready, func(d *desk) bool { return d.run == r.row.ID })
	if at < 0 {
		v.desks.mu.Unlock()
		v.layOut(r.row.ID)
		return nil, nil
	}
	d := v.desks.ready[at]
	v.desks.ready = append(slices.Delete(v.desks.ready, at, at+1), d)
	v.desks.mu.Unlock()
	d.mu.RLock()
	current := d.seen >= newest
	d.mu.RUnlock()
	if current {
		return d, nil
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	changed, err := v.store.DeskChanges(ctx, r.row.ID, d.seen)
	if err != nil {
		return nil, err
	}
	for _, c := range changed {
		if at, is := d.at[c.ExceptionID]; is {
			row := &d.rows[at]
			row.Status, row.Owner, row.Reason = c.Status, c.Owner, c.Reason
		}
	}
	if len(changed) > 0 {
		delete(d.orders, "status")
		delete(d.orders, "owner")
	}
	d.seen = max(d.seen, newest)
	return d, nil
}

// layOut begins to lay out the desk of a report, where that has not been begun.
func (v *Service) layOut(run uint) {
	v.desks.mu.Lock()
	defer v.desks.mu.Unlock()
	if v.desks.laying[run] || v.jobs.all.Err() != nil {
		return
	}
	if v.desks.laying == nil {
		v.desks.laying = map[uint]bool{}
	}
	v.desks.laying[run] = true
	v.desks.ended.Go(func() { v.lay(run) })
}

// lay lays out a desk.
func (v *Service) lay(run uint) {
	defer func() {
		v.desks.mu.Lock()
		delete(v.desks.laying, run)
		v.desks.mu.Unlock()
	}()
	newest, err := v.store.NewestEvent(v.jobs.all)
	if err != nil {
		return // the lists are read from the data file, and say so
	}
	rows, err := v.store.DeskRows(v.jobs.all, run, v.room())
	if err != nil || rows == nil {
		return
	}
	v.setOut(run, newest.Seq, rows)
}

// setOut makes a desk of rows that are current up to an entry of the history.
func (v *Service) setOut(run uint, seen int64, rows []store.DeskRow) {
	places := make([]int, len(rows)) // the order of the report, which needs no sorting
	d := &desk{run: run, seen: seen, rows: rows, at: make(map[uint]int, len(rows)), orders: map[string][]int{"": places, "place": places}}
	for i := range rows {
		places[i] = i
		if id := rows[i].Exception; id > 0 {
			d.at[id] = i
		}
	}
	v.desks.mu.Lock()
	defer v.desks.mu.Unlock()
	if slices.ContainsFunc(v.desks.ready, func(one *desk) bool { return one.run == run }) {
		return
	}
	v.desks.ready = append(v.desks.ready, d)
	if v.jobs.all.Err() == nil {
		v.desks.ended.Go(func() { // what people sort by most is sorted before they do
			for _, sort := range []string{"amount", "age", "key"} {
				d.order(sort)
			}
		})
	}
	taken := int64(0)
	for at := len(v.desks.ready) - 1; at >= 0; at-- { // the newest first; what does not fit beside them goes
		if taken += int64(len(v.desks.ready[at].rows)); taken > v.room() {
			v.desks.ready = slices.Clone(v.desks.ready[at+1:])
			break
		}
	}
}

// order is the rows in the order of a sort, ascending, of equal ones in the order of the report.
func (d *desk) order(sort string) []int {
	d.mu.RLock()
	order := d.orders[sort]
	d.mu.RUnlock()
	if order != nil {
		return order
	}
	d.sorting.Lock() // once for all who ask for it, while others read in other orders
	defer d.sorting.Unlock()
	changes := sort == "status" || sort == "owner" // people change it
	d.mu.RLock()
	order, seen := d.orders[sort], d.seen
	switch {
	case order != nil:
		d.mu.RUnlock()
		return order
	case changes:
		order = d.sorted(sort)
		d.mu.RUnlock()
	default: // what does not change is sorted without keeping out who brings the desk up to date
		d.mu.RUnlock()
		order = d.sorted(sort)
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.seen == seen || !changes {
		d.orders[sort] = order
	}
	return order
}

// sorted sorts the rows. Who calls it for what people change holds the lock.
func (d *desk) sorted(sort string) []int {
	order := make([]int, len(d.rows))
	for i := range order {
		order[i] = i
	}
	by := store.Sorting(sort)
	slices.SortFunc(order, func(a, b int) int { return cmp.Or(by(&d.rows[a], &d.rows[b]), cmp.Compare(a, b)) })
	return order
}

// page returns the places of a page of the entries that a query chooses, how many are chosen altogether, and the cursor of the next page.
func (d *desk) page(q *store.EntryQuery, after int64) (seqs []int64, total int64, more bool) {
	order := d.order(q.Sort)
	d.mu.RLock()
	defer d.mu.RUnlock()
	wanted := q.Chooser()
	begun := after == 0
	step := func(i int) {
		row := &d.rows[i]
		if wanted(row) {
			total++
			if begun {
				if len(seqs) < q.Limit {
					seqs = append(seqs, row.Seq)
				} else {
					more = true
				}
			}
		}
		begun = begun || row.Seq == after
	}
	if !q.Desc {
		for _, i := range order {
			step(i)
		}
		return seqs, total, more
	}
	if q.Sort == "" || q.Sort == "place" {
		for n := range order {
			step(order[len(order)-1-n])
		}
		return seqs, total, more
	}
	// The greatest first, and of equal ones those that come first in the report.
	by := store.Sorting(q.Sort)
	for end := len(order); end > 0; {
		start := end - 1
		for start > 0 && by(&d.rows[order[start-1]], &d.rows[order[end-1]]) == 0 {
			start--
		}
		for _, i := range order[start:end] {
			step(i)
		}
		end = start
	}
	return seqs, total, more
}

// tallies counts the rows by what they can be chosen by.
func (d *desk) tallies() (list []view.Tally) {
	d.mu.RLock()
	defer d.mu.RUnlock()
	counts := map[view.Tally]int64{}
	for i := range d.rows {
		r := &d.rows[i]
		counts[view.Tally{Tray: r.Tray, Change: r.Change, Status: r.Status, Owner: r.Owner, Reason: r.Reason}]++
	}
	for t, n := range counts {
		t.Entries = n
		list = append(list, t)
	}
	return list
}
