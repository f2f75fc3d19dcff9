package service

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/service/handover"
	"twinsieve/service/view"
	"twinsieve/store"
)

// entryOf gives an entry the form in which people see it.
func entryOf(plan *sieve.Plan, e *exception.Entry) view.Entry {
	reason := handover.Reason(plan, e)
	out := view.Entry{Tray: e.Tray, Side: e.Side.String(), Key: e.Key(plan), Reason: reason, Steps: handover.Steps(plan, e, reason)}
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

// storedEntry makes an entry as people see it of what is stored.
func storedEntry(row *store.Shown, e *view.Entry) error {
	if err := readBody(row.Body, e); err != nil {
		return err
	}
	e.ID, e.Status = strconv.FormatInt(row.Seq, 10), row.Status
	e.Work = &view.Work{Exception: row.ExceptionID, Version: row.Version, Change: again.Change(row.Change), Owner: row.Owner, Reason: row.Reason, Opened: row.Opened,
		Amount: row.Amount, Currency: row.Currency, ChangedBy: row.ChangedBy, Comments: row.Comments, Attachments: row.Attachments}
	return nil
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
