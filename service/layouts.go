package service

import (
	"bytes"
	"context"
	"encoding/json"
	"slices"
	"strings"

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
			if grouped, err = hasGrouped(ctx, v.store.Table(snapshots[s]), at); err != nil {
				failed = err
			}
		}
		return sieve.Layout(t, grouped)
	})
	return d, failed
}

// hasGrouped reports whether a column of numbers has one with marks between its thousands.
func hasGrouped(ctx context.Context, t record.Table, column int) (bool, error) {
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
