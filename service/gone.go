package service

import (
	"context"
	"slices"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/match"
	"twinsieve/service/view"
	"twinsieve/store"
)

// lost is an exception of before that was not recognised, and has not been cleared before.
type lost struct {
	row  int
	gone bool
	is   [2]bool // there is a record of the side
	keys [2]string
}

// lose takes in an exception of before that was not recognised.
func (f *following) lose(b int, was *again.Mark) {
	if f.rows[b].stands.Value().presence == again.Cleared {
		return
	}
	one := lost{row: b, gone: was.Gone}
	for s := range was.Sides {
		one.is[s], one.keys[s] = was.Sides[s].Here, strings.Clone(was.Sides[s].Key)
	}
	f.lost = append(f.lost, one)
}

// lostAtOnce is of how many exceptions of before it is found out at a time what has become of them.
const lostAtOnce = 200_000

// gone writes the entries of the exceptions that were there before and are not in the run. Those that were gone before and still are, are told
// again only where they are still open.
func (f *following) gone(ctx context.Context, p *planned, index *match.Index, v *Service, w *store.RunWriter) error {
	slices.SortFunc(f.lost, func(a, b lost) int { return a.row - b.row })
	for some := range slices.Chunk(f.lost, lostAtOnce) {
		marks := make([]again.Mark, len(some))
		for i, l := range some {
			for s := range l.keys {
				marks[i].Sides[s].Here, marks[i].Sides[s].Key = l.is[s], l.keys[s]
			}
		}
		fates, err := again.Fates(ctx, p.Plan, index, v.tables(p), marks)
		if err != nil {
			return err
		}
		var places []store.EarlierPlace
		var told []again.Change
		for i, l := range some {
			of := &f.rows[l.row]
			if l.gone && fates[i] == again.Absent && of.stands.Value().settled {
				continue
			}
			f.since.Counts[fates[i]]++
			places, told = append(places, of.at), append(told, fates[i])
		}
		for at := 0; at < len(places); at += entriesWritten {
			end := min(at+entriesWritten, len(places))
			if err := f.writeGone(ctx, v, w, places[at:end], told[at:end]); err != nil {
				return err
			}
		}
	}
	return nil
}

// writeGone writes the entries of exceptions of before, and what has become of them.
func (f *following) writeGone(ctx context.Context, v *Service, w *store.RunWriter, places []store.EarlierPlace, fates []again.Change) error {
	page, err := v.store.EarlierAt(ctx, f.sieve, places)
	if err != nil {
		return err
	}
	list := make([]store.Found, len(page))
	err = v.sideBySide(len(page), func(i int) error {
		var shown view.Entry
		if err := readBody(page[i].Body, &shown); err != nil {
			return err
		}
		x := &page[i].Exception
		list[i] = store.Found{Entry: store.Entry{Tray: x.Tray, Side: x.Side, Change: string(fates[i]), Status: x.Status, Owner: x.Owner, Reason: x.Reason,
			ExceptionID: x.ID, Opened: x.Opened, Amount: x.Amount, Currency: x.Currency, Size: x.Size, KeyText: x.KeyText, BodyRun: x.BodyRun, BodySeq: x.BodySeq, Search: searchText(&shown)}}
		return nil
	})
	if err != nil {
		return err
	}
	return w.Write(ctx, f.place(w, list))
}
