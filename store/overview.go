package store

import (
	"bytes"
	"context"
	"slices"
	"strconv"

	"gorm.io/gorm"
)

// OverviewQuery chooses exceptions over all sieves, of those that are still to be settled.
type OverviewQuery struct {
	Owner   *string // nil: anybody's; "": nobody's
	Mention uint    // only those whose comments mention this person and have not been seen; 0: any
	Sieve   uint    // 0: all
	Sort    string  // age or amount
	After   string
	Limit   int
}

// Overviewed is an exception with its sieve and what people see of it.
type Overviewed struct {
	Exception
	Sieve string
	Body  string
	Run   uint // the newest run of its sieve that lists it
	Seq   int64
}

// pending narrows a query over exceptions that have rows to those that somebody has to do something about, in the words of the indexes of these; the
// sign keeps other indexes out.
func pending(db *gorm.DB) *gorm.DB {
	return db.Where("exceptions.status IN ('open', 'in-progress')").Where("+exceptions.sieve_id IN (SELECT id FROM sieves)")
}

// chosen narrows a query over exceptions that have rows to those that are chosen.
func (q *OverviewQuery) chosen(tx *gorm.DB) *gorm.DB {
	db := pending(tx.Table("exceptions"))
	if q.Mention > 0 { // whatever has become of them
		db = tx.Table("exceptions").Where("exceptions.sieve_id IN (SELECT id FROM sieves)")
	}
	if q.Owner != nil {
		db = db.Where("exceptions.owner = ?", *q.Owner)
	}
	if q.Mention > 0 {
		db = db.Where("exceptions.id IN (SELECT exception_id FROM mentions WHERE person_id = ? AND seen = 0)", q.Mention)
	}
	if q.Sieve > 0 {
		db = db.Where("exceptions.sieve_id = ?", q.Sieve)
	}
	return db
}

// untouched reports whether those that nobody has worked on are chosen, too. They have no owner, and nobody is mentioned with them.
func (q *OverviewQuery) untouched() bool { return (q.Owner == nil || *q.Owner == "") && q.Mention == 0 }

// newestRun is the newest run of a sieve, and how many exceptions it leaves that are untouched still.
type newestRun struct {
	ID, SieveID uint
	Untouched   int64
}

// newestRuns lists the newest runs of the sieves that are there, or of one of them.
func newestRuns(tx *gorm.DB, sieve uint) (list []newestRun, err error) {
	err = tx.Raw(`SELECT r.id, r.sieve_id, r.here - (SELECT count(*) FROM exceptions x WHERE x.sieve_id = r.sieve_id AND x.presence = 'here') AS untouched FROM runs r
		WHERE r.id IN (SELECT max(id) FROM runs WHERE sealed = 1 GROUP BY sieve_id) AND r.sieve_id IN (SELECT id FROM sieves) AND (r.sieve_id = @sieve OR @sieve = 0)`,
		map[string]any{"sieve": sieve}).Scan(&list).Error
	return list, err
}

// Overview returns a page of the exceptions chosen and how many there are altogether.
func (s *Store) Overview(ctx context.Context, q OverviewQuery) (page []Overviewed, total int64, next string, err error) {
	order := byAge
	if q.Sort == "amount" {
		order = byAmount
	}
	var found []listed
	err = s.reads.WithContext(ctx).Transaction(func(tx *gorm.DB) error { // all as of one moment
		if err := q.chosen(tx).Count(&total).Error; err != nil {
			return err
		}
		var after []byte
		rows := q.chosen(tx).Select("exceptions.id, exceptions.opened, exceptions.size")
		if q.After != "" {
			last, err := s.overviewedLast(tx, q.After)
			if err != nil {
				return err
			}
			after = order.keyOf(last)
			rows = order.behind(rows, last)
		}
		var list []Exception
		if err := order.of(rows).Limit(q.Limit + 1).Scan(&list).Error; err != nil {
			return err
		}
		for _, x := range list {
			found = append(found, listed{key: order.keyOf(x)})
		}
		if !q.untouched() {
			return nil
		}
		runs, err := newestRuns(tx, q.Sieve)
		if err != nil {
			return err
		}
		for _, run := range runs {
			total += run.Untouched
			more := q.Limit + 1
			err := eachUntouched(tx, run.ID, order, after, func(u listed) bool {
				found = append(found, u)
				more--
				return more == 0
			})
			if err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, 0, "", plainError(err)
	}
	slices.SortFunc(found, func(a, b listed) int { return bytes.Compare(a.key, b.key) })
	if len(found) > q.Limit {
		found = found[:q.Limit]
		next = strconv.FormatUint(uint64(idOf(found[q.Limit-1].key)), 10)
	}
	page, err = s.overviewed(ctx, found)
	return page, total, next, err
}

// keyOf is the key of an exception that has been read.
func (o sortOrder) keyOf(x Exception) []byte {
	return o.appendKey(nil, x.Opened.UTC().Format(writtenTime), x.Size, x.ID)
}

// of sorts a query over exceptions that have rows.
func (o sortOrder) of(db *gorm.DB) *gorm.DB {
	if o == byAge {
		return db.Order("exceptions.opened, exceptions.id")
	}
	return db.Order("exceptions.size DESC, exceptions.id")
}

// behind narrows a query over exceptions that have rows to those behind one.
func (o sortOrder) behind(db *gorm.DB, last Exception) *gorm.DB {
	if o == byAge {
		return db.Where("exceptions.opened > ? OR exceptions.opened = ? AND exceptions.id > ?", last.Opened, last.Opened, last.ID)
	}
	return db.Where("exceptions.size < ? OR exceptions.size = ? AND exceptions.id > ?", last.Size, last.Size, last.ID)
}

// overviewedLast is the exception that a cursor names, as it is now.
func (s *Store) overviewedLast(tx *gorm.DB, cursor string) (x Exception, err error) {
	id, err := strconv.ParseUint(cursor, 10, 32)
	if err != nil {
		return x, ErrNotFound
	}
	if err := tx.Select("id", "opened", "size").Limit(1).Find(&x, "id = ?", id).Error; err != nil || x.ID > 0 {
		return x, err
	}
	runs, err := newestRuns(tx, 0) // one without a row is in the newest run of its sieve
	if err != nil {
		return x, err
	}
	for _, run := range runs {
		list, err := s.entriesOf(tx.Statement.Context, run.ID, []uint{uint(id)})
		if err != nil {
			return x, err
		}
		if len(list) > 0 {
			return untouchedOf(run.SieveID, &list[0]), nil
		}
	}
	return x, ErrNotFound
}

// overviewed reads exceptions with what people see of them, in the order given.
func (s *Store) overviewed(ctx context.Context, found []listed) ([]Overviewed, error) {
	page := make([]Overviewed, len(found))
	var ids []uint
	at := map[uint]int{} // of those that have rows
	places := map[uint][]int64{}
	for i, u := range found {
		if u.run > 0 {
			places[u.run] = append(places[u.run], u.seq)
		} else {
			id := idOf(u.key)
			ids, at[id] = append(ids, id), i
		}
	}
	var rows []Overviewed
	err := s.reads.WithContext(ctx).Raw(`SELECT x.*, s.name AS sieve FROM exceptions x JOIN sieves s ON s.id = x.sieve_id WHERE x.id IN ?`, ids).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	for _, x := range rows {
		page[at[x.ID]] = x
	}
	if err := s.lastListed(ctx, rows, func(id uint, e *Entry) {
		page[at[id]].Run, page[at[id]].Seq = e.RunID, e.Seq
	}); err != nil {
		return nil, err
	}
	for run, seqs := range places {
		if err := s.overviewedIn(ctx, run, seqs, func(x Overviewed) {
			page[slices.IndexFunc(found, func(u listed) bool { return u.run == run && u.seq == x.Seq })] = x
		}); err != nil {
			return nil, err
		}
	}
	page = slices.DeleteFunc(page, func(x Overviewed) bool { return x.ID == 0 }) // gone since, with its sieve
	return page, s.bodies(ctx, len(page), func(i int) (uint, int64) { return page[i].BodyRun, page[i].BodySeq }, func(i int, body string) { page[i].Body = body })
}

// lastListed visits the entries by which exceptions were listed last. The report that did may have been removed; then there is none.
func (s *Store) lastListed(ctx context.Context, exceptions []Overviewed, visit func(id uint, e *Entry)) error {
	left := map[uint][]uint{} // by sieve
	for _, x := range exceptions {
		left[x.SieveID] = append(left[x.SieveID], x.ID)
	}
	for sieve, ids := range left {
		var runs []uint // mostly the newest lists them all
		if err := s.reads.WithContext(ctx).Model(&Run{}).Where("sieve_id = ? AND sealed = 1", sieve).Order("id DESC").Pluck("id", &runs).Error; err != nil {
			return err
		}
		for _, run := range runs {
			if len(ids) == 0 {
				break
			}
			list, err := s.entriesOf(ctx, run, ids)
			if err != nil {
				return err
			}
			for i := range list {
				visit(list[i].ExceptionID, &list[i])
				ids = slices.DeleteFunc(ids, func(id uint) bool { return id == list[i].ExceptionID })
			}
		}
	}
	return nil
}

// overviewedIn visits untouched exceptions by their places in a run, which is the newest of its sieve.
func (s *Store) overviewedIn(ctx context.Context, run uint, seqs []int64, visit func(Overviewed)) error {
	var sieve struct {
		ID   uint
		Name string
	}
	err := s.reads.WithContext(ctx).Raw("SELECT s.id, s.name FROM runs r JOIN sieves s ON s.id = r.sieve_id WHERE r.id = ?", run).Scan(&sieve).Error
	if err != nil || sieve.ID == 0 { // it is gone since
		return err
	}
	return s.untouchedByPlace(ctx, sieve.ID, run, seqs, func(x Exception, seq int64) {
		visit(Overviewed{Exception: x, Sieve: sieve.Name, Run: run, Seq: seq})
	})
}

// OverviewCounts are how many exceptions are pending.
type OverviewCounts struct {
	All, Mine, Unowned, Mentions int64
}

// OverviewCounts counts what is pending, for a person.
func (s *Store) OverviewCounts(ctx context.Context, who Actor) (c OverviewCounts, err error) {
	err = s.reads.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		err := pending(tx.Table("exceptions")).Select(`count(*) AS "all", coalesce(sum(owner = ?), 0) AS mine, coalesce(sum(owner = ''), 0) AS unowned`, who.Name).Scan(&c).Error
		if err != nil {
			return err
		}
		mentions := OverviewQuery{Mention: who.ID}
		if who.ID > 0 {
			if err := mentions.chosen(tx).Count(&c.Mentions).Error; err != nil {
				return err
			}
		}
		runs, err := newestRuns(tx, 0)
		for _, run := range runs {
			c.All, c.Unowned = c.All+run.Untouched, c.Unowned+run.Untouched
		}
		return err
	})
	return c, err
}
