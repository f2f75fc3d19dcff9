package service

import (
	"context"
	"errors"
	"slices"
	"strings"
	"unicode"

	"twinsieve/core/typing"
	"twinsieve/service/view"
	"twinsieve/store"
)

// Snapshots lists the snapshots of a record set, the newest first.
func (v *Service) Snapshots(ctx context.Context, name string) (*view.Snapshots, error) {
	set, _, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	rows, err := v.store.Snapshots(ctx, set.ID)
	if err != nil {
		return nil, err
	}
	list := &view.Snapshots{Snapshots: []view.Snapshot{}}
	for _, s := range rows {
		list.Snapshots = append(list.Snapshots, snapshotOf(s))
	}
	return list, nil
}

// Changes says what is different between a set's newest snapshot and the one before, and what that means for the sieves
// over the set.
func (v *Service) Changes(ctx context.Context, name string) (*view.Changes, error) {
	set, now, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	rows, err := v.store.Snapshots(ctx, set.ID)
	if err != nil {
		return nil, err
	}
	c := &view.Changes{To: now.Number, Records: [2]int64{0, now.Records}, Rejects: [2]int64{0, now.Rejects},
		New: []string{}, Gone: []string{}, Renamed: []view.Renamed{}, Retyped: []view.Retyped{}, Sieves: []view.SieveEffect{}}
	if len(rows) > 1 {
		compareSnapshots(c, rows[1], now)
	}
	list, err := v.Sieves(ctx)
	if err != nil {
		return nil, err
	}
	for _, s := range list.Sieves {
		if s.Definition.Left != name && s.Definition.Right != name {
			continue
		}
		effect := view.SieveEffect{Sieve: s.Definition.Name, Runs: true, Faults: []view.Fault{}}
		_, err := v.plan(ctx, s.Definition)
		if p := new(view.Problem); errors.As(err, &p) {
			effect.Runs, effect.Faults = false, append(effect.Faults, p.Faults...)
		} else if err != nil {
			return nil, err
		}
		c.Sieves = append(c.Sieves, effect)
	}
	return c, nil
}

func compareSnapshots(c *view.Changes, before, now store.Snapshot) {
	c.From, c.Same = before.Number, before.Hash == now.Hash
	c.Records[0], c.Rejects[0] = before.Records, before.Rejects
	types := [2][]typing.Type{findingsOf(before).Types, findingsOf(now).Types}
	for i, col := range now.Columns {
		at := slices.Index(before.Columns, col)
		if at < 0 {
			c.New = append(c.New, col)
			continue
		}
		if at < len(types[0]) && i < len(types[1]) && types[0][at] != types[1][i] {
			c.Retyped = append(c.Retyped, view.Retyped{Column: col, Before: types[0][at].String(), After: types[1][i].String()})
		}
	}
	for _, col := range before.Columns {
		if !slices.Contains(now.Columns, col) {
			c.Gone = append(c.Gone, col)
		}
	}
	// A column that is gone and one that is new are taken for one that was renamed where their names are alike, or where
	// they stand at the same place.
	for _, gone := range slices.Clone(c.Gone) {
		at := slices.IndexFunc(c.New, func(n string) bool { return bare(n) == bare(gone) })
		if at < 0 {
			at = slices.IndexFunc(c.New, func(n string) bool { return slices.Index(now.Columns, n) == slices.Index(before.Columns, gone) })
		}
		if at >= 0 {
			c.Renamed = append(c.Renamed, view.Renamed{Before: gone, After: c.New[at]})
			c.New = slices.Delete(c.New, at, at+1)
			c.Gone = slices.DeleteFunc(c.Gone, func(n string) bool { return n == gone })
		}
	}
}

// bare is a name without what people change in names: letter case, and everything but letters and digits.
func bare(name string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, name)
}
