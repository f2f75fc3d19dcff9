package service

import (
	"context"
	"fmt"
	"io"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/formats/outform"
	"twinsieve/service/handover"
	"twinsieve/service/view"
	"twinsieve/store"
)

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
	ctx = store.Through(ctx)
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
	q.handedOver = true
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
// these are read from the snapshots. The next page is read while one is visited.
func (v *Service) eachEntry(ctx context.Context, r *report, q Query, page *view.Entries, visit func(*view.Entry, *exception.Entry) error) error {
	pages := make(chan *view.Entries)
	group, ctx := errgroup.WithContext(ctx)
	group.Go(func() (err error) {
		defer close(pages)
		for page := page; ; {
			if err := pass(ctx, pages, page); err != nil || page.Next == "" {
				return err
			}
			q.After = page.Next
			if page, err = v.Entries(ctx, r.row.ID, q); err != nil {
				return err
			}
		}
	})
	group.Go(func() error {
		for page := range pages {
			whole, err := v.wholeGroups(ctx, r, page.Entries)
			if err != nil {
				return err
			}
			for i := range page.Entries {
				e := whole[i]
				if e == nil {
					e = r.readBack(&page.Entries[i])
				}
				if err := visit(&page.Entries[i], e); err != nil {
					return err
				}
			}
		}
		return nil
	})
	return group.Wait()
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
	read, err := exception.NewReader(r.plan, r.index, r.tables).Read(ctx, places)
	if err != nil {
		return nil, err
	}
	whole := map[int]*exception.Entry{}
	for n, i := range of {
		whole[i] = &read[n]
	}
	return whole, nil
}

// workColumns are what a list that is handed over says of the work on each exception.
var workColumns = []string{"since then", "status", "owner", "given reason", "moves the balance by", "currency", "found first", "carried from run"}

func workRow(e *view.Entry) []string {
	if e.Work == nil {
		return make([]string, len(workColumns))
	}
	w := e.Work
	return []string{string(w.Change), e.Status, w.Owner, w.Reason, w.Amount, w.Currency, w.Opened.UTC().Format(time.DateOnly), e.CarriedFrom()}
}

// textCells are texts as cells.
func textCells(into []record.Cell, texts ...string) []record.Cell {
	for _, text := range texts {
		into = append(into, record.Cell{Text: text})
	}
	return into
}
