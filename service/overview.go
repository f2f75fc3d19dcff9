package service

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"twinsieve/core/again"
	"twinsieve/core/exact"
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
			return nil, problem(err, fmt.Sprintf("sieve %q", q.Sieve))
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
		if err := readBody(row.Body, &p.Entry); err != nil {
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

// trendRuns is how many runs a trend goes back.
const trendRuns = 24

// Trend says how a sieve's exceptions went from run to run.
func (v *Service) Trend(ctx context.Context, name string) (*view.Trend, error) {
	row, _, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("sieve %q", name))
	}
	runs, err := v.store.RunsOf(ctx, row.ID, trendRuns)
	if err != nil {
		return nil, err
	}
	slices.Reverse(runs)
	out := &view.Trend{Runs: []view.TrendRun{}}
	var ids []uint
	at := map[uint]int{}
	for _, r := range runs {
		at[r.ID] = len(out.Runs)
		ids = append(ids, r.ID)
		out.Runs = append(out.Runs, view.TrendRun{Run: r.ID, Number: r.Number, At: r.Finished, Trays: map[string]int64{}, Ages: make([]int64, 4)})
	}
	lines, err := v.store.Trend(ctx, ids)
	if err != nil {
		return nil, err
	}
	for _, l := range lines {
		t := &out.Runs[at[l.RunID]]
		if l.Change == string(again.Cleared) {
			continue
		}
		if again.Change(l.Change).Here() {
			t.Trays[l.Tray] += l.Entries
		} else {
			t.Trays[string(again.Absent)] += l.Entries
		}
		// Its age is how many runs lie between the one that found it first and this one.
		age := at[l.RunID] - slices.IndexFunc(runs, func(r store.Run) bool { return !r.Started.Before(l.Opened) })
		t.Ages[min(max(age, 0), 3)] += l.Entries
		if l.Status == store.StatusOpen || l.Status == store.StatusInProgress {
			t.Open += l.Entries
		}
	}
	before := time.Time{}
	for i := range out.Runs {
		t := &out.Runs[i]
		if t.Amounts, err = v.openAmounts(ctx, t.Run); err != nil {
			return nil, err
		}
		to := t.At
		if i == len(out.Runs)-1 {
			to = time.Now().UTC() // what was settled since the last run counts with it
		}
		times, err := v.store.Settled(ctx, row.ID, before, to)
		if err != nil {
			return nil, err
		}
		if t.Settled = int64(len(times)); t.Settled > 0 {
			slices.Sort(times)
			t.Days = times[len(times)/2].Hours() / 24
		}
		before = to
	}
	return out, nil
}

// openAmounts adds up the sizes of a run's open amounts, by currency.
func (v *Service) openAmounts(ctx context.Context, run uint) ([]view.CurrencyAmount, error) {
	sums := map[string]*exact.Sum{}
	err := v.store.OpenAmounts(ctx, run, func(amount, currency []byte) {
		sum := sums[string(currency)]
		if sum == nil {
			sum = &exact.Sum{}
			sums[string(currency)] = sum
		}
		sum.Add(bytes.TrimPrefix(amount, []byte("-")))
	})
	if err != nil {
		return nil, err
	}
	list := []view.CurrencyAmount{}
	for _, currency := range slices.Sorted(maps.Keys(sums)) {
		list = append(list, view.CurrencyAmount{Currency: currency, Amount: exact.Text(sums[currency].Total())})
	}
	return list, nil
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
