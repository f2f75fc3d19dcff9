package service

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"twinsieve/core/trace"
	"twinsieve/core/tray"
	"twinsieve/service/handover"
	"twinsieve/service/view"
	"twinsieve/service/words"
)

// waysTold is how many records of a side are traced where a key has more.
const waysTold = 5

// Trace tells the way of records through a run: of one record, named by its side and number as in left-17, or of those that have
// each of the texts as a part of their key.
func (v *Service) Trace(ctx context.Context, run uint, key []string, name string) (*view.Traces, error) {
	r, err := v.report(ctx, run)
	if err != nil {
		return nil, err
	}
	if err := v.open(ctx, r); err != nil {
		return nil, err
	}
	out := &view.Traces{Run: run, Sieve: r.head.Sieve, Asked: key, Ways: []view.Way{}}
	if name != "" {
		s, row, err := recordNamed(r, name)
		if err != nil {
			return nil, err
		}
		out.Asked = []string{name}
		out.Found[s] = 1
		w, err := v.way(ctx, r, s, row)
		if err != nil {
			return nil, err
		}
		out.Ways = append(out.Ways, *w)
		return out, nil
	}
	if len(key) == 0 {
		return nil, view.Invalid.New("Say what is to be traced: a key, or a record such as left-17.")
	}
	for _, s := range tray.Sides {
		rows, all, err := trace.Find(ctx, r.plan, r.tables, s, key, waysTold)
		if err != nil {
			return nil, err
		}
		out.Found[s] = all
		for _, row := range rows {
			w, err := v.way(ctx, r, s, row)
			if err != nil {
				return nil, err
			}
			out.Ways = append(out.Ways, *w)
		}
	}
	return out, nil
}

// recordNamed reads a record's name, such as left-17.
func recordNamed(r *report, name string) (tray.Side, uint32, error) {
	for _, s := range tray.Sides {
		text, ok := strings.CutPrefix(name, s.String()+"-")
		n, err := strconv.ParseInt(text, 10, 64)
		if all := int64(len(r.index.Sides[s].Trays)); ok && err == nil {
			if n < 1 || n > all {
				return 0, 0, view.NotFound.New(fmt.Sprintf("There is no record %s: that side has the records 1 to %d.", name, all))
			}
			return s, uint32(n - 1), nil
		}
	}
	return 0, 0, view.Invalid.New(fmt.Sprintf("%q names no record; write its side and number, as left-17.", name))
}

func (v *Service) way(ctx context.Context, r *report, s tray.Side, row uint32) (*view.Way, error) {
	t, err := trace.Of(ctx, r.plan, r.index, r.tables, s, row)
	if err != nil {
		return nil, err
	}
	var sources [2]words.Source
	for side, from := range r.head.Sides {
		sources[side] = words.Source{Name: from.Source, Snapshot: from.Snapshot}
	}
	told := words.Trace(r.plan, t, sources, handover.Reason(r.plan, &t.Entry))
	w := &view.Way{Side: s.String(), Number: int64(row) + 1, Tray: t.Entry.Tray.String(), Way: *told, Text: told.Lines()}
	for _, p := range t.Parts {
		w.Key = append(w.Key, p.Cell.Text)
	}
	return w, nil
}

// Look traces a key in the newest run of every sieve. What is asked for is one part of a key, or several with " · " between
// them.
func (v *Service) Look(ctx context.Context, key string) (*view.Looked, error) {
	var parts []string
	for _, p := range strings.Split(key, "·") {
		if p = strings.TrimSpace(p); p != "" {
			parts = append(parts, p)
		}
	}
	if len(parts) == 0 {
		return nil, view.Invalid.New("Say which key is to be traced.")
	}
	rows, err := v.store.Newest(ctx)
	if err != nil {
		return nil, err
	}
	out := &view.Looked{Runs: []view.Traces{}}
	for _, row := range rows {
		t, err := v.Trace(ctx, row.ID, parts, "")
		if err != nil && view.NotFound.Is(asProblem(err)) {
			continue // its snapshots are no longer kept
		}
		if err != nil {
			return nil, err
		}
		out.Runs = append(out.Runs, *t)
	}
	return out, nil
}
