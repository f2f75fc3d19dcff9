package service

import (
	"bytes"
	"context"
	"encoding/json"
	"slices"
	"strings"
	"sync"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
	"twinsieve/store"
)

// isSaved reports whether a definition is what is saved, from either side.
func isSaved(d sieve.Definition, saved string) bool {
	var before sieve.Definition
	if json.Unmarshal([]byte(saved), &before) != nil {
		return false
	}
	before.Name = d.Name
	want, _ := json.Marshal(before) // of plain values
	for _, d := range []sieve.Definition{d, d.Swapped()} {
		if text, _ := json.Marshal(d); bytes.Equal(text, want) {
			return true
		}
	}
	return false
}

// withLayouts returns a definition with the layouts of its amounts, and of the numbers and dates that it compares, as they were found in
// the snapshots.
func (v *Service) withLayouts(ctx context.Context, d sieve.Definition, snapshots [2]store.Snapshot) (sieve.Definition, error) {
	var failed error
	d = d.WithLayouts(func(s tray.Side, column string) (r reading.Reading, ok bool) {
		at := slices.Index(snapshots[s].Columns, column)
		if at < 0 {
			return r, false
		}
		t := typesOf(snapshots[s])[at]
		grouped := false
		if t == (typing.Type{Name: typing.Decimal, Form: typing.Point}) {
			var err error
			if grouped, err = v.hasGrouped(ctx, snapshots[s], at); err != nil {
				failed = err
			}
		}
		return sieve.Layout(t, grouped)
	})
	return d, failed
}

// groupings are the columns of which it is known whether their numbers have marks between thousands. Snapshots never change, and a
// definition that is not saved is planned for each page of its rows.
type groupings struct {
	mu    sync.Mutex
	known map[groupedColumn]bool
}

type groupedColumn struct {
	snapshot uint
	column   int
}

// groupingsKept is of how many columns it is kept at hand.
const groupingsKept = 10_000

// hasGrouped reports whether a snapshot's column of numbers has one with marks between its thousands.
func (v *Service) hasGrouped(ctx context.Context, snap store.Snapshot, column int) (bool, error) {
	v.groupings.mu.Lock()
	defer v.groupings.mu.Unlock()
	of := groupedColumn{snap.ID, column}
	grouped, known := v.groupings.known[of]
	if known {
		return grouped, nil
	}
	grouped, err := findGrouped(ctx, v.store.Table(snap), column)
	if err != nil {
		return false, err
	}
	if v.groupings.known == nil || len(v.groupings.known) == groupingsKept {
		v.groupings.known = map[groupedColumn]bool{}
	}
	v.groupings.known[of] = grouped
	return grouped, nil
}

func findGrouped(ctx context.Context, t record.Table, column int) (bool, error) {
	for i := range t.Starts() {
		col, err := record.ColumnOf(ctx, t, i, column)
		if err != nil {
			return false, err
		}
		for k := range col.Len() {
			if col.IsValid(k) && strings.ContainsAny(strings.TrimSpace(col.Value(k)), ",' \u00A0") {
				return true, nil
			}
		}
	}
	return false, nil
}
