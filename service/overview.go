package service

import (
	"context"
	"errors"
	"fmt"

	"twinsieve/core/again"
	"twinsieve/service/view"
	"twinsieve/store"
)

// OverviewQuery chooses exceptions over all sieves.
type OverviewQuery struct {
	Of    string // mine, unowned, mentions or all; "": all
	Owner string // instead: a person's name
	Sieve string // "": all
	Sort  string // age or amount; "": age
	After string
	Limit int
}

// Overview returns a page of the exceptions over all sieves that somebody has to do something about.
func (v *Service) Overview(ctx context.Context, q OverviewQuery) (*view.Overview, error) {
	me := store.ActorOf(ctx)
	chosen := store.OverviewQuery{Sort: q.Sort, After: q.After, Limit: pageSize(q.Limit)}
	empty := ""
	switch q.Of {
	case "", "all":
		if q.Owner != "" {
			if err := v.person(ctx, "owner", q.Owner); err != nil {
				return nil, err
			}
			chosen.Owner = &q.Owner
		}
	case "mine":
		chosen.Owner = &me.Name
	case "unowned":
		chosen.Owner = &empty
	case "mentions":
		chosen.Mention = me.ID
	default:
		return nil, view.Invalid.New(fmt.Sprintf("%q cannot be shown; write mine, unowned, mentions or all.", q.Of))
	}
	if q.Sort != "" && q.Sort != "age" && q.Sort != "amount" {
		return nil, view.Invalid.New(fmt.Sprintf("They are not sorted by %q; write age or amount.", q.Sort))
	}
	if q.Sieve != "" {
		row, _, err := v.store.Sieve(ctx, q.Sieve)
		if err != nil {
			return nil, v.sieveProblem(ctx, err, q.Sieve)
		}
		chosen.Sieve = row.ID
	}
	rows, total, next, err := v.store.Overview(ctx, chosen)
	if errors.Is(err, store.ErrNotFound) {
		return nil, view.Invalid.New(fmt.Sprintf("%q is no cursor of this list.", q.After))
	}
	if err != nil {
		return nil, err
	}
	counts, err := v.store.OverviewCounts(ctx, me)
	if err != nil {
		return nil, err
	}
	page := &view.Overview{Exceptions: []view.Pending{}, Total: total, Next: next, All: counts.All, Mine: counts.Mine, Unowned: counts.Unowned, Mentions: counts.Mentions}
	for _, row := range rows {
		p := view.Pending{Sieve: row.Sieve, Run: row.Run}
		if err := v.readBody(ctx, row.BodyRun, row.Body, &p.Entry); err != nil {
			return nil, err
		}
		change := again.StillOpen
		if row.Presence == string(again.Absent) {
			change = again.Absent
		}
		p.Entry.ID, p.Entry.Status = fmt.Sprint(row.Seq), row.Status
		p.Entry.Work = &view.Work{Exception: row.ID, Version: row.Version, Change: change, Owner: row.Owner, Reason: row.Reason, Opened: row.Opened, Amount: row.Amount, Currency: row.Currency,
			ChangedBy: row.ChangedBy, Comments: row.Comments, Attachments: row.Attachments}
		page.Exceptions = append(page.Exceptions, p)
	}
	return page, nil
}

// SavedFilters lists one's own filters.
func (v *Service) SavedFilters(ctx context.Context) (*view.SavedFilters, error) {
	rows, err := v.store.SavedFilters(ctx, store.ActorOf(ctx).ID)
	if err != nil {
		return nil, err
	}
	list := &view.SavedFilters{Filters: []view.SavedFilter{}}
	for _, row := range rows {
		list.Filters = append(list.Filters, view.SavedFilter{Name: row.Name, Query: row.Query})
	}
	return list, nil
}

// SaveFilter keeps a filter for oneself under a name.
func (v *Service) SaveFilter(ctx context.Context, f view.SavedFilter) (*view.SavedFilters, error) {
	if f.Name == "" || len([]rune(f.Name)) > 100 || len(f.Query) > 4000 {
		return nil, view.Invalid.New("A filter needs a name of 1 to 100 characters.")
	}
	if err := v.store.SaveFilter(ctx, store.SavedFilter{PersonID: store.ActorOf(ctx).ID, Name: f.Name, Query: f.Query}); err != nil {
		return nil, problem(err, "")
	}
	return v.SavedFilters(ctx)
}

// DropFilter forgets one of one's own filters.
func (v *Service) DropFilter(ctx context.Context, name string) error {
	return problem(v.store.DropFilter(ctx, store.ActorOf(ctx).ID, name), fmt.Sprintf("filter %q of yours", name))
}
