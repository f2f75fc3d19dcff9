package store

import (
	"context"
	"strconv"
	"strings"

	"gorm.io/gorm"
)

// follow lets the exceptions that a run has found again, or not, be what the run says of them. It is part of the run's sealing. What
// is cleared is settled; what was explained or settled and has changed, or is there again, is open again.
func follow(tx *gorm.DB, run *Run) error {
	for _, sql := range []string{
		// People may have worked on them since the entries were written.
		`UPDATE entries SET status = x.status, owner = x.owner, reason = x.reason, opened = x.opened
			FROM exceptions x WHERE x.id = exception_id AND run_id = @run AND change <> 'new'`,
		`UPDATE entries SET status = 'open' WHERE run_id = @run AND (change = 'changed' AND status IN ('explained', 'settled') OR change = 'returned')`,
		`UPDATE entries SET status = 'settled' WHERE run_id = @run AND change = 'cleared'`,
		`UPDATE exceptions SET tray = e.tray, side = e.side, presence = CASE WHEN e.change IN ('cleared', 'absent') THEN e.change ELSE 'here' END,
			version = version + (exceptions.status <> e.status), changed_by = CASE WHEN exceptions.status <> e.status THEN '' ELSE changed_by END,
			changed_seq = CASE WHEN exceptions.status <> e.status THEN (SELECT coalesce(max(seq), 0) + 1 FROM history) ELSE changed_seq END,
			settled = CASE WHEN e.status IN ('open', 'in-progress') THEN NULL ELSE coalesce(settled, @now) END,
			status = e.status, amount = e.amount, currency = e.currency, size = e.size, key_text = e.key_text, body_run = e.body_run, body_seq = e.body_seq
			FROM entries e WHERE e.run_id = @run AND e.exception_id = exceptions.id AND e.change <> 'new'`,
		// Reports of before show it, too, unless they are signed.
		`UPDATE entries SET status = x.status FROM exceptions x WHERE x.id = exception_id AND x.status <> entries.status
			AND exception_id IN (SELECT exception_id FROM entries WHERE run_id = @run AND change <> 'new')
			AND run_id NOT IN (SELECT run_id FROM sign_offs WHERE state = 'signed')`,
	} {
		if err := tx.Exec(sql, map[string]any{"run": run.ID, "now": run.Finished}).Error; err != nil {
			return err
		}
	}
	return nil
}

// Earlier is an exception of a sieve's runs before, with what people saw of it last.
type Earlier struct {
	Exception
	Body string // JSON
}

// Earlier visits the exceptions of a sieve, in the order in which they were opened, some at a time.
func (s *Store) Earlier(ctx context.Context, sieve uint, visit func([]Earlier) error) error {
	for after := uint(0); ; {
		var page []Earlier
		err := s.reads.WithContext(ctx).Raw(`SELECT x.*, b.body FROM exceptions x
			JOIN entry_bodies b ON b.run_id = x.body_run AND b.seq = x.body_seq
			WHERE x.sieve_id = ? AND x.id > ? AND x.opened_run IN (SELECT id FROM runs WHERE sealed <> 0) ORDER BY x.id LIMIT 2000`, sieve, after).Scan(&page).Error
		if err != nil || len(page) == 0 {
			return err
		}
		if err := visit(page); err != nil {
			return err
		}
		after = page[len(page)-1].ID
	}
}

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

const shownColumns = `entries.run_id, entries.seq, entries.tray, entries.side, entries.change, entries.status, entries.owner, entries.reason, entries.exception_id,
	entries.opened, entries.amount, entries.currency, entries.key_text, b.body, coalesce(x.version, 0) AS version, coalesce(x.changed_by, '') AS changed_by, coalesce(x.changed_seq, 0) AS changed_seq,
	coalesce(x.comments, 0) AS comments, coalesce(x.attachments, 0) AS attachments`

func (s *Store) shown(ctx context.Context) *gorm.DB {
	return s.reads.WithContext(ctx).Table("entries").Select(shownColumns).
		Joins("JOIN entry_bodies b ON b.run_id = entries.body_run AND b.seq = entries.body_seq").Joins("LEFT JOIN exceptions x ON x.id = entries.exception_id")
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
	found := s.shown(ctx).Where("entries.run_id = ? AND entries.seq = ?", run, seq).Limit(1).Scan(&e)
	if err = found.Error; err == nil && found.RowsAffected == 0 {
		err = ErrNotFound
	}
	return e, err
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
	err = s.reads.WithContext(ctx).Model(&Exception{}).Where("sieve_id = ?", sieve).Distinct().Pluck("body_run", &runs).Error
	return runs, err
}
