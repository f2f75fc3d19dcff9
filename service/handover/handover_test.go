package handover_test

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/exception"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/handover"
)

func plan(t *testing.T, left, right []string, d sieve.Definition) *sieve.Plan {
	t.Helper()
	if d.Left == "" {
		d.Left, d.Right = "log", "bills"
	}
	p, err := d.Compile(left, right)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func key(left, right string) []sieve.KeyPart {
	return []sieve.KeyPart{{Columns: sieve.Columns{Left: left, Right: right}}}
}

func entry(plan *sieve.Plan, at tray.Tray, side tray.Side, left, right []string) *exception.Entry {
	e := &exception.Entry{Tray: at, Side: side}
	for s, cells := range [2][]string{left, right} {
		if cells == nil {
			continue
		}
		r := &exception.Record{Number: 6, Origin: record.Origin{Line: 8}}
		for _, c := range cells {
			r.Cells = append(r.Cells, record.Cell{Text: c})
		}
		e.Sides[s] = r
	}
	exception.Judge(plan, e)
	return e
}

// TestColumns: names that clash get the record set's name in front, and no two columns are named alike.
func TestColumns(t *testing.T) {
	p := plan(t, []string{"call", "amount", "tray"}, []string{"Call", "amount", "reason"}, sieve.Definition{Key: key("call", "Call"),
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}, {Columns: sieve.Columns{Left: "tray", Right: "reason"}}}})
	want := []string{"tray", "reason", "left line", "right line", "difference in amount", "call", "log.amount", "log.tray", "Call", "bills.amount", "bills.reason"}
	if got := handover.NewLayout(p).Columns(); !slices.Equal(got, want) {
		t.Errorf("columns %q, want %q", got, want)
	}
	itself := plan(t, []string{"call"}, []string{"call"}, sieve.Definition{Left: "log", Right: "log", Key: key("call", "")})
	if got := handover.NewLayout(itself).Columns(); !slices.Equal(got[4:], []string{"left.call", "right.call"}) {
		t.Errorf("a set against itself: %q", got)
	}
}

// TestRowsAndReasons writes an entry of every kind down.
func TestRowsAndReasons(t *testing.T) {
	p := plan(t, []string{"call", "amount"}, []string{"Amount", "Call"}, sieve.Definition{Key: key("call", "Call"),
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount", Right: "Amount"}, As: "decimal", Within: "1"}}})
	for _, c := range []struct {
		e    *exception.Entry
		want string // the row, joined by |
	}{
		{entry(p, tray.Matched, tray.Left, []string{"A", "5"}, []string{"6", "A"}), "matched|every compared field agrees|8|8|1|A|5|6|A"},
		{entry(p, tray.Differing, tray.Left, []string{"A", "5"}, []string{"3.5", "A"}), "differing|amount = Amount differs by -1.5|8|8|-1.5|A|5|3.5|A"},
		{entry(p, tray.Differing, tray.Left, []string{"A", ""}, []string{"3.5", "A"}), "differing|amount is blank|8|8||A||3.5|A"},
		{entry(p, tray.Differing, tray.Left, []string{"A", "1"}, []string{"n/a", "A"}), "differing|Amount cannot be read as stated|8|8||A|1|n/a|A"},
		{entry(p, tray.Missing, tray.Left, []string{"A", "5"}, nil), "missing|no bills record has this key|8|||A|5||"},
		{entry(p, tray.Orphaned, tray.Right, nil, []string{"5", "A"}), "orphaned|no log record has this key||8||||5|A"},
		{entry(p, tray.Surplus, tray.Right, nil, []string{"5", "A"}), "surplus|bills has more records of this key than log||8||||5|A"},
		{entry(p, tray.Unkeyed, tray.Left, []string{"", "5"}, nil), "unkeyed|call is blank|8||||5||"},
		{entry(p, tray.Excluded, tray.Left, []string{"A", "5"}, nil), "excluded|left out by the filter|8|||A|5||"},
	} {
		if got := strings.Join(handover.NewLayout(p).Row(c.e, nil), "|"); got != c.want {
			t.Errorf("%s: %s, want %s", c.e.Tray, got, c.want)
		}
	}
	keyOnly := plan(t, []string{"call"}, []string{"call"}, sieve.Definition{Key: key("call", "")})
	if got := handover.Reason(keyOnly, entry(keyOnly, tray.Matched, tray.Left, []string{"A"}, []string{"A"})); got != "the keys are equal" {
		t.Errorf("matched on the key only: %q", got)
	}
}

// TestSteps tells how entries of each kind came to be where they are, in whichever way their keys are read.
func TestSteps(t *testing.T) {
	p := plan(t, []string{"call", "day"}, []string{"Day", "Call"}, sieve.Definition{Key: []sieve.KeyPart{
		{Columns: sieve.Columns{Left: "call", Right: "Call"}, Readings: []reading.Reading{{Name: "digits-only"}}},
		{Columns: sieve.Columns{Left: "day", Right: "Day"}, Readings: []reading.Reading{{Name: "date", Argument: "YYYY-MM-DD or DD.MM.YYYY"}}}}})
	carried := entry(p, tray.Missing, tray.Left, []string{"4417", "2031-03-02"}, nil)
	carried.Sides[tray.Left].Origin = record.Origin{Run: 3}
	unknown := entry(p, tray.Missing, tray.Left, []string{"4417", "2031-03-02"}, nil)
	unknown.Sides[tray.Left].Origin = record.Origin{} // a database has no lines
	for _, c := range []struct {
		e    *exception.Entry
		want []string
	}{
		{entry(p, tray.Unkeyed, tray.Right, nil, []string{"", "MW-1"}),
			[]string{"record 7 of bills, on line 8 of its source", `Call "MW-1" is read as "1"`, "Day is blank"}},
		{entry(p, tray.Unkeyed, tray.Left, []string{"MW", "2 March"}, nil),
			[]string{"record 7 of log, on line 8 of its source", `call "MW" is blank after its readings`, `day "2 March" cannot be read as stated`}},
		{entry(p, tray.Matched, tray.Left, []string{`a "7" é`, "2031-03-02"}, []string{"02.03.2031", "7"}),
			[]string{"record 7 of log, on line 8 of its source; record 7 of bills, on line 8 of its source", `call "a \"7\" é" is read as "7"; Call is "7"`,
				`day is "2031-03-02"; Day "02.03.2031" is read as "2031-03-02"`}},
		{carried, []string{"a record of log that is carried from run 3", `call is "4417"`, `day is "2031-03-02"`}},
		{unknown, []string{"record 7 of log", `call is "4417"`, `day is "2031-03-02"`}},
	} {
		if got := handover.Steps(p, c.e, "so it is"); !slices.Equal(got, append(c.want, "so it is")) {
			t.Errorf("steps %q, want %q", got, c.want)
		}
	}
}

// TestWriteFile writes whole files or none: what was there before stays when writing fails.
func TestWriteFile(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "out.csv")
	put := func(text string, fail error) error {
		return handover.WriteFile(name, func(w io.Writer) error {
			_, err := io.WriteString(w, text)
			return errors.Join(err, fail)
		})
	}
	read := func() string {
		text, err := os.ReadFile(name)
		if err != nil {
			t.Error(err)
		}
		return string(text)
	}
	if err := put("first", nil); err != nil || read() != "first" {
		t.Errorf("%v, %q", err, read())
	}
	if err := put("sec", io.ErrUnexpectedEOF); !errors.Is(err, io.ErrUnexpectedEOF) || read() != "first" {
		t.Errorf("after a failure: %v, %q", err, read())
	}
	if err := put("third", nil); err != nil || read() != "third" {
		t.Errorf("%v, %q", err, read())
	}
	if left, err := os.ReadDir(dir); err != nil || len(left) != 1 {
		t.Errorf("left: %v %v", left, err)
	}
	if err := handover.WriteFile(filepath.Join(dir, "none", "x"), nil); err == nil || !strings.Contains(err.Error(), "name a file in a folder that can be written") {
		t.Errorf("into no folder: %v", err)
	}
}
