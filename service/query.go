package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/exact"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// Query chooses entries of a report. The zero value chooses all exceptions of its run.
type Query struct {
	Tray    string         // one or several with commas between them; "": all exceptions
	Change  []again.Change // empty: all that are exceptions of the run, so neither cleared nor absent
	Status  []string       // empty: any
	Owner   string         // a person's name, "me", or "nobody"; "": anybody's
	Reason  string         // a reason, or "none"; "": any
	Differs string         // name of the left column of a compared field that does not agree; "": any
	AtLeast string         // a number that the amount's magnitude is not below; "": any
	AtMost  string
	In      string // currency of the amount, or "none"; "": any
	Search  string // entries that hold each of its words in some cell
	Sort    string // place, key, amount, tray, status, owner or age; "": place
	Desc    bool
	Entries []string // only the entries of these ids; empty: any
	After   string
	Limit   int

	counted *int64 // how many it chooses, where that is known
	perPage int    // entries of a page, where they are not what people see
}

// size is how many entries a page of the list has.
func (q *Query) size() int {
	if q.perPage > 0 {
		return q.perPage
	}
	return pageSize(q.Limit)
}

// nobody and none stand for the owner, and for the reason or currency, of what has none.
const (
	nobody = "nobody"
	none   = "none"
)

// narrowed reports whether a query asks for what only exceptions have.
func (q *Query) narrowed() bool {
	return len(q.Change) > 0 || len(q.Status) > 0 || q.Owner != "" || q.Reason != "" || q.Differs != "" || q.AtLeast != "" || q.AtMost != "" || q.In != "" || q.Sort != "" && q.Sort != "place" || q.Desc
}

// statuses are the states of work on an exception, in the order in which they are gone through.
var statuses = []string{store.StatusOpen, store.StatusInProgress, store.StatusExplained, store.StatusSettled}

func checkStatus(status string) error {
	if !slices.Contains(statuses, status) {
		return view.Invalid.New(fmt.Sprintf("%q is not a status; write one of %s.", status, strings.Join(statuses, ", ")))
	}
	return nil
}

// chosen gives a query the form in which the store knows it.
func (q *Query) chosen(ctx context.Context, r *report) (out store.EntryQuery, err error) {
	out = store.EntryQuery{Run: r.row.ID, Search: q.Search, Sort: q.Sort, Desc: q.Desc, After: q.After, Limit: q.size(), Total: q.counted}
	if q.Tray != "" {
		out.Trays = strings.Split(q.Tray, ",")
	}
	for _, c := range q.Change {
		if !slices.Contains(again.All, c) {
			return out, view.Invalid.New(fmt.Sprintf("%q is not what can become of an exception; write new, still-open, changed, returned, cleared or absent.", c))
		}
		out.Changes = append(out.Changes, string(c))
	}
	for _, s := range q.Status {
		if err := checkStatus(s); err != nil {
			return out, err
		}
		out.Status = append(out.Status, s)
	}
	if q.Owner != "" {
		owner := strings.ToLower(q.Owner)
		switch owner {
		case nobody:
			owner = ""
		case "me":
			owner = store.ActorOf(ctx).Name
		}
		out.Owner = &owner
	}
	if q.Reason != "" {
		reason := q.Reason
		if reason == none {
			reason = ""
		}
		out.Reason = &reason
	}
	if q.Differs != "" {
		at := slices.IndexFunc(r.head.Definition.Compare, func(f sieve.Field) bool { return f.Left == q.Differs })
		if at < 0 {
			return out, view.Invalid.New(fmt.Sprintf("%q is no compared field of this run; name the left column of one.", q.Differs))
		}
		out.Differs = at + 1
	}
	for _, bound := range []struct {
		name, text string
		into       *[]byte
	}{{"atLeast", q.AtLeast, &out.AtLeast}, {"atMost", q.AtMost, &out.AtMost}} {
		if bound.text == "" {
			continue
		}
		plain, ok := exact.Plain(nil, []byte(bound.text))
		if !ok || plain[0] == '-' {
			return out, view.Invalid.New(fmt.Sprintf("%s is %q, which is not an amount of zero or more; write one such as 1200.50.", bound.name, bound.text))
		}
		*bound.into = exact.AppendOrdered(nil, plain)
	}
	if q.In != "" {
		in := q.In
		if in == none {
			in = ""
		}
		out.In = &in
	}
	if !store.Sorts(q.Sort) {
		return out, view.Invalid.New(fmt.Sprintf("Entries are not sorted by %q; write place, key, amount, tray, status, owner or age.", q.Sort))
	}
	for _, id := range q.Entries {
		seq, err := cursor(id)
		if err != nil {
			return out, view.Invalid.New(fmt.Sprintf("%q is not the id of an exception of this report.", id))
		}
		out.Seqs = append(out.Seqs, seq)
	}
	return out, nil
}

// tray is the tray of records that are no exceptions, of which a query asks for a list. Else it asks for exceptions, of one tray or several.
func (q *Query) tray() (t tray.Tray, exceptions bool, err error) {
	if q.Tray == "" {
		return 0, true, nil
	}
	names := strings.Split(q.Tray, ",")
	for _, name := range names {
		if t, err = tray.ParseException(name); err != nil {
			return 0, false, view.Invalid.New(err.Error() + ".")
		}
		if !t.Exception() && len(names) > 1 {
			return 0, false, view.Invalid.New(fmt.Sprintf("%s records are no exceptions, and are listed alone.", t))
		}
	}
	return t, t.Exception(), nil
}
