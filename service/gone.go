package service

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/match"
	"twinsieve/core/tray"
	"twinsieve/store"
)

// lost is an exception of before that was not recognised, and has not been cleared before.
type lost struct {
	row  int
	gone bool
	is   [2]bool // there is a record of the side
	keys [2]string
	kept again.Hashes // under which it is kept from now on

	contents   [2]string // of records without a key, and of all where the sieve's key is another than before
	tray       tray.Tray
	joined     bool // its record is in what another exception has become
	impossible bool // the new key cannot produce it
}

// lose takes in an exception of before that was not recognised.
func (f *following) lose(b int, kept again.Hashes, was *again.Mark) {
	if f.rows[b].stands.Value().presence == again.Cleared {
		f.stays(b, kept)
		return
	}
	one := lost{row: b, gone: was.Gone, kept: kept}
	for s := range was.Sides {
		one.is[s], one.keys[s] = was.Sides[s].Here, strings.Clone(was.Sides[s].Key)
	}
	one.tray, one.joined = was.Tray, was.Joined
	for s := range was.Sides {
		if f.rekeyed || was.Sides[s].Key == "" {
			one.contents[s] = strings.Clone(was.Sides[s].Content)
		}
	}
	if f.rekeyed {
		one.impossible = was.Impossible()
	}
	f.lost = append(f.lost, one)
}

// stays says that an exception is as gone as it was.
func (f *following) stays(b int, kept again.Hashes) {
	if f.rows[b].stands.Value().outdated {
		f.rekept = append(f.rekept, store.KeptUnder{ID: f.rows[b].at.ID, Hashes: kept})
	}
}

// lostAtOnce is of how many exceptions of before it is found out at a time what has become of them.
const lostAtOnce = 200_000

// gone writes the entries of the exceptions that were there before and are not in the run. Those that were gone before and still are, are told
// again only where they are still open.
func (f *following) gone(ctx context.Context, p *planned, index *match.Index, v *Service, w *store.RunWriter) error {
	slices.SortFunc(f.lost, func(a, b lost) int { return cmp.Compare(f.rows[a.row].at.ID, f.rows[b.row].at.ID) })
	for some := range slices.Chunk(f.lost, lostAtOnce) {
		marks := make([]again.Mark, len(some))
		for i, l := range some {
			for s := range l.keys {
				marks[i].Sides[s] = again.Side{Here: l.is[s], Key: l.keys[s], Content: l.contents[s]}
			}
			marks[i].Tray = l.tray
		}
		fates, err := f.marker.Fates(ctx, index, v.tables(p), marks)
		if err == nil && f.byContent {
			err = f.marker.Appear(ctx, index, v.tables(p), marks, fates)
		}
		if err != nil {
			return err
		}
		for i, l := range some {
			if l.joined {
				fates[i] = again.Cleared
			}
		}
		var places []store.EarlierPlace
		var told []again.Change
		var kept []again.Hashes
		for i, l := range some {
			of := &f.rows[l.row]
			if l.gone && fates[i] == again.Absent && of.stands.Value().settled {
				f.stays(l.row, l.kept)
				continue
			}
			f.since.Counts[fates[i]]++
			if fates[i] == again.Absent && l.impossible && !of.stands.Value().settled {
				f.retired = append(f.retired, of.at.ID)
				f.since.Retired++
			}
			places, told, kept = append(places, of.at), append(told, fates[i]), append(kept, l.kept)
		}
		err = v.store.EachEarlier(ctx, f.sieve, places, func(page []store.Earlier) error {
			list, err := formGone(v, page, told, kept, f.retired)
			if err != nil {
				return err
			}
			told, kept = told[len(page):], kept[len(page):]
			return w.Write(ctx, f.place(w, list))
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// formGone gives exceptions of before the form of entries, with what has become of each and what it is kept under from now on.
func formGone(v *Service, page []store.Earlier, told []again.Change, kept []again.Hashes, retired []uint) ([]store.Found, error) {
	list := make([]store.Found, len(page))
	err := v.sideBySide(len(page), func(i int) error {
		was, err := readSeen(page[i].Body)
		if err != nil {
			return err
		}
		x := &page[i].Exception
		list[i] = store.Found{Hashes: kept[i], Entry: store.Entry{Tray: x.Tray, Side: x.Side, Change: string(told[i]), Status: x.Status, Owner: x.Owner, Reason: x.Reason,
			ExceptionID: x.ID, Opened: x.Opened, Amount: x.Amount, Currency: x.Currency, Size: x.Size, KeyText: x.KeyText, BodyRun: x.BodyRun, BodySeq: x.BodySeq, Search: was.searchText()}}
		if _, is := slices.BinarySearch(retired, x.ID); is { // they are in the order of their ids
			list[i].Retired = true
			list[i].Entry.Status, list[i].Entry.Reason = store.StatusSettled, store.KeyChanged
		}
		return nil
	})
	return list, err
}
