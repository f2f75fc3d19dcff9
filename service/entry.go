package service

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/sieve"
	"twinsieve/service/handover"
	"twinsieve/service/view"
	"twinsieve/store"
)

// entryOf gives an entry the form in which people see it.
func entryOf(plan *sieve.Plan, e *exception.Entry) view.Entry {
	reason := handover.Reason(plan, e)
	out := view.Entry{Tray: e.Tray, Side: sideShown(e), Key: e.Key(plan), Reason: reason, Steps: handover.Steps(plan, e, reason)}
	if e.Tray.Paired() {
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

// sideShown is the side that people see an entry on: both for pairs.
func sideShown(e *exception.Entry) string {
	if e.Tray.Paired() {
		return "both"
	}
	return e.Side.String()
}

// storedEntry makes an entry as people see it of what is stored.
func (v *Service) storedEntry(ctx context.Context, row *store.Shown, e *view.Entry) error {
	if err := v.readBody(ctx, row.BodyRun, row.Body, e); err != nil {
		return err
	}
	e.ID, e.Status = strconv.FormatInt(row.Seq, 10), row.Status
	e.Work = &view.Work{Exception: row.ExceptionID, Version: row.Version, Change: again.Change(row.Change), Owner: row.Owner, Reason: row.Reason, Opened: row.Opened,
		Amount: row.Amount, Currency: row.Currency, ChangedBy: row.ChangedBy, Comments: row.Comments, Attachments: row.Attachments}
	return nil
}

// holds reports whether an entry has each of some words in its cells.
func holds(e *exception.Entry, words []string) bool {
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
