package store

import (
	"cmp"
	"context"
	"slices"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"
)

// Earlier is an exception of a sieve's runs before, with what people saw of it last.
type Earlier struct {
	Exception
	Body string
	At   EarlierPlace
}

// EarlierPlace is where an exception of before stands: at a place in the sieve's newest run, or, at place 0, in a row of its own.
type EarlierPlace struct {
	ID  uint
	Seq int64
}

// Earlier visits the exceptions of a sieve, in the order in which they were opened, some at a time. The next ones are read while some are
// visited.
func (s *Store) Earlier(ctx context.Context, sieve uint, visit func([]Earlier) error) error {
	pages := make(chan []Earlier)
	group, ctx := errgroup.WithContext(ctx)
	group.Go(func() error {
		defer close(pages)
		return s.earlier(ctx, sieve, func(page []Earlier) error {
			select {
			case pages <- page:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		})
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

func (s *Store) earlier(ctx context.Context, sieve uint, visit func([]Earlier) error) error {
	list, run, err := s.earlierPlaces(ctx, sieve)
	if err != nil {
		return err
	}
	for some := range slices.Chunk(list, earlierAtOnce) {
		page, err := s.earlierAt(ctx, sieve, run, some)
		if err != nil {
			return err
		}
		if err := visit(page); err != nil {
			return err
		}
	}
	return nil
}

// EarlierAt reads exceptions of a sieve anew that [Store.Earlier] has visited, in the order of their places; no run of the sieve has been sealed since.
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

// earlierPlaces lists where a sieve's exceptions stand, by their numbers. run is its newest run, 0 where there is none.
func (s *Store) earlierPlaces(ctx context.Context, sieve uint) (list []EarlierPlace, run uint, err error) {
	err = s.reads.WithContext(ctx).Transaction(func(tx *gorm.DB) error { // all as of one moment
		var rows []uint
		if err := tx.Model(&Exception{}).Where("sieve_id = ?", sieve).Pluck("id", &rows).Error; err != nil {
			return err
		}
		for _, id := range rows {
			list = append(list, EarlierPlace{id, 0})
		}
		if run, err = newestRunOf(tx, sieve); err != nil {
			return err
		}
		return eachUntouched(tx, run, byAge, nil, func(u listed) bool {
			list = append(list, EarlierPlace{idOf(u.key), u.seq})
			return false
		})
	})
	slices.SortFunc(list, func(a, b EarlierPlace) int { return cmp.Compare(a.ID, b.ID) })
	return list, run, err
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

// earlierAtOnce is how many exceptions of before are visited at a time.
const earlierAtOnce = 2000

// BodyRuns are the runs in which a sieve's exceptions were found last.
func (s *Store) BodyRuns(ctx context.Context, sieve uint) (runs []uint, err error) {
	err = s.reads.WithContext(ctx).Raw("SELECT body_run FROM exceptions WHERE sieve_id = @sieve UNION SELECT max(id) FROM runs WHERE sieve_id = @sieve AND sealed = 1",
		map[string]any{"sieve": sieve}).Scan(&runs).Error
	return runs, err
}
