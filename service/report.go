package service

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// report is a run opened for reading.
type report struct {
	row    store.Run
	head   *view.Run
	plan   *sieve.Plan
	index  *match.Index
	tables [2]record.Table

	snapshots [2]store.Snapshot
}

func (v *Service) report(ctx context.Context, id uint) (*report, error) {
	row, err := v.store.Run(ctx, id)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("run %d", id))
	}
	r := &report{row: row}
	if r.head, err = runOf(row); err != nil {
		return nil, err
	}
	h, err := v.headOf(ctx, id) // which keeps the plan from one page to the next
	if err != nil {
		return nil, err
	}
	r.plan, err = h.plan()
	return r, err
}

// open loads what is needed to read records that are not exceptions: the index and the snapshots.
func (v *Service) open(ctx context.Context, r *report) (err error) {
	if r.index != nil {
		return nil
	}
	for s, id := range [2]uint{r.row.LeftID, r.row.RightID} {
		snap, err := v.store.Snapshot(ctx, id)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err != nil || snap.Hash != r.head.Sides[s].Hash { // for a time numbers were given again
			return view.NotFound.New(fmt.Sprintf("The records of %q that this run has read are no longer kept; its exceptions still are.", r.head.Sides[s].Set))
		}
		r.tables[s], r.snapshots[s] = v.store.Table(snap), snap
	}
	loaded, err := v.loaded(ctx, r.row, r.plan.Columns)
	if err != nil {
		return err
	}
	r.index = loaded.index
	for s := range r.tables {
		r.tables[s] = withCarried(r.tables[s], loaded.carried[s])
	}
	return nil
}

// loaded is the sealed index of a run, and the records that it carries in; the last few runs' are kept at hand.
func (v *Service) loaded(ctx context.Context, run store.Run, columns [2][]string) (l loadedIndex, err error) {
	v.mu.Lock()
	at := slices.IndexFunc(v.indexes, func(l loadedIndex) bool { return l.run == run.ID })
	if at >= 0 {
		l = v.indexes[at]
	}
	v.mu.Unlock()
	if at >= 0 {
		return l, nil
	}
	l.run = run.ID
	if l.index, err = v.store.Index(ctx, run); err != nil {
		return l, err
	}
	for _, s := range tray.Sides {
		if l.carried[s], err = v.store.Carried(ctx, run.ID, s, columns[s]); err != nil {
			return l, err
		}
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	v.indexes = append(v.indexes, l)
	held := int64(0)
	for _, l := range v.indexes {
		held += l.index.Bytes()
	}
	for len(v.indexes) > indexesKept || held > v.options.Memory/16 && len(v.indexes) > 1 {
		held -= v.indexes[0].index.Bytes()
		v.indexes = v.indexes[1:]
	}
	return l, nil
}

// Entries returns a page of a report's entries.
func (v *Service) Entries(ctx context.Context, run uint, q Query) (*view.Entries, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	t, exceptions, err := q.tray()
	if err != nil {
		return nil, err
	}
	if !exceptions {
		return v.unexceptional(ctx, r, t, q)
	}
	rows, page, err := v.exceptions(ctx, r, q)
	if err != nil {
		return nil, err
	}
	page.Entries = make([]view.Entry, len(rows))
	return page, v.sideBySide(len(rows), func(i int) error { return v.storedEntry(ctx, &rows[i], &page.Entries[i]) })
}

// exceptions is a page of the exceptions that are chosen: how they are stored, and what there is to say of the page.
func (v *Service) exceptions(ctx context.Context, r *report, q Query) ([]store.Shown, *view.Entries, error) {
	if q.After == "" { // of a list that is gone through, the first page says it
		if err := v.checkNames(ctx, r, &q); err != nil {
			return nil, nil, err
		}
	}
	chosen, err := q.chosen(ctx, r)
	if err != nil {
		return nil, nil, err
	}
	newest, err := v.store.NewestEvent(ctx) // before the page: what is changed in between is seen as changed since
	if err != nil {
		return nil, nil, err
	}
	rows, total, next, err := v.listed(ctx, r, chosen, newest.Seq)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil, view.Invalid.New(fmt.Sprintf("%q is no cursor of this list.", q.After))
	}
	return rows, &view.Entries{Total: total, Next: next, Seen: newest.Seq}, err
}

// listed is a page of the entries that are chosen, from the desk or else from the data file.
func (v *Service) listed(ctx context.Context, r *report, q store.EntryQuery, newest int64) (page []store.Shown, total int64, next string, err error) {
	d, err := v.desk(ctx, r, newest)
	if err != nil {
		return nil, 0, "", err
	}
	if d == nil {
		if q.Total == nil {
			q.Total = r.counted(&q)
		}
		return v.store.Entries(ctx, q)
	}
	after, err := cursor(q.After)
	if err != nil {
		return nil, 0, "", store.ErrNotFound
	}
	seqs, total, more := d.page(&q, after)
	if more {
		next = strconv.FormatInt(seqs[len(seqs)-1], 10)
	}
	page, err = v.store.ShownEntries(ctx, r.row.ID, seqs)
	return page, total, next, err
}

// counted is how many entries a query chooses that chooses by tray alone, as the run has counted them; nil for others.
func (r *report) counted(q *store.EntryQuery) *int64 {
	bare := store.EntryQuery{Run: q.Run, Trays: q.Trays, Sort: q.Sort, Desc: q.Desc, After: q.After, Limit: q.Limit}
	if !reflect.DeepEqual(*q, bare) {
		return nil
	}
	total := int64(0)
	for _, name := range q.Trays {
		t, err := tray.ParseException(name)
		if err != nil {
			return nil
		}
		total += r.head.Summary.Tray(t).Entries
	}
	if len(q.Trays) == 0 {
		total = r.head.Summary.Exceptions
	}
	return &total
}

// unexceptional is a page of matched or excluded records.
func (v *Service) unexceptional(ctx context.Context, r *report, t tray.Tray, q Query) (*view.Entries, error) {
	list, next, err := v.readUnexceptional(ctx, r, t, q)
	if err != nil {
		return nil, err
	}
	page := &view.Entries{Entries: make([]view.Entry, len(list)), Total: r.head.Summary.Tray(t).Entries, Next: next}
	if len(strings.Fields(q.Search)) > 0 {
		page.Total = -1
	}
	for i := range list {
		page.Entries[i] = entryOf(r.plan, &list[i])
		page.Entries[i].ID = matchedID(&list[i])
	}
	return page, nil
}

// readUnexceptional reads matched or excluded records from the sealed index. The cursor is the place where the page begins:
// the record's number, and for the right side the left side's records before it.
func (v *Service) readUnexceptional(ctx context.Context, r *report, t tray.Tray, q Query) (page []exception.Entry, cursorOfNext string, err error) {
	if q.narrowed() {
		return nil, "", view.Invalid.New(fmt.Sprintf("The %s records are no exceptions, so they have no status, owner, reason or change, and are in input order. Search them by their cells.", t))
	}
	after, err := cursor(q.After)
	if err != nil {
		return nil, "", err
	}
	if err := v.open(ctx, r); err != nil {
		return nil, "", err
	}
	lefts := int64(len(r.index.Sides[tray.Left].Trays))
	from := exception.Place{Tray: t, Number: uint32(min(after, lefts))}
	if after > lefts {
		from = exception.Place{Tray: t, Side: tray.Right, Number: uint32(after - lefts)}
	}
	words := strings.Fields(strings.ToLower(q.Search))
	size := q.size()
	most := size
	if len(words) > 0 {
		most = max(size, entriesInOneStep)
	}
	for {
		places, next, more := exception.Page(r.index, from, most)
		entries, err := exception.Read(ctx, r.plan, r.index, r.tables, places)
		if err != nil {
			return nil, "", err
		}
		for i := range entries {
			if !holds(&entries[i], words) {
				continue
			}
			if len(page) == size {
				next, more = places[i], true
				break
			}
			page = append(page, entries[i])
		}
		if !more {
			return page, "", nil
		}
		if len(page) == size {
			return page, strconv.FormatInt(int64(next.Side)*lefts+int64(next.Number), 10), nil
		}
		from = next
	}
}

// Entry returns one entry of a report.
func (v *Service) Entry(ctx context.Context, run uint, id string) (*view.Entry, error) {
	missing := view.NotFound.New(fmt.Sprintf("Run %d has no entry %q.", run, id))
	if seq, err := strconv.ParseInt(id, 10, 64); err == nil {
		row, err := v.store.Entry(ctx, run, seq)
		if errors.Is(err, store.ErrNotFound) {
			return nil, missing
		}
		if err != nil {
			return nil, err
		}
		e := &view.Entry{}
		if err := v.storedEntry(ctx, &row, e); err != nil {
			return nil, err
		}
		return e, v.withAcceptance(ctx, e)
	}
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	for _, s := range tray.Sides {
		text, ok := strings.CutPrefix(id, s.String()+"-")
		n, err := strconv.ParseInt(text, 10, 64)
		if !ok || err != nil || n < 1 || n > int64(len(r.index.Sides[s].Trays)) {
			continue
		}
		place := exception.PlaceOf(r.index, s, uint32(n-1))
		entries, err := exception.Read(ctx, r.plan, r.index, r.tables, []exception.Place{place})
		if err != nil {
			return nil, err
		}
		e := entryOf(r.plan, &entries[0])
		e.ID = id
		return &e, v.withAcceptance(ctx, &e)
	}
	return nil, missing
}

// withAcceptance fills in by whom and why an entry was paired by hand.
func (v *Service) withAcceptance(ctx context.Context, e *view.Entry) error {
	if e.Accepted == nil {
		return nil
	}
	row, err := v.store.Acceptance(ctx, e.Accepted.ID)
	if errors.Is(err, store.ErrNotFound) { // with its sieve
		return nil
	}
	if err != nil {
		return err
	}
	e.Accepted, err = acceptanceOf(row)
	return err
}

// Readings lists the readings that exist.
func (v *Service) Readings() *view.Readings { return &view.Readings{Readings: reading.Kinds()} }
