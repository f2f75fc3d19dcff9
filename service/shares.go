package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"twinsieve/service/view"
	"twinsieve/store"
)

const shareDays = 30

func shareOf(s store.Share) view.Share {
	return view.Share{ID: s.ID, By: s.Person, Says: s.Says, Created: s.Created, Ends: s.Expires}
}

// ShareReport makes a link by which others read a report, or only the entries that a query chooses. Its code is in the answer, and never again.
func (v *Service) ShareReport(ctx context.Context, run uint, q Query, n view.NewShare) (*view.Share, error) {
	if n.Days == 0 {
		n.Days = shareDays
	}
	if n.Days < 1 || n.Days > mostDays {
		return nil, view.Invalid.New("A link works for 1 to 366 days.")
	}
	if strings.EqualFold(q.Owner, "me") { // whoever opens the link has no name
		q.Owner = store.ActorOf(ctx).Name
	}
	q.Limit = 1
	page, err := v.Entries(ctx, run, q)
	if err != nil {
		return nil, err
	}
	if page.Total != n.Count {
		return nil, otherCount(n.Count, page.Total)
	}
	q.Limit, q.After = 0, ""
	text, err := json.Marshal(q)
	if err != nil {
		return nil, err
	}
	says := q.says()
	if says == "" {
		says = "the whole report"
	}
	code := newSecret("")
	row, err := v.store.AddShare(ctx, store.Share{Hash: hashOf(code), RunID: run, Query: string(text), Says: says, Expires: time.Now().UTC().AddDate(0, 0, n.Days)})
	if err != nil {
		return nil, problem(err, "")
	}
	out := shareOf(row)
	out.Link = "/shared/" + code
	return &out, nil
}

// Shares lists the links to a report that work.
func (v *Service) Shares(ctx context.Context, run uint) (*view.Shares, error) {
	if _, err := v.store.Run(ctx, run); err != nil {
		return nil, problem(err, runName(run))
	}
	rows, err := v.store.Shares(ctx, run)
	if err != nil {
		return nil, err
	}
	list := &view.Shares{Shares: []view.Share{}}
	for _, row := range rows {
		list.Shares = append(list.Shares, shareOf(row))
	}
	return list, nil
}

// RevokeShare ends a link to a report.
func (v *Service) RevokeShare(ctx context.Context, run, id uint) error {
	return problem(v.store.RevokeShare(ctx, run, id), fmt.Sprintf("link %d to this report", id))
}

// share returns the link with a code, and what it lets see.
func (v *Service) share(ctx context.Context, code string) (store.Share, Query, error) {
	var q Query
	row, err := v.store.Share(ctx, hashOf(code))
	if errors.Is(err, store.ErrNotFound) {
		return row, q, view.NotFound.New("This link shows nothing: it has ended, it was revoked, or it was not copied whole. Ask who gave it to you.")
	}
	if err != nil {
		return row, q, err
	}
	return row, q, json.Unmarshal([]byte(row.Query), &q)
}

// Shared returns the head of the report that a link shows.
func (v *Service) Shared(ctx context.Context, code string) (*view.Shared, error) {
	row, _, err := v.share(ctx, code)
	if err != nil {
		return nil, err
	}
	run, err := v.RunHead(ctx, row.RunID)
	if err != nil {
		return nil, err
	}
	o, err := v.SignOff(ctx, row.RunID)
	if err != nil {
		return nil, err
	}
	return &view.Shared{Run: *run, SignOff: *o, Says: row.Says, Ends: row.Expires}, nil
}

// within narrows what somebody asks for to what a link shows.
func (q Query) within(allowed Query) (Query, error) {
	if !allowed.narrowed() && allowed.Tray == "" && allowed.Search == "" {
		return q, nil
	}
	out := allowed
	out.Entries, out.After, out.Limit, out.Sort, out.Desc = q.Entries, q.After, q.Limit, q.Sort, q.Desc
	if out.Search == "" {
		out.Search = q.Search
	} else {
		out.Search += " " + q.Search
	}
	if q.Tray == "" || q.Tray == allowed.Tray {
		return out, nil
	}
	for _, t := range allowed.traysOf() {
		if t.String() == q.Tray {
			out.Tray = q.Tray
			return out, nil
		}
	}
	return out, view.NotAllowed.New("This link shows " + allowed.says() + ".")
}

// SharedEntries returns a page of the entries that a link shows.
func (v *Service) SharedEntries(ctx context.Context, code string, q Query) (*view.Entries, error) {
	row, allowed, err := v.share(ctx, code)
	if err != nil {
		return nil, err
	}
	if q, err = q.within(allowed); err != nil {
		return nil, err
	}
	return v.Entries(ctx, row.RunID, q)
}

// SharedEntry returns one of the entries that a link shows.
func (v *Service) SharedEntry(ctx context.Context, code, id string) (*view.Entry, error) {
	row, allowed, err := v.share(ctx, code)
	if err != nil {
		return nil, err
	}
	e, err := v.Entry(ctx, row.RunID, id)
	if err != nil {
		return nil, err
	}
	if !allowed.narrowed() && allowed.Tray == "" && allowed.Search == "" {
		return e, nil
	}
	missing := view.NotFound.New(fmt.Sprintf("This link shows no entry %q.", id))
	if !e.Tray.Exception() {
		return nil, missing
	}
	allowed.Entries = []string{id}
	page, err := v.Entries(ctx, row.RunID, allowed)
	if err == nil && page.Total == 0 {
		err = missing
	}
	return e, err
}

// SharedExport prepares what a link shows for handing over.
func (v *Service) SharedExport(ctx context.Context, code string, q Query, format string) (*Export, error) {
	row, allowed, err := v.share(ctx, code)
	if err != nil {
		return nil, err
	}
	if q, err = q.within(allowed); err != nil {
		return nil, err
	}
	return v.Export(ctx, row.RunID, q, format, false)
}
