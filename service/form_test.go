package service

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/exact"
	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/handover"
	"twinsieve/store"
)

// TestFormed forms exceptions with odd texts, some at a time with the same former, and holds each against what it is by itself: its texts in lower case, what is kept of it, and what it adds.
func TestFormed(t *testing.T) {
	columns := []string{"call", "code", "amount", "in"}
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}, {Columns: sieve.Columns{Left: "code"}}},
		Amounts: []sieve.Amount{{Columns: sieve.Columns{Left: "amount"}}}, Currency: &sieve.Currency{Columns: sieve.Columns{Left: "in"}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(8, 8))
	text := func() string {
		return []string{"", "A", "ÅSA", "MW-04417", "İ", "no \xff\xfe UTF-8 \xc3", "\xc3", "Straße", "ⱮǅꙀ", "PILOT"}[r.IntN(10)]
	}
	f, formers := &following{}, []*former{}
	for range 2 {
		formers = append(formers, newFormer(f, plan))
	}
	two, odd := 0, 0
	for range 300 {
		list := make([]exception.Entry, r.IntN(8))
		place := len(f.changes)
		for i := range list {
			e := exception.Entry{Tray: tray.Differing}
			for s := range e.Sides {
				cells := []record.Cell{{Text: text()}, {Text: text()}, {Text: []string{"", "7.50", "-3", "x"}[r.IntN(4)]}, {Text: []string{"", "crowns", "florins"}[r.IntN(3)]}, {Text: text(), Null: true}}
				e.Sides[s] = &exception.Record{Number: r.Uint32(), Cells: cells}
			}
			if r.IntN(2) == 0 {
				e.Tray, e.Sides[1] = tray.Missing, nil
			}
			f.of, f.changes = append(f.of, -1), append(f.changes, again.New)
			list[i] = e
		}
		rows := make([]store.Found, len(list))
		if err := formers[r.IntN(2)].form(place, list, rows); err != nil {
			t.Fatal(err)
		}
		for i := range list {
			e, got := &list[i], &rows[i].Entry
			var cells []string
			moves, unread, read := map[string]float64{}, false, false
			for s, side := range e.Sides {
				if side == nil {
					continue
				}
				for n, c := range side.Cells {
					if n < len(columns) || c.Text != "" {
						cells = append(cells, c.Text)
					}
				}
				amount, sign := side.Cells[2].Text, []float64{-1, 1}[s]
				if unread = unread || amount == "x"; amount != "x" {
					moves[side.Cells[3].Text] += map[string]float64{"7.50": 7.5, "-3": -3}[amount] * sign
					read = read || amount != ""
				}
			}
			key := e.Sides[0].Cells[0].Text + " " + e.Sides[0].Cells[1].Text
			if want := strings.ToLower(key); got.KeyText != want {
				t.Errorf("the key of %q is %q, want %q", key, got.KeyText, want)
			}
			want := strings.ToLower(strings.Join(cells, "\x1f"))
			if got.Search != want || searchText(e) != want {
				t.Errorf("%q is searched as %q and %q, want %q", cells, got.Search, searchText(e), want)
			}
			if want != strings.Join(cells, "\x1f") {
				odd++
			}
			kept, err := readSeen(rows[i].Body)
			was := seen{Entry: *e}
			if was.Number, was.Said = 0, handover.Reason(plan, e); err != nil || !reflect.DeepEqual(*kept, was) {
				t.Errorf("%+v is kept as %+v, %v", was, kept, err)
			}
			if !read && unread {
				moves = nil
			}
			amount, size := "", []byte{}
			for _, m := range moves {
				if len(moves) == 1 {
					amount = fmt.Sprint(m + 0) // no negative zero
					size = exact.AppendOrdered(nil, []byte(strings.TrimPrefix(amount, "-")))
				}
			}
			if len(moves) == 2 {
				two++
			}
			if got.Amount != amount || !bytes.Equal(got.Size, size) {
				t.Errorf("%q adds %q, as bytes %x, want %q, %x", cells, got.Amount, got.Size, amount, size)
			}
			var currencies []string
			for _, name := range []string{"crowns", "florins"} {
				if _, is := moves[name]; is {
					currencies = append(currencies, name)
				}
			}
			if want := strings.Join(currencies, ", "); got.Currency != want {
				t.Errorf("%q is in %q, want %q", cells, got.Currency, want)
			}
		}
	}
	if two < 50 || odd < 200 {
		t.Errorf("%d of two currencies, %d not in lower case", two, odd)
	}
}
