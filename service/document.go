package service

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"twinsieve/core/again"
	"twinsieve/core/balance"
	"twinsieve/core/exact"
	"twinsieve/core/tray"
	"twinsieve/service/paper"
	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/store"
)

// The formats in which a report is handed over as a document.
const (
	documentSheet = "xlsx"
	documentPage  = "html"
	documentPDF   = "pdf"
)

// How many entries a document lists; of more it says how many they are.
var mostListed = map[string]int64{documentPage: 20_000, documentPDF: 5_000}

// document draws up what a hand-over of a report says, but for its entries.
func (v *Service) document(ctx context.Context, r *report, q *Query) (*paper.Document, error) {
	o, err := v.store.SignOff(ctx, r.row.ID)
	if err != nil {
		return nil, err
	}
	state := signOffOf(o)
	history, err := v.newestStated(ctx)
	if err != nil {
		return nil, err
	}
	h := r.head
	by := store.ActorOf(ctx).Name
	if by == "" {
		by = "a link for others"
	}
	d := &paper.Document{Title: fmt.Sprintf("%s, run %d (report %d)", h.Sieve, h.Number, h.ID), Verdict: h.Summary.Verdict, Signed: state.Says, Frozen: o.State == store.ReportSigned,
		History: history, Made: fmt.Sprintf("Handed over on %s by %s", time.Now().UTC().Format("2 January 2006 15:04 UTC"), by)}
	if h.Since != nil {
		d.SinceRun = fmt.Sprintf("Since run %d", h.Since.Number)
		for _, c := range again.All {
			d.Since = append(d.Since, paper.Fact{Name: strings.ReplaceAll(string(c), "-", " "), Text: summary.Number(h.Since.Counts[c])})
		}
		if n := h.Since.Retired; n > 0 {
			d.Since = append(d.Since, paper.Fact{Name: "retired, " + store.KeyChanged, Text: summary.Number(n)})
		}
	}
	fact := func(name, format string, args ...any) {
		d.Facts = append(d.Facts, paper.Fact{Name: name, Text: fmt.Sprintf(format, args...)})
	}
	fact("definition", "%s", h.Sentence)
	fact("version of the sieve", "%d", h.Version)
	for s, side := range h.Sides {
		fact(tray.Side(s).String(), "%s, snapshot %d, from %s: %s records, %s rejected lines; content %s", side.Set, side.Snapshot, side.Source, summary.Number(side.Records), summary.Number(side.Rejects), side.Hash)
		if side.Carried > 0 {
			fact("carried into "+tray.Side(s).String(), "%s of earlier runs", summary.Count(side.Carried, "open record"))
		}
		for _, held := range side.Held {
			holds := "does not hold"
			if held.Holds {
				holds = "holds"
			}
			fact("control figure of "+side.Set, "%s: stated %s (%s), found %s: %s", held.What, held.Stated, held.From, held.Found, holds)
		}
	}
	ran := h.By
	if ran == "" {
		ran = "the service"
	}
	fact("run", "by %s, finished %s", ran, h.Finished.UTC().Format("2 January 2006 15:04 UTC"))
	s := &h.Summary
	fact("keys", "%s different keys, %s of them on both sides; repeated on the left %s, on the right %s; %s", summary.Number(s.Keys.All), summary.Number(s.Keys.Shared),
		summary.Number(s.Keys.Repeated[0]), summary.Number(s.Keys.Repeated[1]), s.Relation)
	if s.Crosswalk.Version > 0 {
		fact("crosswalk", "version %d, %d paired by hand", s.Crosswalk.Version, s.Crosswalk.Hand)
	}
	if narrowed := q.says(); narrowed != "" {
		fact("entries listed", "%s", narrowed)
	}
	accounted := "every record is accounted for"
	if !s.Accounted {
		accounted = "THE BALANCE DOES NOT CLOSE"
	}
	fact("records", "%s left and %s right; %s", summary.Number(s.Records[0]), summary.Number(s.Records[1]), accounted)
	d.Trays = trayLines(s)
	if s.Mixed != "" {
		d.Notes = append(d.Notes, s.Mixed)
	}
	fills := map[tray.Tray]string{tray.Excluded: "line", tray.Unkeyed: "grey", tray.Matched: "matched", tray.Differing: "differing", tray.Missing: "left", tray.Orphaned: "right"}
	for _, b := range s.Balance {
		one := paper.Balance{Name: b.Label(), Closes: "does not close"}
		if b.Closes {
			one.Closes = "closes to the last digit"
		}
		one.Steps = append(one.Steps, paper.Step{Label: h.Sides[0].Set, Change: b.Left, Fill: "left", Total: true})
		for _, step := range b.Steps {
			if step.Change == "0" {
				continue
			}
			label, fill := step.Tray.String(), fills[step.Tray]
			if step.Tray == tray.Matched {
				label = "tolerance"
			}
			if fill == "" {
				fill = step.Side
			}
			one.Steps = append(one.Steps, paper.Step{Label: label, Change: step.Change, Fill: fill})
		}
		one.Steps = append(one.Steps, paper.Step{Label: h.Sides[1].Set, Change: b.Right, Fill: "right", Total: true})
		d.Balances = append(d.Balances, one)
		for side, carried := range b.Carried {
			if carried != "" {
				d.Notes = append(d.Notes, fmt.Sprintf("%s: of the total of %s, %s is carried from earlier runs.", b.Label(), h.Sides[side].Set, paper.Grouped(carried, 0)))
			}
		}
		for side, n := range b.Unreadable {
			if n > 0 {
				d.Notes = append(d.Notes, fmt.Sprintf("%s: amounts that cannot be read are in no total; %s has %s.", b.Label(), h.Sides[side].Set, summary.Number(n)))
			}
			if b.Blank[side] > 0 {
				d.Notes = append(d.Notes, fmt.Sprintf("%s: blank amounts count as zero; %s has %s.", b.Label(), h.Sides[side].Set, summary.Number(b.Blank[side])))
			}
		}
	}
	return d, nil
}

// trayLines are the trays with their records, and what their records have of the first amount. Where that is in several currencies, each has a
// line of its own below its tray.
func trayLines(s *summary.Summary) (lines []paper.Tray) {
	var first []balance.Amount
	for _, b := range s.Balance {
		if b.Name == s.Balance[0].Name {
			first = append(first, b)
		}
	}
	amounts := func(line *paper.Tray, t tray.Tray, b *balance.Amount) (some bool) {
		places := 0
		for _, side := range b.Trays {
			for _, amount := range side {
				places = max(places, exact.Places(amount))
			}
		}
		for _, side := range tray.Sides {
			if t.On(side) {
				line.Amounts[side] = paper.Grouped(b.Trays[side][t], places)
				some = some || b.Trays[side][t] != "0"
			}
		}
		return some
	}
	for _, t := range s.Trays {
		one := paper.Tray{Name: t.Tray.String(), Lines: summary.Number(t.Entries)}
		for _, side := range tray.Sides {
			if t.Tray.On(side) {
				one.Records[side] = summary.Number(t.Records[side])
			}
		}
		if len(first) == 1 {
			amounts(&one, t.Tray, &first[0])
		}
		lines = append(lines, one)
		for i := range first {
			in := paper.Tray{Name: "· " + strings.TrimPrefix(first[i].Label(), first[i].Name+" ")}
			if len(first) > 1 && amounts(&in, t.Tray, &first[i]) {
				lines = append(lines, in)
			}
		}
	}
	if t := s.Tray(tray.Reject); t.Entries > 0 {
		lines = append(lines, paper.Tray{Name: t.Tray.String() + " (no record)", Lines: summary.Number(t.Entries)})
	}
	return lines
}

// says tells what a query chooses, and nothing where it chooses all exceptions.
func (q *Query) says() string {
	var parts []string
	add := func(name, value string) {
		if value != "" {
			parts = append(parts, name+" "+value)
		}
	}
	add("tray", q.Tray)
	var changes []string
	for _, c := range q.Change {
		changes = append(changes, string(c))
	}
	add("since the run before", strings.Join(changes, ", "))
	add("status", strings.Join(q.Status, ", "))
	add("owner", q.Owner)
	add("reason", q.Reason)
	add("differing in", q.Differs)
	add("amount at least", q.AtLeast)
	add("amount at most", q.AtMost)
	add("currency", q.In)
	add("holding", q.Search)
	if len(parts) == 0 {
		return ""
	}
	return "only those with " + strings.Join(parts, "; ")
}

// traysOf are the trays that a query chooses entries of.
func (q *Query) traysOf() (list []tray.Tray) {
	for _, t := range tray.All {
		if q.Tray == "" && t.Exception() || slices.Contains(strings.Split(q.Tray, ","), t.String()) {
			list = append(list, t)
		}
	}
	if t := tray.Reject; q.Tray == "" || slices.Contains(strings.Split(q.Tray, ","), t.String()) {
		list = append(list, t)
	}
	return list
}

// exportDocument prepares a report, with the entries that a query chooses, as a document.
func (v *Service) exportDocument(ctx context.Context, r *report, q Query, format string) (*Export, error) {
	if _, err := v.Entries(ctx, r.row.ID, q); err != nil { // whatever is wrong with the query is wrong now
		return nil, err
	}
	d, err := v.document(ctx, r, &q)
	if err != nil {
		return nil, err
	}
	out := &Export{Name: fmt.Sprintf("%s run %d.%s", r.head.Sieve, r.head.Number, format), History: d.History}
	if format == documentSheet {
		if err := v.checkWorkbook(r, q); err != nil {
			return nil, err
		}
		out.Type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
		out.Write = func(w io.Writer) error { return v.writeWorkbook(ctx, r, q, d, w) }
		return out, nil
	}
	if err := v.listSections(ctx, r, q, d, mostListed[format]); err != nil {
		return nil, err
	}
	out.Type = map[string]string{documentPage: "text/html; charset=utf-8", documentPDF: "application/pdf"}[format]
	out.Write = func(w io.Writer) error {
		if format == documentPDF {
			return paper.PDF(w, d)
		}
		return paper.HTML(w, d)
	}
	return out, nil
}

// listSections fills in a document's entries, of each tray the first ones.
func (v *Service) listSections(ctx context.Context, r *report, q Query, d *paper.Document, most int64) error {
	h := r.head
	for _, t := range q.traysOf() {
		part := q
		part.Tray, part.Limit = t.String(), 1000
		section := paper.Section{Tray: t.String(), Columns: []paper.Column{{Name: "key"}}}
		if t == tray.Reject {
			section.Columns = []paper.Column{{Name: "side"}, {Name: "line", Number: true}, {Name: "its text", Wide: true}}
		} else {
			for _, f := range h.Definition.Compare {
				left, right := f.On()
				decimal := f.As == "decimal"
				section.Columns = append(section.Columns, paper.Column{Name: left, Side: "left", Number: decimal}, paper.Column{Name: right, Side: "right", Number: decimal})
			}
		}
		section.Columns = append(section.Columns, paper.Column{Name: "why", Wide: true})
		if t.Exception() {
			if t != tray.Reject {
				section.Columns = append(section.Columns, paper.Column{Name: "moves the balance by", Number: true})
			}
			section.Columns = append(section.Columns, paper.Column{Name: "since then"}, paper.Column{Name: "status"}, paper.Column{Name: "owner"}, paper.Column{Name: "reason"})
		}
		for more := true; more; {
			page, err := v.Entries(ctx, r.row.ID, part)
			if err != nil {
				return err
			}
			if section.All = page.Total; page.Total < 0 {
				section.All = h.Summary.Tray(t).Entries
			}
			for i := range page.Entries {
				if most--; most < 0 {
					break
				}
				section.Rows = append(section.Rows, v.printed(r, &page.Entries[i]))
			}
			part.After, more = page.Next, page.Next != "" && most > 0
		}
		if section.All > 0 {
			d.Sections = append(d.Sections, section)
		}
	}
	return nil
}

// printed is the row of an entry in a document for reading.
func (v *Service) printed(r *report, e *view.Entry) []string {
	cell := func(rec *view.Record, column int) string {
		switch {
		case rec == nil:
			return "–"
		case rec.Cells[column] == nil || strings.TrimSpace(*rec.Cells[column]) == "":
			return "(blank)"
		}
		return *rec.Cells[column]
	}
	key := slices.Clone(e.Key)
	for i, part := range key {
		if strings.TrimSpace(part) == "" {
			key[i] = "(blank)"
		}
	}
	if e.Reject != nil {
		row := []string{e.Side, summary.Number(e.Reject.Line), e.Reject.Text, e.Reason}
		if e.Work != nil {
			row = append(row, e.SaysChange(), strings.ReplaceAll(e.Status, "-", " "), e.Work.Owner, e.Work.Reason)
		}
		return row
	}
	row := []string{strings.Join(key, " · ")}
	for i, f := range r.plan.Fields {
		columns := r.plan.Values[f.Value].Column
		texts := [2]string{cell(e.Left, columns[0]), cell(e.Right, columns[1])}
		if e.Group != nil && e.Fields != nil && e.Fields[i].Totals != nil {
			texts = [2]string{"Σ " + e.Fields[i].Totals[0], "Σ " + e.Fields[i].Totals[1]}
		}
		row = append(row, texts[0], texts[1])
	}
	row = append(row, e.Reason)
	if e.Work != nil {
		row = append(row, strings.TrimSpace(paper.Grouped(e.Work.Amount, 0)+" "+e.Work.Currency), e.SaysChange(), strings.ReplaceAll(e.Status, "-", " "), e.Work.Owner, e.Work.Reason)
	}
	return row
}
