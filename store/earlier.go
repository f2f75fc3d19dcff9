package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"
	"unique"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"twinsieve/core/again"
)

// Standing is how an exception of a sieve's runs before stands.
type Standing struct {
	At                    EarlierPlace
	Status, Owner, Reason string
	Opened                time.Time
	Presence              string      // here, cleared or absent
	Settled               bool        // explained or settled
	Print                 again.Print // of what it shows, where it is here
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
)

// Standings visits how the exceptions of a sieve stand, in the order in which they were opened, some at a time. printed is false where the prints of some that are here are
// not known: no run has found any since prints are kept.
func (s *Store) Standings(ctx context.Context, sieve uint, visit func([]Standing) error) (printed bool, err error) {
	list, printed, err := s.placed(ctx, sieve)
	if err != nil {
		return false, err
	}
	for len(list) > 0 {
		some := list[:min(standingsAtOnce, len(list))]
		list = list[len(some):]
		page := make([]Standing, len(some))
		at := make(map[uint]int)
		var ids []uint
		opened, when := "", time.Time{} // many were opened by one run
		for i := range some {
			p := &some[i]
			page[i] = Standing{At: EarlierPlace{p.id, p.seq}, Status: StatusOpen, Presence: "here", Print: p.print}
			if p.row {
				page[i].At.Seq = 0
				at[p.id] = i
				ids = append(ids, p.id)
				continue
			}
			if text := p.opened.Value(); text != opened {
				if when, err = time.Parse(writtenTime, text); err != nil {
					return false, fmt.Errorf("%w: %w", errUntouched, err)
				}
				opened = text
			}
			page[i].Opened = when
		}
		if len(ids) > 0 {
			err := s.bulk.each(ctx, `SELECT id, status, owner, reason, opened, presence, settled IS NOT NULL FROM exceptions WHERE id IN (SELECT value FROM json_each(?))`,
				[]any{numbers(ids)}, func(r row) (err error) {
					st := &page[at[r.id(0)]]
					st.Status, st.Owner, st.Reason, st.Presence, st.Settled = r.text(1), r.text(2), r.text(3), r.text(5), r.number(6) != 0
					st.Opened, err = r.time(4)
					return err
				})
			if err != nil {
				return false, err
			}
		}
		if err := visit(page); err != nil {
			return false, err
		}
	}
	return printed, nil
}

// placed is where an exception of a sieve stands.
type placed struct {
	id     uint
	seq    int64 // in the newest run; 0: it is not known where
	row    bool
	opened unique.Handle[string] // of one without a row
	print  again.Print
}

// placed lists where a sieve's exceptions stand, by their numbers.
func (s *Store) placed(ctx context.Context, sieve uint) (list []placed, printed bool, err error) {
	var run Run
	err = s.reads.WithContext(ctx).Transaction(func(tx *gorm.DB) error { // all as of one moment
		var rows []uint
		if err := tx.Model(&Exception{}).Where("sieve_id = ?", sieve).Order("id").Pluck("id", &rows).Error; err != nil {
			return err
		}
		for _, id := range rows {
			list = append(list, placed{id: id, row: true})
		}
		id, err := newestRunOf(tx, sieve)
		if err != nil || id == 0 {
			return err
		}
		if err := tx.Select("id", "here").Take(&run, id).Error; err != nil {
			return err
		}
		found, unknown := int64(0), false
		err = eachListed(tx, id, byAge, nil, func(some []listed) (bool, error) {
			for i := range some {
				one := placed{id: idOf(some[i].key), seq: some[i].seq, print: some[i].print}
				if at, has := slices.BinarySearch(rows, one.id); has {
					list[at].seq, list[at].print = one.seq, one.print
				} else {
					one.opened = unique.Make(openedOf(some[i].key))
					list = append(list, one)
				}
				found++
				unknown = unknown || one.print == again.Print{}
			}
			return false, nil
		})
		printed = found == run.Here && !unknown
		return err
	})
	slices.SortFunc(list, func(a, b placed) int { return cmp.Compare(a.id, b.id) })
	return list, printed, err
}

// Earlier visits the exceptions of a sieve, in the order in which they were opened, some at a time.
func (s *Store) Earlier(ctx context.Context, sieve uint, visit func([]Earlier) error) error {
	var all []EarlierPlace
	_, err := s.Standings(ctx, sieve, func(page []Standing) error {
		for i := range page {
			all = append(all, page[i].At)
		}
		return nil
	})
	if err != nil {
		return err
	}
	return s.EachEarlier(ctx, sieve, all, visit)
}

// EachEarlier is [Store.EarlierAt] for any number of places: it visits some at a time, while the next ones are read.
func (s *Store) EachEarlier(ctx context.Context, sieve uint, places []EarlierPlace, visit func([]Earlier) error) error {
	run, err := newestRunOf(s.reads.WithContext(ctx), sieve)
	if err != nil {
		return err
	}
	pages := make(chan []Earlier)
	group, ctx := errgroup.WithContext(ctx)
	group.Go(func() error {
		defer close(pages)
		for some := range slices.Chunk(places, earlierAtOnce) {
			page, err := s.earlierAt(ctx, sieve, run, some)
			if err != nil {
				return err
			}
			select {
			case pages <- page:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	group.Go(func() error {
		for page := range pages {
			if err := visit(page); err != nil {
				return err
			}
		}
		return nil
	})
	return group.Wait()
}

// EarlierAt reads exceptions of a sieve, in the order of their places, which [Store.Standings] has said; no run of the sieve has been sealed since.
func (s *Store) EarlierAt(ctx context.Context, sieve uint, places []EarlierPlace) ([]Earlier, error) {
	run, err := newestRunOf(s.reads.WithContext(ctx), sieve)
	if err != nil {
		return nil, err
	}
	return s.earlierAt(ctx, sieve, run, places)
}

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
	return s.bulk.each(ctx, `SELECT id, sieve_id, side, tray, status, owner, reason, version, opened, presence, settled, amount, currency, size, key_text, body_run, body_seq,
		changed_seq, changed_by, comments, attachments FROM exceptions WHERE id IN (SELECT value FROM json_each(?))`, []any{numbers(ids)}, func(r row) error {
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
	return s.bulk.each(ctx, `SELECT exception_id, side, tray, opened, amount, currency, size, key_text, body_run, body_seq, seq
		FROM entries WHERE run_id = ? AND seq IN (SELECT value FROM json_each(?))`, []any{run, numbers(seqs)}, func(r row) error {
		x := Exception{ID: r.id(0), SieveID: sieve, Side: r.text(1), Tray: r.text(2), Status: StatusOpen, Version: 1, Presence: "here", Amount: r.text(4), Currency: r.text(5),
			Size: r.bytes(6), KeyText: r.text(7), BodyRun: r.id(8), BodySeq: r.number(9)}
		var err error
		x.Opened, err = r.time(3)
		visit(x, r.number(10))
		return err
	})
}

// BodyRuns are the runs in which a sieve's exceptions were found last.
func (s *Store) BodyRuns(ctx context.Context, sieve uint) (runs []uint, err error) {
	err = s.reads.WithContext(ctx).Raw("SELECT body_run FROM exceptions WHERE sieve_id = @sieve UNION SELECT max(id) FROM runs WHERE sieve_id = @sieve AND sealed = 1",
		map[string]any{"sieve": sieve}).Scan(&runs).Error
	return runs, err
}
