package service

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

// acceptedBody is what an acceptance is about.
type acceptedBody struct {
	Left    []string         `json:"left,omitempty"`
	Right   []string         `json:"right,omitempty"`
	Columns [2][]string      `json:"columns,omitempty"`
	Records [2][]view.Record `json:"records,omitempty"`
}

func bodyOf(a store.Acceptance) (b acceptedBody, err error) {
	err = json.Unmarshal([]byte(a.Body), &b)
	return b, err
}

// swappedBody is what people have accepted, for a sieve whose sides have been swapped.
func swappedBody(text string) (string, error) {
	b, err := bodyOf(store.Acceptance{Body: text})
	if err != nil {
		return "", err
	}
	b.Left, b.Right = b.Right, b.Left
	b.Columns[0], b.Columns[1] = b.Columns[1], b.Columns[0]
	b.Records[0], b.Records[1] = b.Records[1], b.Records[0]
	out, err := json.Marshal(b)
	return string(out), err
}

// crosswalk makes the crosswalk that holds of its entries.
func crosswalk(list []store.Acceptance) (c sieve.Crosswalk, err error) {
	c.Version = store.CrosswalkVersion(list)
	for _, a := range list {
		if a.EndedVersion > 0 {
			continue
		}
		b, err := bodyOf(a)
		if err != nil {
			return c, err
		}
		switch a.Kind {
		case store.KeysAccepted:
			c.Keys = append(c.Keys, sieve.KeysEqual{Left: b.Left, Right: b.Right})
		case store.RecordsAccepted:
			p := sieve.PairedHand{ID: a.ID, Columns: b.Columns}
			for s := range p.Records {
				for _, r := range b.Records[s] {
					p.Records[s] = append(p.Records[s], cellsOf(&r))
				}
			}
			c.Hand = append(c.Hand, p)
		}
	}
	return c, nil
}

// cellsOf are the cells of a record as they came.
func cellsOf(r *view.Record) (cells []record.Cell) {
	for i, c := range r.Cells {
		if c == nil {
			cells = append(cells, record.Cell{Null: true})
		} else {
			cells = append(cells, record.Cell{Text: *c, Null: slices.Contains(r.Markers, i)})
		}
	}
	return cells
}

// sieveNamed is a saved sieve with its plan and the entries of its crosswalk.
func (v *Service) sieveNamed(ctx context.Context, name string) (row store.Sieve, p *planned, list []store.Acceptance, err error) {
	row, text, err := v.store.Sieve(ctx, name)
	if err != nil {
		return row, nil, nil, v.sieveProblem(ctx, err, name)
	}
	s, err := sieveOf(row, text)
	if err != nil {
		return row, nil, nil, err
	}
	if p, err = v.plan(ctx, s.Definition); err != nil {
		return row, nil, nil, err
	}
	list, err = v.store.Acceptances(ctx, row.ID)
	return row, p, list, err
}

// Crosswalk lists what people have accepted as the same in a sieve, and refused.
func (v *Service) Crosswalk(ctx context.Context, name string) (*view.Crosswalk, error) {
	_, p, list, err := v.sieveNamed(ctx, name)
	if err != nil {
		return nil, err
	}
	out := &view.Crosswalk{Sieve: name, Version: store.CrosswalkVersion(list), Entries: []view.Acceptance{}, Columns: keyColumns(p.Plan)}
	for _, a := range slices.Backward(list) {
		shown, err := acceptanceOf(a)
		if err != nil {
			return nil, err
		}
		if a.Kind == store.RecordsAccepted {
			b, err := bodyOf(a)
			if err != nil {
				return nil, err
			}
			shown.Keys = keysOfRecords(b, out.Columns)
		}
		out.Entries = append(out.Entries, *shown)
	}
	return out, nil
}

// keysOfRecords are the keys of records that were paired by hand, of which a part is blank where their columns no longer have it.
func keysOfRecords(b acceptedBody, columns [2][]string) *[2][]string {
	keys := [2][]string{{}, {}}
	for s := range keys {
		for _, r := range b.Records[s] {
			cells := cellsOf(&r)
			var parts []string
			for _, name := range columns[s] {
				text := ""
				if at := slices.Index(b.Columns[s], name); at >= 0 {
					text = cells[at].Text
				}
				parts = append(parts, text)
			}
			keys[s] = append(keys[s], shownKey(parts))
		}
	}
	return &keys
}

func keyColumns(plan *sieve.Plan) (columns [2][]string) {
	for _, s := range tray.Sides {
		for _, k := range plan.Key {
			columns[s] = append(columns[s], plan.Columns[s][k.Column[s]])
		}
	}
	return columns
}

func acceptanceOf(a store.Acceptance) (*view.Acceptance, error) {
	b, err := bodyOf(a)
	if err != nil {
		return nil, err
	}
	out := &view.Acceptance{ID: a.ID, Kind: a.Kind, Holds: a.EndedVersion == 0, Left: b.Left, Right: b.Right, Reason: a.Reason, Score: a.Score, Source: a.Source,
		By: a.By, Created: a.Created, Version: a.Version, EndedBy: a.EndedBy, Ended: a.Ended}
	if a.Kind == store.RecordsAccepted {
		out.Records = &b.Records
	}
	return out, nil
}

// MostDecided is how many pairs of keys are decided about at once.
const MostDecided = 50_000

// Decide accepts keys as the same, or refuses that they are, all of them as one change. Where a class of more than two keys would
// come of it, it is not done unless the decision is confirmed; the problem names the class's other keys.
func (v *Service) Decide(ctx context.Context, name string, d view.Decision) (*view.Crosswalk, error) {
	row, p, _, err := v.sieveNamed(ctx, name)
	if err != nil {
		return nil, err
	}
	decided, err := v.decidedKeys(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	if len(d.Pairs) == 0 || len(d.Pairs) > MostDecided {
		return nil, view.Invalid.New(fmt.Sprintf("%d pairs of keys stand here; decide about 1 to %d at once.", len(d.Pairs), MostDecided))
	}
	kind := store.KeysAccepted
	if !d.Accept {
		kind = store.KeysRefused
	}
	if d.Source == "" {
		d.Source = "hand"
	}
	var list []store.Acceptance
	var equal []sieve.KeysEqual
	for i, pair := range d.Pairs {
		if len(pair.Left) != len(p.Key) || len(pair.Right) != len(p.Key) {
			return nil, view.Invalid.New(fmt.Sprintf("The key has %d parts, and pair %d has %d texts on the left and %d on the right; give one for each part.", len(p.Key), i+1, len(pair.Left), len(pair.Right)))
		}
		before, ok := decided[pairName(pair.Left, pair.Right)]
		switch {
		case ok && before.Kind == kind:
			continue // it has been decided so already
		case ok:
			return nil, view.Invalid.New(fmt.Sprintf("Pair %d, %s and %s: entry %d of the crosswalk says the opposite; take that back first.", i+1, shownKey(pair.Left), shownKey(pair.Right), before.ID))
		}
		decided[pairName(pair.Left, pair.Right)] = store.Acceptance{Kind: kind}
		body, err := json.Marshal(acceptedBody{Left: pair.Left, Right: pair.Right})
		if err != nil {
			return nil, err
		}
		reason := strings.TrimSpace(d.Reason)
		if pair.Why != "" {
			reason = strings.TrimSpace(strings.Join([]string{reason, pair.Why}, "; "))
			reason = strings.TrimPrefix(reason, "; ")
		}
		list = append(list, store.Acceptance{Kind: kind, Body: string(body), Reason: reason, Score: pair.Score, Source: d.Source})
		equal = append(equal, sieve.KeysEqual{Left: pair.Left, Right: pair.Right})
	}
	if len(list) == 0 {
		return v.Crosswalk(ctx, name)
	}
	_, err = v.store.AddAcceptances(ctx, row.ID, list, func(current []store.Acceptance) error {
		if !d.Accept {
			return nil
		}
		return checkJoin(p.Plan, current, equal, d.Confirm)
	})
	if err != nil {
		return nil, problem(err, "")
	}
	return v.Crosswalk(ctx, name)
}

// decidedKeys are the decisions about keys that hold in a sieve, by the pair.
func (v *Service) decidedKeys(ctx context.Context, sieve uint) (map[string]store.Acceptance, error) {
	list, err := v.store.Acceptances(ctx, sieve)
	if err != nil {
		return nil, err
	}
	decided := map[string]store.Acceptance{}
	for _, a := range list {
		if a.EndedVersion > 0 || a.Kind == store.RecordsAccepted {
			continue
		}
		b, err := bodyOf(a)
		if err != nil {
			return nil, err
		}
		decided[pairName(b.Left, b.Right)] = a
	}
	return decided, nil
}

// checkJoin looks at the classes that come of accepting keys as the same.
func checkJoin(plan *sieve.Plan, current []store.Acceptance, equal []sieve.KeysEqual, confirmed bool) error {
	c, err := crosswalk(current)
	if err != nil {
		return err
	}
	all := append(slices.Clone(c.Keys), equal...)
	classes := match.NewClasses(plan, all)
	var joined []string
	for i, e := range equal {
		size := classes.Size(plan, tray.Left, e.Left)
		right := classes.Size(plan, tray.Right, e.Right)
		switch {
		case size == 0 || right == 0:
			return view.Invalid.New(fmt.Sprintf("Pair %d, %s and %s: one of the keys has a part without a value as the sieve reads it, and such a record has no key. Pair the records by hand instead.", i+1, shownKey(e.Left), shownKey(e.Right)))
		case size == 1 && right == 1:
			return view.Invalid.New(fmt.Sprintf("Pair %d, %s and %s: the sieve reads them as one key already.", i+1, shownKey(e.Left), shownKey(e.Right)))
		case size > match.MostInClass:
			return view.Invalid.New(fmt.Sprintf("Pair %d, %s and %s: with it %d keys would be one; a class has %d keys at most. A reading would do better.", i+1, shownKey(e.Left), shownKey(e.Right), size, match.MostInClass))
		case size > 2 && len(joined) < 10:
			var others []string
			for _, o := range classes.Same(plan, tray.Left, e.Left, all) {
				others = append(others, shownKey(o.Left), shownKey(o.Right))
			}
			slices.Sort(others)
			joined = append(joined, strings.Join(slices.Compact(others), ", "))
		}
	}
	if len(joined) > 0 && !confirmed {
		slices.Sort(joined)
		return view.Joins.New("More than two keys would become one: " + strings.Join(slices.Compact(joined), "; ") + ". Confirm that all of them are the same.")
	}
	return nil
}

func shownKey(key []string) string { return strings.Join(key, " · ") }

// TakeBack ends an entry of a sieve's crosswalk. What it was stays to be seen.
func (v *Service) TakeBack(ctx context.Context, name string, id uint) (*view.Crosswalk, error) {
	row, _, err := v.store.Sieve(ctx, name)
	if err != nil {
		return nil, v.sieveProblem(ctx, err, name)
	}
	if _, err := v.store.EndAcceptance(ctx, row.ID, id); err != nil {
		return nil, problem(err, fmt.Sprintf("entry %d that holds in the crosswalk of %q", id, name))
	}
	return v.Crosswalk(ctx, name)
}
