package view_test

import (
	"testing"

	"twinsieve/core/again"
	"twinsieve/service/view"
)

// TestCarriedFrom: an entry names each run once that records of it are carried from, of both sides and of all records of a group.
func TestCarriedFrom(t *testing.T) {
	rec := func(run int64) *view.Record { return &view.Record{Run: run} }
	for want, e := range map[string]view.Entry{
		"":        {Left: rec(0)},
		"3":       {Left: rec(3), Right: rec(0)},
		"2, 10":   {Left: rec(10), Right: rec(2)},
		"1":       {Left: rec(1), Right: rec(1)},
		"1, 2, 4": {Left: rec(4), Group: &view.Group{Listed: [2][]view.Record{{*rec(4), *rec(1)}, {*rec(0), *rec(2), *rec(2)}}}},
	} {
		if got := e.CarriedFrom(); got != want {
			t.Errorf("carried from %q, want %q", got, want)
		}
	}
	e := view.Entry{Left: rec(2), Work: &view.Work{Change: again.StillOpen}}
	if got := e.SaysChange(); got != "still open, carried from run 2" {
		t.Error(got)
	}
	if got := (&view.Entry{Work: &view.Work{Change: again.New}}).SaysChange(); got != "new" {
		t.Error(got)
	}
	if got := (&view.Entry{Left: rec(2)}).SaysChange(); got != "" {
		t.Errorf("a matched record has become %q", got)
	}
}
