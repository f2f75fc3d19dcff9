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
	at     map[uint]int        // row by exception
	orders map[deskOrder][]int // rows in an order
}

// deskOrder is an order of a desk's rows; of equal ones the place in the report decides, whichever way they are sorted.
type deskOrder struct {
	sort string
	desc bool
}

// changes reports whether people change what is sorted by.
func (o deskOrder) changes() bool { return o.sort == "status" || o.sort == "owner" }

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
		for order := range d.orders {
			if order.changes() {
				delete(d.orders, order)
			}
		}
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
	d := &desk{run: run, seen: seen, rows: rows, at: make(map[uint]int, len(rows)), orders: map[deskOrder][]int{{}: places, {sort: "place"}: places}}
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
			for _, o := range []deskOrder{{sort: "amount", desc: true}, {sort: "age"}, {sort: "key"}} {
				d.order(o)
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

// order is the rows in an order.
func (d *desk) order(o deskOrder) []int {
	d.mu.RLock()
	order := d.orders[o]
	d.mu.RUnlock()
	if order != nil {
		return order
	}
	d.sorting.Lock() // once for all who ask for it, while others read in other orders
	defer d.sorting.Unlock()
	d.mu.RLock()
	order, seen := d.orders[o], d.seen
	switch {
	case order != nil:
		d.mu.RUnlock()
		return order
	case o.changes():
		order = d.sorted(o)
		d.mu.RUnlock()
	default: // what does not change is sorted without keeping out who brings the desk up to date
		d.mu.RUnlock()
		order = d.sorted(o)
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.seen == seen || !o.changes() {
		d.orders[o] = order
	}
	return order
}

// sorted sorts the rows. Who calls it for what people change holds the lock.
func (d *desk) sorted(o deskOrder) []int {
	order := make([]int, len(d.rows))
	for i := range order {
		order[i] = i
	}
	by := store.Sorting(o.sort)
	slices.SortFunc(order, func(a, b int) int {
		way := by(&d.rows[a], &d.rows[b])
		if o.desc {
			way = -way
		}
		return cmp.Or(way, cmp.Compare(a, b))
	})
	return order
}

// page returns the places of a page of the entries that a query chooses, how many are chosen altogether, and whether there are more behind it.
func (d *desk) page(q *store.EntryQuery, after int64) (seqs []int64, total int64, more bool) {
	order := d.order(deskOrder{q.Sort, q.Desc})
	d.mu.RLock()
	defer d.mu.RUnlock()
	wanted := q.Chooser()
	if q.Total != nil {
		total = *q.Total
	} else {
		for i := range d.rows { // as they lie in memory, which takes a fraction of going through them in another order
			if wanted(&d.rows[i]) {
				total++
			}
		}
	}
	begun := after == 0
	for _, i := range order {
		row := &d.rows[i]
		if begun && wanted(row) {
			if len(seqs) == q.Limit {
				return seqs, total, true
			}
			seqs = append(seqs, row.Seq)
		}
		begun = begun || row.Seq == after
	}
	return seqs, total, false
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
