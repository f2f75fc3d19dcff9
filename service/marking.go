package service

import (
	"context"
	"encoding/json"

	"twinsieve/core/again"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

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
			var kept again.Hashes
			if shown.Reject != nil {
				mark, kept = again.MarkReject(sideOf(shown), shown.Reject.Text), f.hasher.OfReject(sideOf(shown), shown.Reject.Text)
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
				mark, kept = f.marker.Mark(e), f.hasher.Of(e)
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
