package store

import (
	"context"
	"database/sql"
	"strconv"
	"strings"
	"time"

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

// pending narrows a query over exceptions to those that somebody has to do something about, in the words of the indexes of these; the signs keep
// other indexes out.
func pending(db *gorm.DB) *gorm.DB {
	return db.Where("exceptions.status IN ('open', 'in-progress') AND exceptions.presence <> 'cleared'").
		Where("+exceptions.opened_run IN (SELECT id FROM runs WHERE sealed <> 0)").Where("+exceptions.sieve_id IN (SELECT id FROM sieves)")
}

// Overview returns a page of the exceptions chosen and how many there are altogether.
func (s *Store) Overview(ctx context.Context, q OverviewQuery) (page []Overviewed, total int64, next string, err error) {
	chosen := func() *gorm.DB {
		db := pending(s.reads.WithContext(ctx).Table("exceptions"))
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
	if err = chosen().Count(&total).Error; err != nil {
		return nil, 0, "", err
	}
	column, way, than := "opened", "", ">"
	if q.Sort == "amount" {
		column, way, than = "size", " DESC", "<"
	}
	db := chosen().Select("exceptions.id")
	if q.After != "" {
		id, err := strconv.ParseUint(q.After, 10, 32)
		if err != nil {
			return nil, 0, "", ErrNotFound
		}
		at := "(SELECT " + column + " FROM exceptions WHERE id = ?)"
		db = db.Where("exceptions."+column+" "+than+" "+at+" OR exceptions."+column+" = "+at+" AND exceptions.id > ?", id, id, id)
	}
	var ids []uint
	if err = db.Order("exceptions." + column + way + ", exceptions.id").Limit(q.Limit + 1).Scan(&ids).Error; err != nil {
		return nil, 0, "", err
	}
	if len(ids) > q.Limit {
		ids = ids[:q.Limit]
		next = strconv.FormatUint(uint64(ids[q.Limit-1]), 10)
	}
	page, err = s.overviewed(ctx, ids)
	return page, total, next, err
}

// overviewed reads exceptions with what people see of them, in the order of their ids as given.
func (s *Store) overviewed(ctx context.Context, ids []uint) ([]Overviewed, error) {
	var rows []Overviewed
	err := s.reads.WithContext(ctx).Raw(`SELECT x.*, s.name AS sieve FROM exceptions x JOIN sieves s ON s.id = x.sieve_id WHERE x.id IN ?`, ids).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	err = s.bodies(ctx, len(rows), func(i int) (uint, int64) { return rows[i].BodyRun, rows[i].BodySeq }, func(i int, body string) { rows[i].Body = body })
	if err != nil {
		return nil, err
	}
	// The report that listed one last may have been removed; then it is in none.
	var last []struct {
		ExceptionID, RunID uint
		Seq                int64
	}
	err = s.reads.WithContext(ctx).Raw(`SELECT exception_id, max(run_id) AS run_id, seq FROM entries INDEXED BY entries_of_exception
		WHERE exception_id IN ? AND +run_id IN (SELECT id FROM runs WHERE sealed = 1) GROUP BY exception_id`, ids).Scan(&last).Error
	if err != nil {
		return nil, err
	}
	at := make(map[uint]*Overviewed, len(rows))
	for i := range rows {
		at[rows[i].ID] = &rows[i]
	}
	for _, l := range last {
		if x := at[l.ExceptionID]; x != nil {
			x.Run, x.Seq = l.RunID, l.Seq
		}
	}
	page := make([]Overviewed, 0, len(ids))
	for _, id := range ids {
		if x := at[id]; x != nil {
			page = append(page, *x)
		}
	}
	return page, nil
}

// OverviewCounts are how many exceptions are pending.
type OverviewCounts struct {
	All, Mine, Unowned, Mentions int64
}

// OverviewCounts counts what is pending, for a person.
func (s *Store) OverviewCounts(ctx context.Context, who Actor) (c OverviewCounts, err error) {
	err = pending(s.reads.WithContext(ctx).Table("exceptions")).Select(`count(*) AS "all", coalesce(sum(owner = ?), 0) AS mine, coalesce(sum(owner = ''), 0) AS unowned,
		coalesce(sum(id IN (SELECT exception_id FROM mentions WHERE person_id = ? AND seen = 0)), 0) AS mentions`, who.Name, who.ID).Scan(&c).Error
	return c, err
}

// TrendLine is how many exceptions of a run lie in a tray and are so old.
type TrendLine struct {
	RunID   uint
	Tray    string
	Change  string
	Status  string
	Opened  time.Time // when they were found first: as that run began
	Entries int64
}

// Trend counts the entries of runs by tray, change, status and when they were found first.
func (s *Store) Trend(ctx context.Context, runs []uint) (list []TrendLine, err error) {
	err = s.reads.WithContext(ctx).Raw(`SELECT run_id, tray, change, status, opened, count(*) AS entries FROM entries WHERE run_id IN ?
		GROUP BY run_id, tray, change, status, opened`, runs).Scan(&list).Error
	return list, err
}

// OpenAmounts visits the amounts of a run's exceptions that are neither explained nor settled, and are there or absent. What it hands over is
// good until the next call.
func (s *Store) OpenAmounts(ctx context.Context, run uint, visit func(amount, currency []byte)) error {
	rows, err := s.reads.WithContext(ctx).Raw("SELECT amount, currency FROM entries WHERE run_id = ? AND status IN ('open', 'in-progress') AND amount <> ''", run).Rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	var amount, currency sql.RawBytes
	for rows.Next() {
		if err := rows.Scan(&amount, &currency); err != nil {
			return err
		}
		visit(amount, currency)
	}
	return rows.Err()
}

// Settled are how long it took until exceptions of a sieve were explained or settled, of those that were so in a span of time.
func (s *Store) Settled(ctx context.Context, sieve uint, from, to time.Time) (list []time.Duration, err error) {
	var rows []struct{ Opened, Settled time.Time }
	err = s.reads.WithContext(ctx).Raw("SELECT opened, settled FROM exceptions WHERE opened_run IN (SELECT id FROM runs WHERE sieve_id = ?) AND settled > ? AND settled <= ?", sieve, from, to).Scan(&rows).Error
	for _, r := range rows {
		list = append(list, r.Settled.Sub(r.Opened))
	}
	return list, err
}

// SavedFilter is what a person looks for in reports again and again.
type SavedFilter struct {
	ID       uint
	PersonID uint
	Name     string
	Query    string // as it stands in the address of a report
	Created  time.Time
}

// SavedFilters lists a person's filters by name.
func (s *Store) SavedFilters(ctx context.Context, person uint) (list []SavedFilter, err error) {
	err = s.reads.WithContext(ctx).Where("person_id = ?", person).Order("name").Find(&list).Error
	return list, err
}

// SaveFilter keeps a filter under a name; one that was kept under it is replaced.
func (s *Store) SaveFilter(ctx context.Context, f SavedFilter) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error {
		return tx.Exec("INSERT INTO saved_filters (person_id, name, query, created) VALUES (?, ?, ?, ?) ON CONFLICT (person_id, name) DO UPDATE SET query = excluded.query",
			f.PersonID, f.Name, f.Query, time.Now().UTC()).Error
	})
}

// DropFilter forgets a filter.
func (s *Store) DropFilter(ctx context.Context, person uint, name string) error {
	return s.write(ctx, urgent, func(tx *gorm.DB) error {
		done := tx.Where("person_id = ? AND name = ?", person, strings.TrimSpace(name)).Delete(&SavedFilter{})
		if done.Error == nil && done.RowsAffected == 0 {
			return ErrNotFound
		}
		return done.Error
	})
}

// RunsOf lists the sealed runs of a sieve, the newest first.
func (s *Store) RunsOf(ctx context.Context, sieve uint, limit int) (runs []Run, err error) {
	err = s.reads.WithContext(ctx).Where("sieve_id = ? AND sealed = 1", sieve).Order("id DESC").Limit(limit).Find(&runs).Error
	return runs, err
}
