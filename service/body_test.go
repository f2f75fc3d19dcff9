package service

import (
	"encoding/json"
	"reflect"
	"testing"

	"twinsieve/core/tray"
	"twinsieve/service/view"
)

// TestBody: what people see of an exception is read as it was written, whatever stands in its cells; and what was kept before, as JSON, is read as well.
func TestBody(t *testing.T) {
	text := func(s string) *string { return &s }
	cells := []*string{text(""), nil, text("MW-04417"), text(`say "<b>&</b>" \ back`), text("tab\there\nand there\r\x00\x1f\x7f"), text("Zoë Ødegård \u2028\u2029 船 🚢"), text("9007199254740993")}
	odd := append([]*string{text("no \xff\xfe UTF-8 \xc3")}, cells...)
	entries := func(cells []*string) []view.Entry {
		return []view.Entry{
			{},
			{Tray: tray.Missing, Side: "left", Key: []string{"MW-1", "", "a\"b"}, Reason: "no right record has this key", Left: &view.Record{Number: 1, Line: 2, Cells: cells, Markers: []int{0, 1}},
				Steps: []string{"record 1 of <left>", "call is \"x\""}},
			{Tray: tray.Differing, Side: "both", Key: []string{}, Left: &view.Record{Cells: cells}, Right: &view.Record{Number: 1 << 40, Line: 1 << 33, Run: 7, Cells: cells}, Joined: true,
				Fields:   []view.Outcome{{Left: 1, Right: 2, Agrees: true}, {Difference: "-0.05", Totals: &[2]string{"1.50", "1.45"}}},
				Group:    &view.Group{Records: [2]int64{2, 3}, Listed: [2][]view.Record{{{Cells: cells}, {}}, {}}},
				Accepted: &view.Acceptance{ID: 9, Score: 0.25}},
			{Side: "right", Reject: &view.Reject{Line: 4, Reason: "one cell", Text: *cells[4]}},
		}
	}
	for i, e := range entries(odd) {
		body, err := writeBody(&e)
		if err != nil {
			t.Fatal(err)
		}
		var read view.Entry
		if err := readBody(body, &read); err != nil || !reflect.DeepEqual(read, e) {
			t.Errorf("entry %d is read as %+v, not as %+v; %v", i, read, e, err)
		}
	}
	for i, e := range entries(cells) {
		body, err := json.Marshal(e)
		if err != nil {
			t.Fatal(err)
		}
		var read view.Entry
		if err := readBody(string(body), &read); err != nil || !reflect.DeepEqual(read, e) {
			t.Errorf("as JSON, entry %d is read as %+v, not as %+v; %v", i, read, e, err)
		}
	}
	whole, err := writeBody(&entries(odd)[2])
	if err != nil {
		t.Fatal(err)
	}
	var e view.Entry
	for _, damaged := range []string{"", "{", `{"tray":"nowhere"}`, `{"key":[1]}`, "\xa1\x64tray\x67nowhere", "\xa1\x63key\x81\x01", whole[:len(whole)-1], whole + whole} {
		if err := readBody(damaged, &e); err == nil {
			t.Errorf("%q is read as %+v", damaged, e)
		}
	}
}
