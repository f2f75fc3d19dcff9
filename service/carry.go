package service

import (
	"context"
	"fmt"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/store"
)

// carriable is what a run may carry in of an exception of before: its records of each side, under the plan's columns.
type carriable struct {
	row     int // of the following
	mark    again.Mark
	records [2][]exception.Record
}

// mayCarry adds an exception of before to those that may be carried, where the sieve says so and it is not settled: by somebody, or because it has
// been cleared. body is the run that its records were last seen in. A group of which not all records are kept is not carried; neither are records of
// another record set than the side's.
func (f *following) mayCarry(p *planned, b int, e *exception.Entry, mark again.Mark, sets [2]string, body int) {
	if of := f.rows[b].stands.Value(); !p.Definition.Carry || of.status == store.StatusSettled || of.presence == again.Cleared {
		return
	}
	if g := e.Group; g != nil && (int64(len(g.Records[0])) < g.Count[0] || int64(len(g.Records[1])) < g.Count[1]) {
		return
	}
	c := carriable{row: b, mark: mark}
	for _, s := range tray.Sides {
		if sets[s] != p.sets[s] {
			continue
		}
		for _, r := range e.On(s) {
			if r.Run == 0 {
				r.Run = int64(body)
			}
			c.records[s] = append(c.records[s], r)
		}
	}
	f.carriable = append(f.carriable, c)
}

// carry takes those of the exceptions' records into the run that its snapshots no longer have.
func (f *following) carry(ctx context.Context, v *Service, w *store.RunWriter, p *planned) error {
	f.carried = make([]bool, len(f.rows))
	for _, s := range tray.Sides {
		marks := make([]again.Mark, len(f.carriable))
		for i, c := range f.carriable {
			if len(c.records[s]) > 0 {
				marks[i] = c.mark
			}
		}
		unseen, err := f.marker.Unseen(ctx, s, v.store.Table(p.snapshots[s]), marks)
		if err != nil {
			return err
		}
		carried := &record.Batches{Names: p.Plan.Columns[s]}
		var runs []int64
		build := record.NewBuilder(len(p.Plan.Columns[s]))
		add := func(b *record.Batch) {
			if b != nil {
				b.Carried, runs = runs, nil
				carried.List = append(carried.List, b)
			}
		}
		taken := map[string]bool{} // no record is carried in twice, whatever exceptions it is in
		for i, c := range f.carriable {
			if !unseen[i] {
				continue
			}
			f.carried[c.row] = true
			for _, r := range c.records[s] {
				is := fmt.Sprint(r.Line, again.ContentOf(r.Cells))
				if taken[is] {
					continue
				}
				taken[is] = true
				for n, cell := range r.Cells {
					if cell.Null {
						build.Marker(n, []byte(cell.Text))
					} else {
						build.Cell(n, []byte(cell.Text))
					}
				}
				runs = append(runs, r.Run)
				add(build.Close(r.Line))
			}
		}
		add(build.Flush())
		if err := w.AddCarried(ctx, s, carried); err != nil {
			return err
		}
		p.carried[s] = carried
	}
	// What is carried was not gone in between.
	for b := range f.carried {
		if f.carried[b] && f.rows[b].stands.Value().presence == again.Absent {
			f.recogniser.Here(b)
		}
	}
	return nil
}

// became says what has become of exception b of before, of which a run has found what it is now. A record that was carried in has not changed where it
// lies in another tray for no reason but that its partner of before was not carried with it.
func (f *following) became(b int, is, was *again.Mark) again.Change {
	change := again.Became(was, is)
	if change == again.Changed && f.carried != nil && f.carried[b] {
		there := *was
		if there.Tray = is.Tray; again.Became(&there, is) == again.StillOpen {
			return again.StillOpen
		}
	}
	return change
}

// withCarried is a side's table with what a run carries in behind the snapshot's records.
func withCarried(t record.Table, carried *record.Batches) record.Table {
	if carried == nil || carried.Records() == 0 {
		return t
	}
	return record.Append(t, carried)
}
