package store

import (
	"context"
	"database/sql"
	"time"
)

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
	err = s.reads.WithContext(ctx).Raw("SELECT opened, settled FROM exceptions WHERE sieve_id = ? AND settled > ? AND settled <= ?", sieve, from, to).Scan(&rows).Error
	for _, r := range rows {
		list = append(list, r.Settled.Sub(r.Opened))
	}
	return list, err
}

// RunsOf lists the sealed runs of a sieve, the newest first.
func (s *Store) RunsOf(ctx context.Context, sieve uint, limit int) (runs []Run, err error) {
	err = s.reads.WithContext(ctx).Where("sieve_id = ? AND sealed = 1", sieve).Order("id DESC").Limit(limit).Find(&runs).Error
	return runs, err
}
