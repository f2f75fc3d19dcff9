package tray_test

import (
	"encoding/json"
	"strings"
	"testing"

	"twinsieve/core/tray"
)

// TestThereAndBack: every tray is found by its name, on its own and within a document.
func TestThereAndBack(t *testing.T) {
	for _, at := range append(tray.All[:], tray.Reject) {
		if got, err := tray.ParseException(at.String()); err != nil || got != at {
			t.Errorf("%s is found as %s, %v", at, got, err)
		}
		text, err := json.Marshal(map[string]tray.Tray{"tray": at})
		var back map[string]tray.Tray
		if err == nil {
			err = json.Unmarshal(text, &back)
		}
		if err != nil || back["tray"] != at {
			t.Errorf("%s comes back as %s, %v", text, back["tray"], err)
		}
	}
	if text := tray.Tray(99).String(); text != "tray(99)" {
		t.Errorf("no tray is called %s", text)
	}
}

// TestRejectIsNoTray: no record lies there, so who asks for a tray of records is refused, and told what there is.
func TestRejectIsNoTray(t *testing.T) {
	for _, name := range []string{"reject", "", "Matched", "lost"} {
		if at, err := tray.Parse(name); err == nil || !strings.Contains(err.Error(), "the trays are [matched differing") {
			t.Errorf("%q is the tray %s, %v", name, at, err)
		}
	}
	if _, err := tray.ParseException("lost"); err == nil || !strings.Contains(err.Error(), "a line that is no record is a reject") {
		t.Errorf("an exception that is none: %v", err)
	}
	for _, at := range tray.All {
		if at == tray.Reject {
			t.Error("rejects are among the trays")
		}
	}
}

// TestKinds: on which sides each tray is, and what its records are.
func TestKinds(t *testing.T) {
	type kind struct{ left, right, paired, lonely, exception bool }
	for at, want := range map[tray.Tray]kind{
		tray.Matched: {true, true, true, false, false}, tray.Differing: {true, true, true, false, true}, tray.Missing: {true, false, false, true, true},
		tray.Orphaned: {false, true, false, true, true}, tray.Surplus: {true, true, false, false, true}, tray.Unkeyed: {true, true, false, true, true},
		tray.Excluded: {true, true, false, false, false}, tray.Reject: {true, true, false, false, true},
	} {
		if got := (kind{at.On(tray.Left), at.On(tray.Right), at.Paired(), at.Lonely(), at.Exception()}); got != want {
			t.Errorf("%s is %+v, want %+v", at, got, want)
		}
	}
	if tray.Left.Other() != tray.Right || tray.Right.Other().String() != "left" {
		t.Error("the sides do not face each other")
	}
}
