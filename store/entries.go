package store

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/again"
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

// Chooser decides which entries are chosen.
func (q *EntryQuery) Chooser() func(*DeskRow) bool {
	words := strings.Fields(strings.ToLower(q.Search))
	in := func(list []string, one string) bool { return len(list) == 0 || slices.Contains(list, one) }
	var seqs map[int64]bool
	if len(q.Seqs) > 0 {
		seqs = map[int64]bool{}
		for _, s := range q.Seqs {
			seqs[s] = true
		}
	}
	return func(r *DeskRow) bool {
		if len(q.Changes) == 0 && !again.Change(r.Change).Here() || !in(q.Changes, r.Change) || !in(q.Trays, r.Tray) || !in(q.Status, r.Status) {
			return false
		}
		if seqs != nil && !seqs[r.Seq] || q.Owner != nil && r.Owner != *q.Owner || q.Reason != nil && r.Reason != *q.Reason {
			return false
		}
		if q.Differs > 0 && r.Differs&(1<<(min(q.Differs, MostDiffers)-1)) == 0 {
			return false
		}
		if q.AtLeast != nil && r.Size < string(q.AtLeast) || q.AtMost != nil && (r.Size > string(q.AtMost) || r.Size == "") {
			return false
		}
		if q.In != nil && r.Currency != *q.In {
			return false
		}
		for _, w := range words {
			if !strings.Contains(r.Search, w) {
				return false
			}
		}
		return true
	}
}

// sorts are what entries can be sorted by.
var sorts = map[string]func(a, b *DeskRow) int{
	"":       func(a, b *DeskRow) int { return cmp.Compare(a.Seq, b.Seq) },
	"place":  func(a, b *DeskRow) int { return cmp.Compare(a.Seq, b.Seq) },
	"key":    func(a, b *DeskRow) int { return cmp.Compare(a.KeyText, b.KeyText) },
	"amount": func(a, b *DeskRow) int { return cmp.Compare(a.Size, b.Size) },
	"tray":   func(a, b *DeskRow) int { return cmp.Compare(a.Tray, b.Tray) },
	"status": func(a, b *DeskRow) int { return cmp.Compare(a.Status, b.Status) },
	"owner":  func(a, b *DeskRow) int { return cmp.Compare(a.Owner, b.Owner) },
	"age":    func(a, b *DeskRow) int { return cmp.Compare(a.Opened, b.Opened) },
}

// Sorts are the names of what entries can be sorted by.
func Sorts(name string) bool { _, ok := sorts[name]; return ok }

// Sorting compares entries by what they can be sorted by: 0 where they are equal in that. It is nil for a name of none.
func Sorting(name string) func(a, b *DeskRow) int { return sorts[name] }

// before compares entries by their places in the list.
func (q *EntryQuery) before() func(a, b *DeskRow) int {
	by := sorts[q.Sort]
	if q.Desc {
		by = func(a, b *DeskRow) int { return sorts[q.Sort](b, a) }
	}
	return func(a, b *DeskRow) int {
		return cmp.Or(by(a, b), cmp.Compare(a.Seq, b.Seq)) // of equal ones the place decides, whichever way they are sorted
	}
}

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
	signed, err := s.signed(ctx, run) // first, so that entries of a signed report are read as they are kept
	if err != nil {
		return nil, err
	}
	entries, err := s.entriesAt(ctx, run, seqs)
	if err != nil {
		return nil, err
	}
	at := make(map[uint][]int, len(entries))
	var ids []uint
	for i, e := range entries {
		list = append(list, Shown{Entry: e})
		if e.ExceptionID > 0 {
			list[i].Version = 1
			at[e.ExceptionID] = append(at[e.ExceptionID], i)
			ids = append(ids, e.ExceptionID)
		}
		if !signed {
			list[i].stand(nil)
		}
	}
	err = s.exceptionsByID(ctx, ids, func(x Exception) {
		for _, i := range at[x.ID] {
			e := &list[i]
			e.Version, e.ChangedBy, e.ChangedSeq, e.Comments, e.Attachments = x.Version, x.ChangedBy, x.ChangedSeq, x.Comments, x.Attachments
			if !signed {
				e.stand(&Stand{x.ID, x.Status, x.Owner, x.Reason})
			}
		}
	})
	if err != nil {
		return nil, err
	}
	return list, s.bodies(ctx, len(list), func(i int) (uint, int64) { return list[i].BodyRun, list[i].BodySeq }, func(i int, body string) { list[i].Body = body })
}

// eachAsked visits the entries of a run that a query may choose, from the block of a place on, as its report shows them now.
func (s *Store) eachAsked(ctx context.Context, q *EntryQuery, from int64, visit func([]Entry) (enough bool, err error)) error {
	if len(q.Seqs) == 0 {
		return s.eachStanding(ctx, q.Run, from, visit)
	}
	signed, err := s.signed(ctx, q.Run)
	if err != nil {
		return err
	}
	list, err := s.entriesAt(ctx, q.Run, q.Seqs)
	if err != nil {
		return err
	}
	if !signed {
		if err := s.standOver(ctx, list); err != nil {
			return err
		}
	}
	_, err = visit(list)
	return err
}

// Entries returns a page of the entries chosen, how many are chosen altogether, and the cursor of the next page: the place of the last one of the page before. A page in the order of
// the report, of which it is known how many are chosen, begins there; for any other all entries of the report are gone through.
func (s *Store) Entries(ctx context.Context, q EntryQuery) (page []Shown, total int64, next string, err error) {
	var after *DeskRow
	if q.After != "" {
		seq, err := strconv.ParseInt(q.After, 10, 64)
		if err != nil {
			return nil, 0, "", ErrNotFound
		}
		last, err := s.ShownEntries(ctx, q.Run, []int64{seq})
		if err != nil {
			return nil, 0, "", err
		}
		if len(last) == 0 {
			return nil, 0, "", ErrNotFound
		}
		row := last[0].DeskRow()
		after = &row
	}
	from, short := int64(1), false
	if q.Total != nil && !q.Desc && (q.Sort == "" || q.Sort == "place") {
		if short = true; after != nil {
			from = after.Seq
		}
	}
	chosen, before := q.Chooser(), q.before()
	var found []DeskRow // the first of those behind the cursor
	err = s.eachAsked(ctx, &q, from, func(list []Entry) (bool, error) {
		for i := range list {
			row := list[i].DeskRow()
			if !chosen(&row) {
				continue
			}
			if total++; after != nil && before(&row, after) <= 0 {
				continue
			}
			if len(found) > q.Limit {
				if before(&row, &found[q.Limit]) >= 0 {
					continue
				}
				found = found[:q.Limit]
			}
			at, _ := slices.BinarySearchFunc(found, &row, func(a DeskRow, b *DeskRow) int { return before(&a, b) })
			found = slices.Insert(found, at, row)
		}
		return short && len(found) > q.Limit, nil
	})
	if err != nil {
		return nil, 0, "", err
	}
	if q.Total != nil {
		total = *q.Total
	}
	if len(found) > q.Limit {
		found = found[:q.Limit]
		next = strconv.FormatInt(found[q.Limit-1].Seq, 10)
	}
	seqs := make([]int64, len(found))
	for i := range found {
		seqs[i] = found[i].Seq
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
	counts := map[Tally]int64{}
	err = s.eachStanding(ctx, run, 1, func(some []Entry) (bool, error) {
		for i := range some {
			e := &some[i]
			counts[Tally{Tray: e.Tray, Change: e.Change, Status: e.Status, Owner: e.Owner, Reason: e.Reason}]++
		}
		return false, nil
	})
	for t, n := range counts {
		t.Entries = n
		list = append(list, t)
	}
	return list, err
}
