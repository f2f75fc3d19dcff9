package store

import (
	"context"
	"strconv"
	"strings"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"
)

// follow lets the exceptions that a run has found again, or not, be what the run says of them. It is part of the run's sealing, for which
// everybody waits, so it looks only at what has become something else: at the entries with the given places. What is cleared is settled; what was
// explained or settled and has changed, or is there again, is open again. What people have changed since entry seen of the history may have come
// after the run has read it. The others are as they were, and show what the run has found when [RunWriter.Follow] is done.
func follow(tx *gorm.DB, run *Run, seen int64, places []int64) error {
	for _, sql := range []string{
		`UPDATE entries SET status = x.status, owner = x.owner, reason = x.reason FROM exceptions x WHERE x.id = exception_id AND run_id = @run AND change <> 'new'
			AND exception_id IN (SELECT id FROM exceptions WHERE changed_seq > 0 AND changed_seq > @seen)`,
		`CREATE TEMP TABLE IF NOT EXISTS touched (seq INTEGER PRIMARY KEY)`,
		`DELETE FROM touched`,
		`INSERT INTO touched SELECT value FROM json_each(@places)`,
		`UPDATE entries SET status = 'open' WHERE run_id = @run AND seq IN (SELECT seq FROM touched)
			AND (change = 'changed' AND status IN ('explained', 'settled') OR change = 'returned' AND status <> 'open')`,
		`UPDATE entries SET status = 'settled' WHERE run_id = @run AND seq IN (SELECT seq FROM touched) AND change = 'cleared' AND status <> 'settled'`,
		// Those that the run turns from one status to another, in reports of before, too, unless they are signed.
		`CREATE TEMP TABLE IF NOT EXISTS turned (id INTEGER PRIMARY KEY, status TEXT NOT NULL)`,
		`DELETE FROM turned`,
		`INSERT INTO turned SELECT e.exception_id, e.status FROM touched t CROSS JOIN entries e ON e.run_id = @run AND e.seq = t.seq
			JOIN exceptions x ON x.id = e.exception_id WHERE e.status <> x.status`,
		`UPDATE exceptions SET status = t.status, version = version + 1, changed_by = '', changed_seq = (SELECT coalesce(max(seq), 0) + 1 FROM history),
			settled = CASE WHEN t.status IN ('open', 'in-progress') THEN NULL ELSE coalesce(settled, @now) END FROM turned t WHERE t.id = exceptions.id`,
		`UPDATE entries SET status = t.status FROM turned t WHERE t.id = exception_id AND t.status <> entries.status
			AND exception_id IN (SELECT id FROM turned) AND run_id NOT IN (SELECT run_id FROM sign_offs WHERE state = 'signed')`,
		`UPDATE exceptions SET presence = CASE WHEN e.change IN ('cleared', 'absent') THEN e.change ELSE 'here' END, size = e.size, tray = e.tray, side = e.side,
			amount = e.amount, currency = e.currency, key_text = e.key_text, body_run = e.body_run, body_seq = e.body_seq
			FROM touched t CROSS JOIN entries e ON e.run_id = @run AND e.seq = t.seq WHERE e.exception_id = exceptions.id`,
	} {
		var values []any
		if strings.Contains(sql, "@") {
			values = []any{map[string]any{"run": run.ID, "now": run.Finished, "seen": seen, "places": numbers(places)}}
		}
		if err := tx.Exec(sql, values...).Error; err != nil {
			return err
		}
	}
	return nil
}

// followedAtOnce is how many entries are gone through before it is seen whether a person's change waits.
const followedAtOnce = 500

// followRest lets the exceptions that a sealed run has found as they were show what it has found: on which lines their records stand now. It is
// done bit by bit, and once more from the beginning after a crash.
func (s *Store) followRest(ctx context.Context, run uint) error {
	var last int64
	if err := s.reads.WithContext(ctx).Model(&Entry{}).Select("coalesce(max(seq), 0)").Where("run_id = ?", run).Scan(&last).Error; err != nil {
		return err
	}
	for first := int64(1); first <= last; {
		err := s.writeRows(ctx, func(to *rowWriter) error {
			for first <= last {
				_, err := to.change(`UPDATE exceptions SET tray = e.tray, side = e.side, amount = e.amount, currency = e.currency, key_text = e.key_text,
					body_run = e.body_run, body_seq = e.body_seq FROM entries e WHERE e.run_id = ?1 AND e.seq BETWEEN ?2 AND ?3 AND e.change = 'still-open'
					AND exceptions.id = e.exception_id`, run, first, first+followedAtOnce-1)
				if first += followedAtOnce; err != nil || s.queue.urgentWaits() || first%(20*followedAtOnce) == 1 {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return s.write(ctx, bulk, func(tx *gorm.DB) error { return tx.Model(&Run{}).Where("id = ?", run).Update("followed", true).Error })
}

// Earlier is an exception of a sieve's runs before, with what people saw of it last.
type Earlier struct {
	Exception
	Body string // JSON
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
	var runs []uint
	if err := s.reads.WithContext(ctx).Model(&Run{}).Where("sieve_id = ? AND sealed <> 0", sieve).Order("id").Pluck("id", &runs).Error; err != nil {
		return err
	}
	var page []Earlier
	pass := func() error {
		err := s.bodies(ctx, len(page), func(i int) (uint, int64) { return page[i].BodyRun, page[i].BodySeq }, func(i int, body string) { page[i].Body = body })
		if err != nil {
			return err
		}
		err = visit(page)
		page = nil
		return err
	}
	for _, run := range runs { // one after another: of a sieve, one at a time opens exceptions
		err := s.bulk.each(ctx, `SELECT id, sieve_id, side, tray, status, owner, reason, version, opened, opened_run, presence, settled, amount, currency, size,
			key_text, body_run, body_seq, changed_seq, changed_by, comments, attachments FROM exceptions WHERE opened_run = ? ORDER BY id`, []any{run}, func(r row) error {
			x := Exception{ID: r.id(0), SieveID: r.id(1), Side: r.text(2), Tray: r.text(3), Status: r.text(4), Owner: r.text(5), Reason: r.text(6), Version: int(r.number(7)),
				OpenedRun: r.id(9), Presence: r.text(10), Amount: r.text(12), Currency: r.text(13), Size: r.bytes(14), KeyText: r.text(15), BodyRun: r.id(16), BodySeq: r.number(17),
				ChangedSeq: r.number(18), ChangedBy: r.text(19), Comments: int(r.number(20)), Attachments: int(r.number(21))}
			var err error
			if x.Opened, err = r.time(8); err != nil {
				return err
			}
			if settled, err := r.time(11); err != nil {
				return err
			} else if !settled.IsZero() {
				x.Settled = &settled
			}
			if page = append(page, Earlier{Exception: x}); len(page) == earlierAtOnce {
				return pass()
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	if len(page) == 0 {
		return nil
	}
	return pass()
}

// earlierAtOnce is how many exceptions of before are visited at a time.
const earlierAtOnce = 2000

// EntryQuery chooses entries of a run.
type EntryQuery struct {
	Run     uint
	Seqs    []int64  // only these; empty: any
	Trays   []string // empty: all
	Changes []string // empty: all that are exceptions of the run
	Status  []string // empty: any
	Owner   *string  // nil: anybody's; "": nobody's
	Reason  *string  // nil: any; "": none
	Differs int      // number of a compared field that does not agree, counted from 1; 0: any
	AtLeast []byte   // of the size; nil: any
	AtMost  []byte
	In      *string // currency of the amount; nil: any; "": none
	Search  string  // entries that hold each of its words; "": all
	Total   *int64  // how many are chosen; nil: they are counted

	Sort  string // place, key, amount, tray, status, owner or age; "": place
	Desc  bool
	After string // entries behind this cursor
	Limit int
}

// MostDiffers is how many compared fields are told apart by [EntryQuery.Differs]; those behind share the last bit.
const MostDiffers = 62

// where narrows a query over entries to those that are chosen.
func (q *EntryQuery) where(db *gorm.DB) *gorm.DB {
	db = db.Where("entries.run_id = ?", q.Run)
	if len(q.Seqs) > 0 {
		db = db.Where("entries.seq IN ?", q.Seqs)
	}
	if len(q.Changes) > 0 {
		db = db.Where("entries.change IN ?", q.Changes)
	} else {
		db = db.Where("entries.change NOT IN ('cleared', 'absent')")
	}
	for column, values := range map[string][]string{"tray": q.Trays, "status": q.Status} {
		if len(values) > 0 {
			db = db.Where("entries."+column+" IN ?", values)
		}
	}
	if q.Owner != nil {
		db = db.Where("entries.owner = ?", *q.Owner)
	}
	if q.Reason != nil {
		db = db.Where("entries.reason = ?", *q.Reason)
	}
	if q.Differs > 0 {
		db = db.Where("entries.differs & ? <> 0", int64(1)<<(min(q.Differs, MostDiffers)-1))
	}
	if q.AtLeast != nil {
		db = db.Where("entries.size >= ?", q.AtLeast)
	}
	if q.AtMost != nil {
		db = db.Where("entries.size <= ? AND entries.size <> X''", q.AtMost)
	}
	if q.In != nil {
		db = db.Where("entries.currency = ?", *q.In)
	}
	for _, word := range strings.Fields(strings.ToLower(q.Search)) {
		db = db.Where("instr(entries.search, ?) > 0", word)
	}
	return db
}

// sortColumns are what entries can be sorted by.
var sortColumns = map[string]string{"": "seq", "place": "seq", "key": "key_text", "amount": "size", "tray": "tray", "status": "status", "owner": "owner", "age": "opened"}

// Sorts are the names of what entries can be sorted by.
func Sorts(name string) bool { _, ok := sortColumns[name]; return ok }

// Shown is an entry with what people see of it.
type Shown struct {
	Entry
	Body        string
	Version     int
	ChangedBy   string
	ChangedSeq  int64
	Comments    int
	Attachments int
}

// ShownEntries returns entries of a run by their places, in the order asked for.
func (s *Store) ShownEntries(ctx context.Context, run uint, seqs []int64) (list []Shown, err error) {
	err = s.bulk.each(ctx, `SELECT e.seq, e.tray, e.side, e.change, e.status, e.owner, e.reason, e.exception_id, e.opened, e.amount, e.currency, e.key_text, e.body_run, e.body_seq,
		coalesce(x.version, 0), coalesce(x.changed_by, ''), coalesce(x.changed_seq, 0), coalesce(x.comments, 0), coalesce(x.attachments, 0)
		FROM json_each(?) asked CROSS JOIN entries e ON e.run_id = ? AND e.seq = asked.value LEFT JOIN exceptions x ON x.id = e.exception_id ORDER BY asked.key`,
		[]any{numbers(seqs), run}, func(r row) error {
			e := Shown{Entry: Entry{RunID: run, Seq: r.number(0), Tray: r.text(1), Side: r.text(2), Change: r.text(3), Status: r.text(4), Owner: r.text(5), Reason: r.text(6),
				ExceptionID: r.id(7), Amount: r.text(9), Currency: r.text(10), KeyText: r.text(11), BodyRun: r.id(12), BodySeq: r.number(13)},
				Version: int(r.number(14)), ChangedBy: r.text(15), ChangedSeq: r.number(16), Comments: int(r.number(17)), Attachments: int(r.number(18))}
			var err error
			e.Opened, err = r.time(8)
			list = append(list, e)
			return err
		})
	if err != nil {
		return nil, err
	}
	return list, s.bodies(ctx, len(list), func(i int) (uint, int64) { return list[i].BodyRun, list[i].BodySeq }, func(i int, body string) { list[i].Body = body })
}

// Entries returns a page of the entries chosen, how many are chosen altogether, and the cursor of the next page.
func (s *Store) Entries(ctx context.Context, q EntryQuery) (page []Shown, total int64, next string, err error) {
	chosen := func() *gorm.DB { return q.where(s.reads.WithContext(ctx).Table("entries")) }
	if q.Total != nil {
		total = *q.Total
	} else if err = chosen().Count(&total).Error; err != nil {
		return nil, 0, "", err
	}
	if total == 0 {
		return nil, 0, "", nil
	}
	// The page's places first, so that bodies are read of these alone.
	column := sortColumns[q.Sort]
	places := chosen().Select("entries.seq")
	way, than := "", ">"
	if q.Desc {
		way, than = " DESC", "<"
	}
	if q.After != "" {
		seq, err := strconv.ParseInt(q.After, 10, 64)
		if err != nil {
			return nil, 0, "", ErrNotFound
		}
		if column == "seq" {
			places = places.Where("entries.seq "+than+" ?", seq)
		} else {
			// The cursor is the last entry of the page before. Its value is read anew; of equal ones the place decides.
			places = places.Where("(entries."+column+" "+than+" (SELECT "+column+" FROM entries WHERE run_id = ? AND seq = ?) OR entries."+column+
				" = (SELECT "+column+" FROM entries WHERE run_id = ? AND seq = ?) AND entries.seq > ?)", q.Run, seq, q.Run, seq, seq)
		}
	}
	if column == "seq" {
		places = places.Order("entries.seq" + way)
	} else {
		places = places.Order("entries." + column + way + ", entries.seq")
	}
	var seqs []int64
	if err = places.Limit(q.Limit+1).Pluck("entries.seq", &seqs).Error; err != nil || len(seqs) == 0 {
		return nil, total, "", err
	}
	if len(seqs) > q.Limit {
		seqs = seqs[:q.Limit]
		next = strconv.FormatInt(seqs[q.Limit-1], 10)
	}
	page, err = s.ShownEntries(ctx, q.Run, seqs)
	return page, total, next, err
}

// Entry returns one entry of a run.
func (s *Store) Entry(ctx context.Context, run uint, seq int64) (e Shown, err error) {
	list, err := s.ShownEntries(ctx, run, []int64{seq})
	if err == nil && len(list) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return e, err
	}
	return list[0], nil
}

// Tally is how many entries of a run are alike in tray, change, status, owner and reason.
type Tally struct {
	Tray, Change, Status, Owner, Reason string
	Entries                             int64
}

// Tallies counts a run's entries by what they can be chosen by.
func (s *Store) Tallies(ctx context.Context, run uint) (list []Tally, err error) {
	err = s.reads.WithContext(ctx).Raw(`SELECT tray, change, status, owner, reason, count(*) AS entries FROM entries WHERE run_id = ?
		GROUP BY tray, change, status, owner, reason`, run).Scan(&list).Error
	return list, err
}

// BodyRuns are the runs in which a sieve's exceptions were found last.
func (s *Store) BodyRuns(ctx context.Context, sieve uint) (runs []uint, err error) {
	err = s.reads.WithContext(ctx).Model(&Exception{}).Where("opened_run IN (SELECT id FROM runs WHERE sieve_id = ?)", sieve).Distinct().Pluck("body_run", &runs).Error
	return runs, err
}
