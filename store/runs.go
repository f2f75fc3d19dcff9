package store

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strconv"
	"time"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"twinsieve/core/again"
	"twinsieve/core/ahead"
	"twinsieve/core/match"
	"twinsieve/core/tray"
)

// RunWriter writes a run piece by piece. Nothing of it is visible before [RunWriter.Seal].
type RunWriter struct {
	store *Store
	run   Run
	seq   int64
	shelf shelf

	seen    int64   // entry of the history up to which the exceptions of before are known
	begun   []Entry // of the block that is being filled
	back    []uint  // exceptions that were absent, and are as they were because the run carries their records in
	retired []uint  // exceptions that the new key of the sieve cannot produce
	found   foundLists
}

// NewRun begins a run of a sieve's version over two snapshots, which stay as long as it does. Where one has been removed, the error is
// [ErrChanged].
func (s *Store) NewRun(ctx context.Context, sieve Sieve, left, right Snapshot) (*RunWriter, error) {
	w := &RunWriter{store: s, run: Run{SieveID: sieve.ID, Version: sieve.Version, LeftID: left.ID, RightID: right.ID, Started: time.Now().UTC()}}
	err := s.write(ctx, bulk, func(tx *gorm.DB) error {
		if err := tx.Raw("SELECT coalesce(max(seq), 0) FROM history").Scan(&w.seen).Error; err != nil {
			return err
		}
		var removed int64
		if err := tx.Raw("SELECT count(*) FROM (SELECT ? AS id UNION SELECT ?) WHERE id > 0 AND id NOT IN (SELECT id FROM snapshots WHERE sealed = 1)", left.ID, right.ID).Scan(&removed).Error; err != nil {
			return err
		}
		if removed > 0 {
			return ErrChanged
		}
		return tx.Create(&w.run).Error
	})
	w.shelf.run = w.run.ID
	w.found.dir = s.TempDir()
	return w, err
}

// AddIndex writes the run's index, one part a transaction. While one is written, the next are sealed.
func (w *RunWriter) AddIndex(ctx context.Context, index *match.Index) error {
	return ahead.Each(ctx, func(ctx context.Context, pass func(IndexPart) error) error {
		var sealing errgroup.Group
		for _, side := range tray.Sides {
			sealing.Go(func() error {
				records := len(index.Sides[side].Trays)
				for first := 0; first < records; first += match.SealRecords {
					blob, err := index.Seal(side, first, min(first+match.SealRecords, records))
					if err != nil {
						return err
					}
					if err := pass(IndexPart{w.run.ID, int(side), first / match.SealRecords, blob}); err != nil {
						return err
					}
				}
				return nil
			})
		}
		return sealing.Wait()
	}, func(part IndexPart) error {
		return w.store.writeRows(ctx, func(to *rowWriter) error {
			return to.insert("index_parts", "run_id, side, part, blob", [][]any{{part.RunID, part.Side, part.Part, part.Blob}})
		})
	})
}

// Found is an entry that a run has found, and what people see of it, with copies of the cells, as the service writes it: empty where what an earlier run has
// found is shown. By its print the next run recognises it; one that is not there has none, and is kept under its hashes.
type Found struct {
	Entry   Entry
	Body    string
	Print   again.Print
	Hashes  again.Hashes
	Retired bool // the sieve's key has changed so that it can never be found again; its status and reason say so
	Back    bool // it was absent, and is as it was because the run carries its records in
}

// Placed are entries that have their places in a run's report, ready to be written.
type Placed struct {
	pieces []piece
	err    error
}

// piece is some rows of a table.
type piece struct {
	table, columns string
	rows           [][]any
}

// Place gives the next entries their places in the run's report. It sets their run, place and body, and what is opened with the run; what is new gives its exception a number.
// Those that do not fill a block come with the next ones, or with the sealing.
func (w *RunWriter) Place(list []Found) (p Placed) {
	var turnedNow [][]any
	for i := range list {
		e := &list[i].Entry
		w.seq++
		e.RunID, e.Seq, e.print = w.run.ID, w.seq, list[i].Print
		if list[i].Body != "" {
			e.BodyRun, e.BodySeq = w.run.ID, w.seq
		}
		if e.ExceptionID == 0 {
			e.ExceptionID, e.Opened = w.store.newException(), w.run.Started
		}
		if i == 0 || !e.Opened.Equal(list[i-1].Entry.Opened) {
			e.opened = once(e.Opened.UTC().Format(writtenTime))
		} else {
			e.opened = list[i-1].Entry.opened
		}
		change := again.Change(e.Change)
		e.Status = turned(change, e.Status)
		if change != again.New && change != again.StillOpen {
			turnedNow = append(turnedNow, turnedRow(e, list[i].Hashes))
		}
		if list[i].Retired {
			w.retired = append(w.retired, e.ExceptionID)
		}
		if list[i].Back {
			w.back = append(w.back, e.ExceptionID)
		}
		if change.Here() {
			w.run.Here++
		}
		if full := w.shelf.add(list[i].Body); full != nil {
			p.pieces = append(p.pieces, full.piece())
		}
		if w.begun = append(w.begun, *e); len(w.begun) == entriesInBlock {
			p.pieces = append(p.pieces, packEntries(w.begun).piece())
			w.begun = w.begun[:0]
		}
		if p.err = w.found.add(e); p.err != nil {
			return p
		}
	}
	for some := range slices.Chunk(turnedNow, rowsAtOnce) {
		p.pieces = append(p.pieces, piece{"turned", turnedColumns, some})
	}
	return p
}

// turned is the status that a run gives an exception, which had one before: what is cleared is settled; what was explained or settled and has changed, or is there
// again, is open again.
func turned(change again.Change, status string) string {
	switch {
	case change == again.Cleared:
		return StatusSettled
	case change == again.Returned, change == again.Changed && (status == StatusExplained || status == StatusSettled):
		return StatusOpen
	}
	return status
}

// Write writes entries in the order in which they were placed. They
// are written in one transaction, unless somebody's change waits meanwhile: that is let through, and the rest comes behind it.
func (w *RunWriter) Write(ctx context.Context, p Placed) error {
	if p.err != nil {
		return p.err
	}
	return w.write(ctx, p.pieces)
}

// write writes pieces, in more than one transaction only where somebody's change waits.
func (w *RunWriter) write(ctx context.Context, pieces []piece) error {
	for len(pieces) > 0 {
		written := 0
		err := w.store.writeRows(ctx, func(to *rowWriter) error {
			for _, p := range pieces {
				if err := to.insert(p.table, p.columns, p.rows); err != nil {
					return err
				}
				if written++; w.store.queue.urgentWaits() {
					break
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		pieces = pieces[written:]
	}
	return nil
}

// newException is a number that no exception has had.
func (s *Store) newException() uint { return uint(s.exceptions.Add(1)) }

// countExceptions finds the greatest number that an exception has.
func (s *Store) countExceptions(ctx context.Context) error {
	var last int64
	err := s.reads.WithContext(ctx).Raw(`SELECT max((SELECT coalesce(max(id), 0) FROM exceptions),
		coalesce((SELECT max((SELECT max(most) FROM entry_blocks e WHERE e.run_id = r.id)) FROM runs r), 0))`).Scan(&last).Error
	s.exceptions.Store(last)
	return err
}

// sealed is what is kept of an index beside its parts.
type sealed struct {
	match.Totals
	Hand []match.Hand `json:"hand,omitempty"`
}

// Seal makes the run visible, as the newest of its sieve.
func (w *RunWriter) Seal(ctx context.Context, header string, index *match.Index) (Run, error) {
	text, err := json.Marshal(sealed{index.Totals, index.Hand})
	if err != nil {
		return Run{}, err
	}
	var rest []piece
	if b := w.shelf.take(); b != nil {
		rest = append(rest, b.piece())
	}
	if len(w.begun) > 0 {
		rest = append(rest, packEntries(w.begun).piece())
	}
	if err := w.write(ctx, rest); err != nil {
		return Run{}, err
	}
	if err := w.writeFound(ctx); err != nil {
		return Run{}, err
	}
	w.run.Header, w.run.Totals, w.run.Finished, w.run.Sealed = header, string(text), time.Now().UTC(), true
	err = w.store.recorded(ctx, bulk, func(tx *gorm.DB) (happened, error) {
		var last int
		if err := tx.Model(&Run{}).Select("coalesce(max(number), 0)").Where("sieve_id = ? AND sealed = 1", w.run.SieveID).Scan(&last).Error; err != nil {
			return happened{}, err
		}
		w.run.Number = last + 1
		if err := follow(tx, &w.run, w.seen, w.back, w.retired); err != nil {
			return happened{}, err
		}
		name, err := sieveName(tx, w.run.SieveID)
		if err != nil {
			return happened{}, err
		}
		err = announce(tx, EventRunEnded, map[string]any{"report": w.run.ID, "sieve": name, "number": w.run.Number, "ended": "done", "by": ActorOf(ctx).Name})
		if err != nil {
			return happened{}, err
		}
		what := happened{"run.finished", "run", strconv.FormatUint(uint64(w.run.ID), 10), map[string]any{"sieve": name, "version": w.run.Version, "number": w.run.Number, "entries": w.seq}}
		return what, tx.Save(&w.run).Error
	})
	return w.run, err
}

// Follow lets the exceptions that have rows, and that the sealed run has found as they were, show what it has found. Until it is done they show what
// they did before, which differs from it in where their records stand. What is left of it by a crash is done by the next start.
func (w *RunWriter) Follow(ctx context.Context) error { return w.store.followRest(ctx, w.run) }

// Drop removes what was written of a run that will not be sealed. What it does not come to is done by the next start.
func (w *RunWriter) Drop(ctx context.Context) error {
	return errors.Join(w.found.close(), w.store.dropRun(ctx, w.run.ID))
}

func (s *Store) dropRun(ctx context.Context, id uint) error {
	for _, table := range []string{"entry_blocks", "turned", "body_blocks", "index_parts", "carried_chunks", "found_blocks"} {
		if err := s.deleteAll(ctx, table, "run_id", id); err != nil {
			return err
		}
	}
	if err := s.write(ctx, bulk, func(tx *gorm.DB) error { return tx.Delete(&Run{}, id).Error }); err != nil {
		return err
	}
	return s.giveBack(ctx)
}

// Runs lists the runs, the newest first.
func (s *Store) Runs(ctx context.Context, before uint, limit int) (runs []Run, err error) {
	q := s.reads.WithContext(ctx).Where("sealed = 1")
	if before > 0 {
		q = q.Where("id < ?", before)
	}
	err = q.Order("id DESC").Limit(limit).Find(&runs).Error
	return runs, err
}

// Newest lists the newest run of every sieve that is still there, the newest first.
func (s *Store) Newest(ctx context.Context) (runs []Run, err error) {
	newest := s.reads.Model(&Run{}).Select("max(runs.id)").Joins("JOIN sieves ON sieves.id = runs.sieve_id").Where("sealed = 1").Group("sieve_id")
	err = s.reads.WithContext(ctx).Where("id IN (?)", newest).Order("id DESC").Find(&runs).Error
	return runs, err
}

// NewestOf returns the newest run of a sieve.
func (s *Store) NewestOf(ctx context.Context, sieve uint) (run Run, err error) {
	err = s.reads.WithContext(ctx).Where("sieve_id = ? AND sealed = 1", sieve).Order("id DESC").Take(&run).Error
	return run, plainError(err)
}

// Run returns a sealed run.
func (s *Store) Run(ctx context.Context, id uint) (run Run, err error) {
	err = s.reads.WithContext(ctx).Where("sealed = 1").Take(&run, id).Error
	return run, plainError(err)
}

// Index loads the sealed index of a run. Its sums of amounts are not kept: they are in the run's header.
func (s *Store) Index(ctx context.Context, run Run) (*match.Index, error) {
	var kept sealed
	if err := json.Unmarshal([]byte(run.Totals), &kept); err != nil {
		return nil, err
	}
	index := &match.Index{Totals: kept.Totals, Hand: kept.Hand}
	group, ctx := errgroup.WithContext(ctx)
	for _, side := range tray.Sides {
		group.Go(func() error {
			var parts []IndexPart
			if err := s.reads.WithContext(ctx).Where("run_id = ? AND side = ?", run.ID, side).Order("part").Find(&parts).Error; err != nil {
				return err
			}
			index.Sides[side].Reserve(kept.Records[side])
			for _, p := range parts {
				if err := index.Sides[side].Unseal(p.Blob); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	return index, index.Unsealed()
}
