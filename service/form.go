package service

import (
	"strings"
	"unicode/utf8"

	"twinsieve/core/again"
	"twinsieve/core/exact"
	"twinsieve/core/exception"
	"twinsieve/core/sieve"
	"twinsieve/service/handover"
	"twinsieve/store"
)

// A former gives exceptions that a run has found the form in which the store keeps them, some at a time: their texts lie beside each other, so that they are few pieces of memory
// however many exceptions there are. It is not for several goroutines at once.
type former struct {
	of     *following
	plan   *sieve.Plan
	prints again.Printer
	keep   keeper
	mover  *exception.Mover // nil where the sieve follows no amount

	texts  []byte // of some exceptions, the key of each and behind it what is searched, in lower case
	places []formed
}

// formed is where the texts of an exception end.
type formed struct{ key, search, body int }

func newFormer(f *following, plan *sieve.Plan) *former {
	w := &former{of: f, plan: plan}
	if len(plan.Amounts) > 0 {
		w.mover = exception.NewMover(plan, 0)
	}
	return w
}

// form forms exceptions from a place of the run on.
func (w *former) form(place int, list []exception.Entry, rows []store.Found) error {
	w.texts, w.places = w.texts[:0], w.places[:0]
	w.keep.text.Reset()
	for i := range list {
		e, at := &list[i], formed{}
		rows[i] = w.found(place+i, e)
		w.texts = lowered(appendKey(w.texts, e, w.plan), len(w.texts))
		at.key = len(w.texts)
		w.texts = lowered(appendSearch(w.texts, e), len(w.texts))
		at.search = len(w.texts)
		if err := w.keep.add(e, handover.Reason(w.plan, e)); err != nil {
			return err
		}
		at.body = w.keep.text.Len()
		w.places = append(w.places, at)
	}
	texts, bodies, before := string(w.texts), w.keep.text.String(), formed{}
	for i, at := range w.places {
		row := &rows[i]
		row.Entry.KeyText, row.Entry.Search, row.Body = texts[before.search:at.key], texts[at.key:at.search], bodies[before.body:at.body]
		before = at
	}
	return nil
}

// found is an exception at a place of the run, but for its texts.
func (w *former) found(place int, e *exception.Entry) store.Found {
	row := store.Entry{Tray: e.Tray.String(), Side: sideShown(e), Change: string(w.of.changes[place]), Status: store.StatusOpen, Size: []byte{}}
	w.of.asBefore(place, &row)
	for i, field := range e.Fields {
		if !field.Agrees {
			row.Differs |= 1 << min(i, store.MostDiffers-1)
		}
	}
	if w.mover != nil {
		moves := w.mover.Moves(e)
		for _, m := range moves {
			switch {
			case m.Currency == "":
			case row.Currency == "":
				row.Currency = m.Currency
			default:
				row.Currency += ", " + m.Currency
			}
		}
		if len(moves) == 1 {
			row.Amount = moves[0].Amount.Text()
			row.Size = exact.AppendOrdered(nil, []byte(strings.TrimPrefix(row.Amount, "-")))
		}
	}
	return store.Found{Entry: row, Print: w.prints.Of(e), Back: w.of.back(place)}
}

// lowered is a text of which what stands from a place on is in lower case.
func lowered(text []byte, from int) []byte {
	for i, c := range text[from:] {
		switch {
		case c >= utf8.RuneSelf: // which lower case may make longer or shorter
			return append(text[:from], strings.ToLower(string(text[from:]))...)
		case 'A' <= c && c <= 'Z':
			text[from+i] = c + 'a' - 'A'
		}
	}
	return text
}

// appendKey appends an exception's key.
func appendKey(text []byte, e *exception.Entry, plan *sieve.Plan) []byte {
	for p, part := range e.Key(plan) {
		if p > 0 {
			text = append(text, ' ')
		}
		text = append(text, part...)
	}
	return text
}

// appendSearch appends what a search for an exception looks through: its cells.
func appendSearch(text []byte, e *exception.Entry) []byte {
	begun := false
	for _, r := range e.Sides {
		if r == nil {
			continue
		}
		for i := range r.Cells {
			c := &r.Cells[i]
			if c.Null && c.Text == "" {
				continue
			}
			if begun {
				text = append(text, '\x1f')
			}
			text, begun = append(text, c.Text...), true
		}
	}
	return text
}

// searchText is what a search for an exception looks through, in lower case.
func searchText(e *exception.Entry) string { return strings.ToLower(string(appendSearch(nil, e))) }
