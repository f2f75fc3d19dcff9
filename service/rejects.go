package service

import (
	"context"
	"fmt"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
	"twinsieve/service/view"
	"twinsieve/store"
)

// eachReject visits the rejects of a run's snapshots, the left's first, some at a time.
func (v *Service) eachReject(ctx context.Context, p *planned, visit func(s tray.Side, some []store.Reject) error) error {
	for _, s := range tray.Sides {
		for last := int64(0); last < p.snapshots[s].Rejects; {
			some, err := v.store.Rejects(ctx, p.snapshots[s].ID, last, entriesInOneStep)
			if err != nil {
				return err
			}
			if len(some) == 0 {
				break
			}
			last = some[len(some)-1].Seq
			if err := visit(s, some); err != nil {
				return err
			}
		}
	}
	return nil
}

// rejectsOf are how many rejects the snapshots of a definition have.
func rejectsOf(p *planned) [2]int64 {
	return [2]int64{p.snapshots[0].Rejects, p.snapshots[1].Rejects}
}

// rejectEntry gives a reject the form in which people see it.
func rejectEntry(d *sieve.Definition, s tray.Side, r view.Reject) view.Entry {
	set := [2]string{d.Left, d.Right}[s]
	return view.Entry{Tray: tray.Reject, Side: s.String(), Key: []string{}, Reason: r.Reason, Reject: &r,
		Steps: []string{fmt.Sprintf("line %s of the source of %s is no record: %s", summary.Number(r.Line), set, r.Reason)}}
}

// foundReject gives a reject at a place of a run, behind the records, the form in which the store keeps it.
func (f *following) foundReject(place int, s tray.Side, r store.Reject) (store.Found, error) {
	body, err := rejectBody(s, view.Reject{Line: r.Line, Reason: r.Reason, Text: r.Text})
	if err != nil {
		return store.Found{}, err
	}
	text := rejectText(r.Text)
	row := store.Entry{Tray: tray.Reject.String(), Side: s.String(), Change: string(f.changes[place]), Status: store.StatusOpen, KeyText: text, Size: []byte{}, Search: text}
	f.asBefore(place, &row)
	return store.Found{Entry: row, Body: body, Print: again.PrintReject(s, r.Text)}, nil
}

// writeRejects writes the rejects of a run's snapshots into its report. They come behind its records, from a place on.
func (v *Service) writeRejects(ctx context.Context, w *store.RunWriter, f *following, p *planned, place int) error {
	return v.eachReject(ctx, p, func(s tray.Side, some []store.Reject) error {
		rows := make([]store.Found, len(some))
		for i, r := range some {
			var err error
			if rows[i], err = f.foundReject(place, s, r); err != nil {
				return err
			}
			place++
		}
		return w.Write(ctx, f.place(w, rows))
	})
}

// rejectText is what a search for a line that is no record looks through.
func rejectText(text string) string { return strings.ToLower(strings.TrimSpace(text)) }
