package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"
	"unique"

	"gorm.io/gorm"

	"twinsieve/core/again"
	"twinsieve/core/ahead"
)

// Standing is how an exception of a sieve's runs before stands.
type Standing struct {
	At                    EarlierPlace
	Status, Owner, Reason string
	Opened                time.Time
	Presence              string       // here, cleared or absent
	Settled               bool         // explained or settled
	Print                 again.Print  // of what it shows, where it is here
	Hashes                again.Hashes // under which it is kept, where it is gone
	BodyRun               uint         // in which stands what people saw of it last
}

// EarlierPlace is where an exception of before stands: at a place in the sieve's newest run, or, at place 0, in a row of its own.
type EarlierPlace struct {
	ID  uint
	Seq int64
}

// Earlier is an exception of a sieve's runs before, with what people saw of it last.
type Earlier struct {
	Exception
	Body string
	At   EarlierPlace
}

// standingsAtOnce is of how many exceptions of before it is read at a time how they stand, and earlierAtOnce of how many what people saw of them.
const (
	standingsAtOnce = 10_000
	earlierAtOnce   = 2000
	keptAtOnce      = 1000
)

// Standings visits how the exceptions of a sieve stand, some at a time: those that are here, in the order in which they were opened, those that are absent, and of those that have
// been cleared, which may be any number, only those that are not kept under hashes of a reading, see [Store.GoneBy]. printed is false where the prints of some that are here are not known: no run
// has found any since prints are kept.
func (s *Store) Standings(ctx context.Context, sieve uint, reading int64, visit func([]Standing) error) (printed bool, err error) {
	list, run, printed, err := s.placed(ctx, sieve)
	if err != nil {
		return false, err
	}
	opened, when := "", time.Time{} // many were opened by one run
	for len(list) > 0 {
		some := list[:min(standingsAtOnce, len(list))]
		list = list[len(some):]
		page := make([]Standing, len(some))
		at := make(map[uint]int)
		var ids []uint
		for i := range some {
			p := &some[i]
			page[i] = Standing{At: EarlierPlace{p.id, p.seq}, Status: StatusOpen, Presence: "here", Print: p.print, BodyRun: run}
			if p.row {
				at[p.id] = i
				ids = append(ids, p.id)
				continue
			}
			if text := p.opened.Value(); text != opened {
				if when, err = time.Parse(writtenTime, text); err != nil {
					return false, fmt.Errorf("%w: %w", errFound, err)
				}
				opened = text
			}
			page[i].Opened = when
		}
		if len(ids) > 0 {
			put := func(x Standing) error {
				x.Print = page[at[x.At.ID]].Print
				page[at[x.At.ID]] = x
				return nil
			}
			if err := s.standings(ctx, "id IN (SELECT value FROM json_each(?))", []any{numbers(ids)}, put); err != nil {
				return false, err
			}
		}
		if err := visit(page); err != nil {
			return false, err
		}
	}
	const cleared = "sieve_id = ? AND presence = 'cleared' AND reading "
	for _, gone := range []struct {
		where  string
		values []any
	}{{"sieve_id = ? AND presence = 'absent'", []any{sieve}}, {cleared + "< ?", []any{sieve, reading}}, {cleared + "> ?", []any{sieve, reading}}} {
		var page []Standing
		err := s.standings(ctx, gone.where, gone.values, func(x Standing) error {
			if page = append(page, x); len(page) < standingsAtOnce {
				return nil
			}
			full := page
			page = nil
			return visit(full)
		})
		if err == nil && len(page) > 0 {
			err = visit(page)
		}
		if err != nil {
			return false, err
		}
	}
	return printed, nil
}

// GoneBy visits the exceptions of a sieve that are gone and are kept under one of some hashes of a reading.
func (s *Store) GoneBy(ctx context.Context, sieve uint, reading int64, hashes []int64, visit func(Standing) error) error {
	seen := map[uint]bool{}
	for _, side := range []string{"left_hash", "right_hash"} {
		err := s.standings(ctx, "sieve_id = ? AND reading = ? AND presence <> 'here' AND "+side+" <> 0 AND "+side+" IN (SELECT value FROM json_each(?))", []any{sieve, reading, numbers(hashes)},
			func(x Standing) error {
				if seen[x.At.ID] {
					return nil
				}
				seen[x.At.ID] = true
				return visit(x)
			})
		if err != nil {
			return err
		}
	}
	return nil
}

// standings visits how exceptions stand that have rows.
func (s *Store) standings(ctx context.Context, where string, values []any, visit func(Standing) error) error {
	return s.bulk.each(ctx, `SELECT id, status, owner, reason, opened, presence, settled IS NOT NULL, reading, left_hash, right_hash, body_run FROM exceptions WHERE `+where, values, func(r row) (err error) {
		x := Standing{At: EarlierPlace{ID: r.id(0)}, Status: r.text(1), Owner: r.text(2), Reason: r.text(3), Presence: r.text(5), Settled: r.number(6) != 0,
			Hashes: again.Hashes{Reading: r.number(7), Sides: [2]int64{r.number(8), r.number(9)}}, BodyRun: r.id(10)}
		if x.Opened, err = r.time(4); err != nil {
			return err
		}
		return visit(x)
	})
}

// KeptUnder is under which hashes an exception is kept from now on.
type KeptUnder struct {
	ID     uint
	Hashes again.Hashes
}

// KeepUnder keeps exceptions that are gone under other hashes, bit by bit.
func (s *Store) KeepUnder(ctx context.Context, list []KeptUnder) error {
	for some := range slices.Chunk(list, keptAtOnce) {
		err := s.writeRows(ctx, func(to *rowWriter) error {
			for _, x := range some {
				_, err := to.change("UPDATE exceptions SET reading = ?, left_hash = ?, right_hash = ? WHERE id = ? AND presence <> 'here'", x.Hashes.Reading, x.Hashes.Sides[0], x.Hashes.Sides[1], x.ID)
				if err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// placed is where an exception of a sieve stands that is here.
type placed struct {
	id     uint
	seq    int64 // in the newest run, of one without a row
	row    bool
	opened unique.Handle[string] // of one without a row
	print  again.Print
}

// placed lists where those of a sieve's exceptions stand that are here, by their numbers. run is its newest run, 0 where there is none.
func (s *Store) placed(ctx context.Context, sieve uint) (list []placed, run uint, printed bool, err error) {
	err = s.reads.WithContext(ctx).Transaction(func(tx *gorm.DB) error { // all as of one moment
		var rows []uint
		if err := tx.Model(&Exception{}).Where("sieve_id = ? AND presence = 'here'", sieve).Order("id").Pluck("id", &rows).Error; err != nil {
			return err
		}
		for _, id := range rows {
			list = append(list, placed{id: id, row: true})
		}
		if run, err = newestRunOf(tx, sieve); err != nil || run == 0 {
			return err
		}
		var here int64
		if err := tx.Model(&Run{}).Select("here").Where("id = ?", run).Scan(&here).Error; err != nil {
			return err
		}
		found, unknown := int64(0), false
		var opened unique.Handle[string] // of the one before; many were opened by one run
		err = eachListed(tx, run, byAge, nil, func(some []listed) (bool, error) {
			for i := range some {
				one := placed{id: idOf(some[i].key), seq: some[i].seq, print: some[i].print}
				if at, has := slices.BinarySearch(rows, one.id); has {
					list[at].print = one.print
				} else {
					if when := openedOf(some[i].key); opened == (unique.Handle[string]{}) || when != opened.Value() {
						opened = unique.Make(when)
					}
					one.opened = opened
					list = append(list, one)
				}
				found++
				unknown = unknown || one.print == again.Print{}
			}
			return false, nil
		})
		printed = found == here && !unknown
		return err
	})
	slices.SortFunc(list, func(a, b placed) int { return cmp.Compare(a.id, b.id) })
	return list, run, printed, err
}

// EachEarlier visits exceptions of a sieve, with what people saw of them last, in the order of their places, which [Store.Standings] has said; no run of the sieve has been sealed
// since. It visits some at a time, while the next ones are read.
func (s *Store) EachEarlier(ctx context.Context, sieve uint, places []EarlierPlace, visit func([]Earlier) error) error {
	run, err := newestRunOf(s.reads.WithContext(ctx), sieve)
	if err != nil {
		return err
	}
	return ahead.Each(ctx, func(ctx context.Context, pass func([]Earlier) error) error {
		for some := range slices.Chunk(places, earlierAtOnce) {
			page, err := s.earlierAt(ctx, sieve, run, some)
			if err != nil {
				return err
			}
			if err := pass(page); err != nil {
				return err
			}
		}
		return nil
	}, visit)
}

// earlierAt reads exceptions at their places; run is the sieve's newest run.
func (s *Store) earlierAt(ctx context.Context, sieve, run uint, places []EarlierPlace) ([]Earlier, error) {
	page := make([]Earlier, len(places))
	at := make(map[uint]int, len(places))
	var ids []uint
	var seqs []int64
	for i, p := range places {
		page[i].At = p
		if at[p.ID] = i; p.Seq == 0 {
			ids = append(ids, p.ID)
		} else {
			seqs = append(seqs, p.Seq)
		}
	}
	put := func(x Exception) { page[at[x.ID]].Exception = x }
	if err := s.exceptionsByID(ctx, ids, put); err != nil {
		return nil, err
	}
	if err := s.untouchedByPlace(ctx, sieve, run, seqs, func(x Exception, _ int64) { put(x) }); err != nil {
		return nil, err
	}
	return page, s.bodies(ctx, len(page), func(i int) (uint, int64) { return page[i].BodyRun, page[i].BodySeq }, func(i int, body string) { page[i].Body = body })
}

// newestRunOf is the newest sealed run of a sieve, 0 where there is none.
func newestRunOf(tx *gorm.DB, sieve uint) (run uint, err error) {
	err = tx.Model(&Run{}).Select("coalesce(max(id), 0)").Where("sieve_id = ? AND sealed = 1", sieve).Scan(&run).Error
	return run, err
}

// exceptionsByID visits exceptions that have rows.
func (s *Store) exceptionsByID(ctx context.Context, ids []uint, visit func(Exception)) error {
	if len(ids) == 0 {
		return nil
	}
	wanted := slices.Sorted(slices.Values(ids))
	where, values := among(ids)
	return s.bulk.each(ctx, `SELECT id, sieve_id, side, tray, status, owner, reason, version, opened, presence, settled, amount, currency, size, key_text, body_run, body_seq,
		changed_seq, changed_by, comments, attachments FROM exceptions WHERE `+where, values, func(r row) error {
		if _, is := slices.BinarySearch(wanted, r.id(0)); !is {
			return nil
		}
		x := Exception{ID: r.id(0), SieveID: r.id(1), Side: r.text(2), Tray: r.text(3), Status: r.text(4), Owner: r.text(5), Reason: r.text(6), Version: int(r.number(7)),
			Presence: r.text(9), Amount: r.text(11), Currency: r.text(12), Size: r.bytes(13), KeyText: r.text(14), BodyRun: r.id(15), BodySeq: r.number(16),
			ChangedSeq: r.number(17), ChangedBy: r.text(18), Comments: int(r.number(19)), Attachments: int(r.number(20))}
		var err error
		if x.Opened, err = r.time(8); err != nil {
			return err
		}
		if settled, err := r.time(10); err != nil {
			return err
		} else if !settled.IsZero() {
			x.Settled = &settled
		}
		visit(x)
		return nil
	})
}

// untouchedByPlace visits untouched exceptions of a sieve by their places in its newest run.
func (s *Store) untouchedByPlace(ctx context.Context, sieve, run uint, seqs []int64, visit func(x Exception, seq int64)) error {
	list, err := s.entriesAt(ctx, run, seqs)
	for i := range list {
		visit(untouchedOf(sieve, &list[i]), list[i].Seq)
	}
	return err
}

// untouchedOf is an untouched exception, of which an entry of its sieve's newest run says all that there is to say.
func untouchedOf(sieve uint, e *Entry) Exception {
	return Exception{ID: e.ExceptionID, SieveID: sieve, Side: e.Side, Tray: e.Tray, Status: StatusOpen, Version: 1, Opened: e.Opened, Presence: "here", Amount: e.Amount, Currency: e.Currency,
		Size: e.Size, KeyText: e.KeyText, BodyRun: e.BodyRun, BodySeq: e.BodySeq}
}
