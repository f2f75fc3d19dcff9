package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/outform"
	"twinsieve/service/handover"
	"twinsieve/service/view"
	"twinsieve/store"
)

// entryOf gives an entry the form in which people see it.
func entryOf(plan *sieve.Plan, e *exception.Entry) view.Entry {
	out := view.Entry{Tray: e.Tray, Side: e.Side.String(), Key: e.Key(plan), Reason: handover.Reason(plan, e), Steps: handover.Steps(plan, e)}
	if e.Tray.Paired() {
		out.Side = "both"
		out.Joined = e.Joined
	}
	if e.Hand > 0 {
		out.Accepted = &view.Acceptance{ID: e.Hand}
	}
	for s, into := range []**view.Record{&out.Left, &out.Right} {
		if r := e.Sides[s]; r != nil {
			shown := recordOf(int64(r.Number), r.Origin, r.Cells)
			*into = &shown
		}
	}
	for i, f := range e.Fields {
		v := plan.Values[plan.Fields[i].Value]
		o := view.Outcome{Left: v.Column[0], Right: v.Column[1], Agrees: f.Agrees, Difference: f.Difference}
		if f.Totals != [2]string{} {
			o.Totals = &f.Totals
		}
		out.Fields = append(out.Fields, o)
	}
	if g := e.Group; g != nil && g.Count != [2]int64{1, 1} {
		out.Group = &view.Group{Records: g.Count, Listed: [2][]view.Record{{}, {}}}
		for s := range g.Records {
			for _, r := range g.Records[s] {
				out.Group.Listed[s] = append(out.Group.Listed[s], recordOf(int64(r.Number), r.Origin, r.Cells))
			}
		}
	}
	return out
}

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
	r.plan, err = r.head.Definition.Compile(r.head.Sides[0].Columns, r.head.Sides[1].Columns)
	return r, err
}

// open loads what is needed to read records that are not exceptions: the index and the snapshots.
func (v *Service) open(ctx context.Context, r *report) (err error) {
	for s, id := range [2]uint{r.row.LeftID, r.row.RightID} {
		snap, err := v.store.Snapshot(ctx, id)
		if errors.Is(err, store.ErrNotFound) {
			return view.NotFound.New(fmt.Sprintf("The records of %q that this run has read are no longer kept; its exceptions still are.", r.head.Sides[s].Set))
		}
		if err != nil {
			return err
		}
		r.tables[s], r.snapshots[s] = v.store.Table(snap), snap
	}
	loaded, err := v.loaded(ctx, r.row)
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
func (v *Service) loaded(ctx context.Context, run store.Run) (l loadedIndex, err error) {
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
		if l.carried[s], err = v.store.Carried(ctx, run.ID, s); err != nil {
			return l, err
		}
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	v.indexes = append(v.indexes, l)
	if len(v.indexes) > indexesKept {
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
	if q.Tray == "" {
		return v.exceptions(ctx, r, q)
	}
	var t tray.Tray
	names := strings.Split(q.Tray, ",")
	for _, name := range names {
		if t, err = tray.ParseException(name); err != nil {
			return nil, view.Invalid.New(err.Error() + ".")
		}
		if !t.Exception() && len(names) > 1 {
			return nil, view.Invalid.New(fmt.Sprintf("%s records are no exceptions, and are listed alone.", t))
		}
	}
	if t.Exception() {
		return v.exceptions(ctx, r, q)
	}
	if q.narrowed() {
		return nil, view.Invalid.New(fmt.Sprintf("The %s records are no exceptions, so they have no status, owner, reason or change, and are in input order. Search them by their cells.", t))
	}
	after, err := cursor(q.After)
	if err != nil {
		return nil, err
	}
	return v.unexceptional(ctx, r, t, q, after)
}

func (v *Service) exceptions(ctx context.Context, r *report, q Query) (*view.Entries, error) {
	chosen, err := q.chosen(ctx, r)
	if err != nil {
		return nil, err
	}
	newest, err := v.store.NewestEvent(ctx) // before the page: what is changed in between is seen as changed since
	if err != nil {
		return nil, err
	}
	rows, total, next, err := v.listed(ctx, r, chosen, newest.Seq)
	if errors.Is(err, store.ErrNotFound) {
		return nil, view.Invalid.New(fmt.Sprintf("%q is no cursor of this list.", q.After))
	}
	if err != nil {
		return nil, err
	}
	page := &view.Entries{Entries: []view.Entry{}, Total: total, Next: next, Seen: newest.Seq}
	for _, row := range rows {
		e, err := storedEntry(row)
		if err != nil {
			return nil, err
		}
		page.Entries = append(page.Entries, *e)
	}
	return page, nil
}

// listed is a page of the entries that are chosen, from the desk or else from the data file.
func (v *Service) listed(ctx context.Context, r *report, q store.EntryQuery, newest int64) (page []store.Shown, total int64, next string, err error) {
	d, err := v.desk(ctx, r, newest)
	if err != nil {
		return nil, 0, "", err
	}
	if d == nil {
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

func storedEntry(row store.Shown) (*view.Entry, error) {
	e := &view.Entry{}
	if err := json.Unmarshal([]byte(row.Body), e); err != nil {
		return nil, err
	}
	e.ID, e.Status = strconv.FormatInt(row.Seq, 10), row.Status
	e.Work = &view.Work{Exception: row.ExceptionID, Version: row.Version, Change: again.Change(row.Change), Owner: row.Owner, Reason: row.Reason, Opened: row.Opened,
		Amount: row.Amount, Currency: row.Currency, ChangedBy: row.ChangedBy, Comments: row.Comments, Attachments: row.Attachments}
	return e, nil
}

// unexceptional reads matched or excluded records from the sealed index. The cursor is the place where the page begins:
// the record's number, and for the right side the left side's records before it.
func (v *Service) unexceptional(ctx context.Context, r *report, t tray.Tray, q Query, after int64) (*view.Entries, error) {
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	lefts := int64(len(r.index.Sides[tray.Left].Trays))
	from := exception.Place{Tray: t, Number: uint32(min(after, lefts))}
	if after > lefts {
		from = exception.Place{Tray: t, Side: tray.Right, Number: uint32(after - lefts)}
	}
	page := &view.Entries{Entries: []view.Entry{}, Total: r.head.Summary.Tray(t).Entries}
	words := strings.Fields(strings.ToLower(q.Search))
	size := pageSize(q.Limit)
	most := size
	if len(words) > 0 {
		page.Total, most = -1, entriesInOneStep
	}
	for {
		places, next, more := exception.Page(r.index, from, most)
		entries, err := exception.Read(ctx, r.plan, r.index, r.tables, places)
		if err != nil {
			return nil, err
		}
		for i := range entries {
			e := entryOf(r.plan, &entries[i])
			if !holds(&e, words) {
				continue
			}
			if len(page.Entries) == size {
				next, more = places[i], true
				break
			}
			e.ID = matchedID(&entries[i])
			page.Entries = append(page.Entries, e)
		}
		if more && len(page.Entries) < size {
			from = next
			continue
		}
		if more {
			page.Next = strconv.FormatInt(int64(next.Side)*lefts+int64(next.Number), 10)
		}
		return page, nil
	}
}

func holds(e *view.Entry, words []string) bool {
	if len(words) == 0 {
		return true
	}
	text := searchText(e)
	for _, w := range words {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

// matchedID names an entry that has no row of its own, by side and record number.
func matchedID(e *exception.Entry) string { return fmt.Sprintf("%s-%d", e.Side, e.Number+1) }

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
		e, err := storedEntry(row)
		if err != nil {
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

// Export is a hand-over ready to be written.
type Export struct {
	Name    string // of the file
	Type    string // media type; "": what the route says
	History string // newest entry of the history that the hand-over states; "": it states none
	Write   func(io.Writer) error
}

// Export prepares the entries that a query chooses for handing over in a format, CSV where none is named; as a workbook, a page or a PDF
// it is the whole report with these entries. All that could be
// wrong with the request is wrong now, before anything is written. Exact sets nothing before texts that a spreadsheet
// would run.
func (v *Service) Export(ctx context.Context, run uint, q Query, format string, exact bool) (*Export, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if format == documentSheet || format == documentPage || format == documentPDF {
		return v.exportDocument(ctx, r, q, format)
	}
	if format, err = checkFormat(format); err != nil {
		return nil, err
	}
	q.Limit = 1000
	first, err := v.Entries(ctx, run, q)
	if err != nil {
		return nil, err
	}
	history, err := v.newestStated(ctx)
	if err != nil {
		return nil, err
	}
	o, err := v.store.SignOff(ctx, run)
	if err != nil {
		return nil, err
	}
	state := signOffOf(o).Says
	part := "exceptions"
	if q.Tray != "" {
		part = q.Tray
	}
	layout := handover.NewLayout(r.plan)
	columns := layout.Typed()
	for _, name := range slices.Concat(workColumns, []string{"sign-off", "history"}) {
		for slices.ContainsFunc(columns, func(c outform.Column) bool { return c.Name == name }) {
			name += "'"
		}
		columns = append(columns, outform.Column{Name: name, Number: name == "moves the balance by"})
	}
	return &Export{Name: fmt.Sprintf("%s run %d %s.%s", r.head.Sieve, r.head.Number, part, format), Type: outform.MediaType(format), History: history, Write: func(w io.Writer) error {
		out, err := outform.New(format, w, columns, outform.Options{Exact: exact})
		if err != nil {
			return err
		}
		var row []string
		var cells []record.Cell
		err = v.eachEntry(ctx, r, q, first, func(shown *view.Entry, e *exception.Entry) (err error) {
			work := workRow(shown)
			row, err = layout.Rows(e, row, func(row []string) error {
				cells = textCells(textCells(textCells(cells[:0], row...), work...), state, history)
				work[4] = "" // of a group that has several rows, it is counted once
				return out.Write(cells)
			})
			return err
		})
		if err != nil {
			return err
		}
		return out.Close()
	}}, nil
}

// eachEntry visits the entries that a query chooses, from its first page on. Of groups all records are visited, not only those that are listed;
// these are read from the snapshots.
func (v *Service) eachEntry(ctx context.Context, r *report, q Query, page *view.Entries, visit func(*view.Entry, *exception.Entry) error) (err error) {
	for {
		whole, err := v.wholeGroups(ctx, r, page.Entries)
		if err != nil {
			return err
		}
		for i := range page.Entries {
			e := whole[i]
			if e == nil {
				e = readBack(r.plan, &page.Entries[i])
			}
			if err := visit(&page.Entries[i], e); err != nil {
				return err
			}
		}
		if page.Next == "" {
			return nil
		}
		next := q
		next.After = page.Next
		if page, err = v.Entries(ctx, r.row.ID, next); err != nil {
			return err
		}
	}
}

// wholeGroups reads those of the entries again that are groups of more records than are listed, each with all its records.
func (v *Service) wholeGroups(ctx context.Context, r *report, list []view.Entry) (map[int]*exception.Entry, error) {
	var places []exception.Place
	var of []int
	for i := range list {
		g := list[i].Group
		if g == nil || int64(len(g.Listed[0])) == g.Records[0] && int64(len(g.Listed[1])) == g.Records[1] || list[i].Work != nil && !list[i].Work.Change.Here() {
			continue
		}
		places, of = append(places, exception.Place{Tray: list[i].Tray, Side: tray.Left, Number: uint32(list[i].Left.Number - 1)}), append(of, i)
	}
	if len(places) == 0 {
		return nil, nil
	}
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	read, err := exception.ReadWhole(ctx, r.plan, r.index, r.tables, places)
	if err != nil {
		return nil, err
	}
	whole := map[int]*exception.Entry{}
	for n, i := range of {
		whole[i] = &read[n]
	}
	return whole, nil
}

// readBack makes an entry of what people see of it.
func readBack(plan *sieve.Plan, e *view.Entry) *exception.Entry {
	if e.Reject != nil {
		return readRejectBack(plan, e)
	}
	out := &exception.Entry{Tray: e.Tray, Side: sideOf(e), Said: e.Reason}
	for s, r := range [2]*view.Record{e.Left, e.Right} {
		if r == nil {
			continue
		}
		out.Sides[s] = recordBack(r)
	}
	for _, f := range e.Fields {
		field := exception.Field{Agrees: f.Agrees, Difference: f.Difference}
		if f.Totals != nil {
			field.Totals = *f.Totals
		}
		out.Fields = append(out.Fields, field)
	}
	if g := e.Group; g != nil {
		out.Group = &exception.Group{Count: g.Records}
		for s, listed := range g.Listed {
			for i := range listed {
				out.Group.Records[s] = append(out.Group.Records[s], *recordBack(&listed[i]))
			}
		}
	}
	return out
}

func recordBack(r *view.Record) *exception.Record {
	rec := &exception.Record{Number: uint32(r.Number - 1), Origin: record.Origin{Line: r.Line, Run: r.Run}}
	for i, c := range r.Cells {
		if c == nil {
			rec.Cells = append(rec.Cells, record.Cell{Null: true})
		} else {
			rec.Cells = append(rec.Cells, record.Cell{Text: *c, Null: slices.Contains(r.Markers, i)})
		}
	}
	return rec
}

// Readings lists the readings that exist.
func (v *Service) Readings() *view.Readings { return &view.Readings{Readings: reading.Kinds()} }
