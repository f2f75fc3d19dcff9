package service

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
	"twinsieve/store"
)

var oddTexts = []string{"no \xff\xfe UTF-8 \xc3", "MW-04417", "", `say "<b>&</b>" \ back`, "tab\there\nand there\r\x00\x1f\x7f", "Zoë Ødegård \u2028\u2029 船 🚢", "9007199254740993"}

// TestBody: an exception is read as it was written, whatever stands in its cells.
func TestBody(t *testing.T) {
	var cells []record.Cell
	for _, text := range oddTexts {
		cells = append(cells, record.Cell{Text: text}, record.Cell{Text: text, Null: true})
	}
	rec := func(n uint32) *exception.Record {
		return &exception.Record{Number: n, Origin: record.Origin{Line: 1 << 33, Run: int64(n % 2)}, Cells: cells}
	}
	var written keeper
	for i, e := range []exception.Entry{
		{Tray: tray.Missing, Sides: [2]*exception.Record{rec(0), nil}},
		{Tray: tray.Orphaned, Side: tray.Right, Sides: [2]*exception.Record{nil, rec(1<<32 - 1)}},
		{Tray: tray.Differing, Sides: [2]*exception.Record{rec(1), {Cells: []record.Cell{}}}, Joined: true, Hand: 9,
			Fields: []exception.Field{{Agrees: true}, {Difference: "-0.05", Totals: [2]string{"1.50", "1.45"}}, {Totals: [2]string{"", "3"}}},
			Group:  &exception.Group{Count: [2]int64{2, 300}, Records: [2][]exception.Record{{*rec(4), *rec(5)}, nil}}},
	} {
		begin := written.text.Len() // behind those before it
		if err := written.add(&e, oddTexts[i]); err != nil {
			t.Fatal(err)
		}
		text := written.text.String()[begin:]
		want := seen{Entry: e}
		want.Said = oddTexts[i]
		if got, err := readSeen(text); err != nil || !reflect.DeepEqual(*got, want) {
			t.Errorf("exception %d is read as %+v, not as %+v; %v", i, got, want, err)
		}
		for n := range len(text) {
			if got, err := readSeen(text[:n]); err == nil {
				t.Errorf("%q, of which the end is missing, is read as %+v", text[:n], got)
			}
		}
	}
	line := view.Reject{Line: 4, Reason: "one cell", Text: oddTexts[0]}
	text, err := rejectBody(tray.Right, line)
	if err != nil {
		t.Fatal(err)
	}
	if got, err := readSeen(text); err != nil || got.Side != tray.Right || got.Tray != tray.Reject || *got.reject != line {
		t.Errorf("%+v is read as %+v, %v", line, got, err)
	}
	for _, damaged := range []string{"\x8a\x01", "\x8a\x01\x00\x60\x82\xf6", text + text} {
		if got, err := readSeen(damaged); err == nil {
			t.Errorf("%q is read as %+v", damaged, got)
		}
	}
}

// TestBodyOfBefore: what people saw of an exception was kept as they saw it, as CBOR and before that as JSON. It is read as it was written.
func TestBodyOfBefore(t *testing.T) {
	var cells []*string
	for i := range oddTexts {
		cells = append(cells, &oddTexts[i], nil)
	}
	entries := func(cells []*string) []view.Entry {
		return []view.Entry{
			{},
			{Tray: tray.Missing, Side: "left", Key: []string{"MW-1", "", "a\"b"}, Reason: "no right record has this key", Left: &view.Record{Number: 1, Line: 2, Cells: cells, Markers: []int{0, 6}},
				Steps: []string{"record 1 of <left>", "call is \"x\""}},
			{Tray: tray.Differing, Side: "both", Key: []string{}, Left: &view.Record{Number: 2, Cells: cells}, Right: &view.Record{Number: 1 << 30, Line: 1 << 33, Run: 7, Cells: cells}, Joined: true,
				Fields:   []view.Outcome{{Left: 1, Right: 2, Agrees: true}, {Difference: "-0.05", Totals: &[2]string{"1.50", "1.45"}}},
				Group:    &view.Group{Records: [2]int64{2, 3}, Listed: [2][]view.Record{{{Number: 5, Cells: cells}, {}}, {}}},
				Accepted: &view.Acceptance{ID: 9, Score: 0.25}},
			{Tray: tray.Reject, Side: "right", Reject: &view.Reject{Line: 4, Reason: "one cell", Text: oddTexts[4]}},
		}
	}
	before := must(cbor.EncOptions{Time: cbor.TimeRFC3339Nano, TextMarshaler: cbor.TextMarshalerTextString}.EncMode())
	read := func(i int, body string, want view.Entry) {
		t.Helper()
		var shown view.Entry
		if err := new(Service).readBody(t.Context(), 1, body, &shown); err != nil || !reflect.DeepEqual(shown, want) {
			t.Errorf("entry %d is read as %+v, not as %+v; %v", i, shown, want, err)
		}
		was, err := readSeen(body)
		if err != nil || was.Tray != want.Tray || was.Side != sideOf(&want) || (was.reject == nil) != (want.Reject == nil) || (was.Sides[0] == nil) != (want.Left == nil) {
			t.Fatalf("entry %d was seen as %+v, not as %+v; %v", i, was, want, err)
		}
		if r := was.Sides[0]; r != nil {
			if again := recordOf(int64(r.Number), r.Origin, r.Cells); !reflect.DeepEqual(again, *want.Left) {
				t.Errorf("its record is %+v, not %+v", again, *want.Left)
			}
		}
	}
	for i, e := range entries(cells) {
		body, err := before.Marshal(e)
		if err != nil {
			t.Fatal(err)
		}
		read(i, string(body), e)
		for _, damaged := range []string{string(body[:len(body)-1]), string(body) + string(body)} {
			if was, err := readSeen(damaged); err == nil {
				t.Errorf("%q is read as %+v", damaged, was)
			}
		}
	}
	for i, e := range entries(cells[2:]) { // in JSON all is UTF-8
		body, err := json.Marshal(e)
		if err != nil {
			t.Fatal(err)
		}
		read(i, string(body), e)
	}
	for _, damaged := range []string{"", "{", `{"tray":"nowhere"}`, `{"key":[1]}`, "\xa1\x64tray\x67nowhere", "\xa1\x63key\x81\x01"} {
		if was, err := readSeen(damaged); err == nil {
			t.Errorf("%q is read as %+v", damaged, was)
		}
	}
}

// TestShownAsFound: how people see an exception is made from what is kept of it. It is what they would see of what the run itself has found, of every tray, and goes on to be when the sieve
// compares something else in later runs that show what this one has found.
func TestShownAsFound(t *testing.T) {
	p := newPort(t)
	ctx := t.Context()
	p.comes("log", "call,berth,amount\nMW-1,A1,1\nMW-2,A2,2\nMW-3,A3,3\n,A4,4\nMW-5,A5,x\nMW-6,A6,6\nMW-6,A6,6\nno record\nMW-8,A8,\n")
	p.comes("bills", "call,berth,amount\nmw-1,A1,1.00\nMW-2,B2,2.5\nMW-4,A4,4\n?,A4,4\nMW-5,A5,5\nMW-6,A6,6\nMW-8,A8,8\none,cell,too,many\n")
	key := []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}, Readings: []reading.Reading{{Name: "ignore-case"}}}}
	d := sieve.Definition{Name: "berths", Left: "log", Right: "bills", Key: key, Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}, {Columns: sieve.Columns{Left: "berth"}}}}
	if _, err := p.CreateSieve(ctx, d); err != nil {
		t.Fatal(err)
	}
	head := p.ran("berths")
	shown := func(run uint) (list []view.Entry) {
		t.Helper()
		page, err := p.Entries(ctx, run, Query{Change: []again.Change{again.New, again.StillOpen, again.Changed, again.Returned, again.Cleared, again.Absent}, Limit: 100})
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range page.Entries {
			one, err := p.Entry(ctx, run, e.ID)
			if err != nil || !reflect.DeepEqual(one.Steps, e.Steps) {
				t.Fatalf("alone, %+v is %+v, %v", e, one, err)
			}
			e.ID, e.Status, e.Work = "", "", nil
			list = append(list, e)
		}
		return list
	}
	r, err := p.report(ctx, head.ID)
	if err != nil {
		t.Fatal(err)
	}
	if err := p.open(ctx, r); err != nil {
		t.Fatal(err)
	}
	all := tray.All // not the list itself
	trays := slices.DeleteFunc(all[:], func(t tray.Tray) bool { return !t.Exception() })
	found, err := exception.Read(ctx, r.plan, r.index, r.tables, exception.Places(r.index, trays...))
	if err != nil {
		t.Fatal(err)
	}
	var want []view.Entry
	kinds := map[tray.Tray]bool{}
	for i := range found {
		want = append(want, entryOf(r.plan, &found[i]))
		kinds[found[i].Tray] = true
	}
	got := shown(head.ID)
	if len(got) != len(want)+2 || !reflect.DeepEqual(got[:len(want)], want) || len(kinds) != 5 {
		t.Fatalf("of %v people see\n%+v\nnot\n%+v", kinds, got, want)
	}
	for s, e := range got[len(want):] {
		set := []string{"log", "bills"}[s]
		if e.Reject == nil || e.Reject.Line != 9 || len(e.Steps) != 1 || !strings.HasPrefix(e.Steps[0], "line 9 of the source of "+set+" is no record: ") {
			t.Errorf("a line of %s that is no record is %+v", set, e)
		}
	}
	p.comes("log", "call,place,amount\nMW-9,A9,9\n")
	p.comes("bills", "call,place,amount\nMW-9,A9,9\n")
	row, _, err := p.store.Sieve(ctx, "berths")
	if err != nil {
		t.Fatal(err)
	}
	d.Key, d.Compare = []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}, nil
	if _, err := p.UpdateSieve(ctx, "berths", row.Version, d); err != nil {
		t.Fatal(err)
	}
	later := shown(p.ran("berths").ID) // absent, all of them
	if len(later) != len(got) {
		t.Fatalf("%d exceptions, then %d", len(got), len(later))
	}
	for i := range later {
		if at := slices.IndexFunc(got, func(e view.Entry) bool { return reflect.DeepEqual(e, later[i]) }); at < 0 {
			t.Errorf("a later run shows %+v, which this one has not", later[i])
		}
	}
	overview, err := p.Overview(store.As(ctx, store.Actor{ID: 1, Name: "ines"}), OverviewQuery{Limit: 100})
	if err != nil || len(overview.Exceptions) != len(got) {
		t.Fatalf("All exceptions are %+v, %v", overview, err)
	}
	for _, x := range overview.Exceptions {
		if at := slices.IndexFunc(got, func(e view.Entry) bool {
			return reflect.DeepEqual(e.Steps, x.Entry.Steps) && reflect.DeepEqual(e.Left, x.Entry.Left)
		}); at < 0 {
			t.Errorf("All exceptions shows %+v, which the run has not", x)
		}
	}
}
