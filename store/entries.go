package store

import (
	"context"
	"strconv"
	"strings"

	"gorm.io/gorm"
)

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
		coalesce(x.version, e.exception_id > 0), coalesce(x.changed_by, ''), coalesce(x.changed_seq, 0), coalesce(x.comments, 0), coalesce(x.attachments, 0)
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
