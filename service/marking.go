package service

import (
	"context"

	"twinsieve/core/again"
	"twinsieve/core/tray"
	"twinsieve/store"
)

// lookAt reads what people saw of some exceptions of before, and marks them as the plan reads them, for the recogniser to look at. It tells j how far it is, if there is one.
func (f *following) lookAt(ctx context.Context, v *Service, p *planned, list []int, j *job) error {
	if len(list) == 0 {
		return nil
	}
	places := make([]store.EarlierPlace, len(list))
	for i, b := range list {
		places[i] = f.rows[b].at
	}
	if err := f.makeMarker(ctx, v, p); err != nil {
		return err
	}
	n := 0
	return v.store.EachEarlier(ctx, f.sieve, places, func(page []store.Earlier) error {
		were := make([]*seen, len(page)) // what was seen of them last
		if err := v.sideBySide(len(page), func(i int) (err error) { were[i], err = readSeen(page[i].Body); return err }); err != nil {
			return err
		}
		for i := range page {
			row, was, b := &page[i], were[i], list[n]
			n++
			of, err := v.headOf(ctx, row.BodyRun)
			if err != nil {
				return err
			}
			var mark again.Mark
			var kept again.Hashes
			sets, columns := of.under(p)
			if was.reject != nil {
				side := was.Side
				if of.swapped(p) {
					side = side.Other()
				}
				mark, kept = again.MarkReject(side, was.reject.Text), f.hasher.OfReject(side, was.reject.Text)
			} else {
				e := &was.Entry
				if of.swapped(p) {
					again.Swap(e)
				}
				for _, s := range tray.Sides {
					if e.Sides[s] != nil {
						e.Sides[s].Cells = f.marker.Arrange(s, columns[s], e.Sides[s].Cells)
					}
					if e.Group != nil {
						for n := range e.Group.Records[s] {
							e.Group.Records[s][n].Cells = f.marker.Arrange(s, columns[s], e.Group.Records[s][n].Cells)
						}
					}
				}
				mark, kept = f.marker.MarkBefore(e, columns), f.hasher.Of(e)
				f.mayCarry(p, b, e, mark, sets, of.number)
			}
			stands := f.rows[b].stands.Value()
			mark.Gone, mark.Worked, mark.Order = stands.presence != here, stands.status != store.StatusOpen || stands.owner != "", int64(row.At.ID)
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

// makeMarker makes the marker, where there is none yet, for what people saw of the exceptions of before.
func (f *following) makeMarker(ctx context.Context, v *Service, p *planned) error {
	if f.marker != nil {
		return nil
	}
	var all [][2][]string
	for run := range f.bodies {
		of, err := v.headOf(ctx, run)
		if err != nil {
			return err
		}
		_, columns := of.under(p)
		all = append(all, columns)
	}
	f.marker = again.NewMarker(p.Plan, all...)
	return nil
}
