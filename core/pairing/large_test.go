package pairing

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"twinsieve/core/agree"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestLarge holds the way piece by piece against the way in memory, for keys that are paired in order: records given in any order, in pieces of any
// size, with blanks of both kinds, nulls, unreadable values, texts with zero bytes, and records that are the same in every cell.
func TestLarge(t *testing.T) {
	fields := []sieve.PlanField{{Value: 1, Rule: agree.Rule{Kind: agree.Decimal}}, {Value: 0}}
	if err := fields[0].Rule.Tolerate("1"); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(8, 8))
	spilled, surplus := 0, 0
	for n := range 60 {
		amounts := 1 + r.IntN(2000)
		some := func(row int) Record {
			text := []string{"tug", "tu", "", "pilot\x00", "pilot\x00\x01", "pilot"}[r.IntN(6)]
			amount := fmt.Sprint(r.IntN(amounts))
			values := []reading.Value{{Text: []byte(text)}, {Text: []byte(amount)}, {Text: []byte("not compared")}}
			switch {
			case text == "":
				values[0].State = []reading.State{reading.Blank, reading.Emptied}[r.IntN(2)]
			case r.IntN(9) == 0:
				values[0] = reading.Value{State: reading.Unreadable}
			}
			return Record{Row: uint32(row), Values: values, Cells: []record.Cell{{Text: text}, {Text: amount, Null: r.IntN(5) == 0}, {Text: []string{"a", "ab", ""}[r.IntN(3)]}}}
		}
		var sides [2][]Record
		for s := range sides {
			for row := range 501 + r.IntN(400) {
				sides[s] = append(sides[s], some(row))
			}
		}
		large := NewLarge(fields, int64(r.IntN(2))*int64(r.IntN(200_000)), t.TempDir())
		for s := range sides {
			shuffled := slices.Clone(sides[s])
			r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
			for part := range slices.Chunk(shuffled, 1+r.IntN(len(shuffled))) {
				if err := large.Add(tray.Side(s), part); err != nil {
					t.Fatal(err)
				}
			}
		}
		describe := func(left, right *Record, matched bool) string {
			text := fmt.Sprint(matched)
			for _, one := range []*Record{left, right} {
				if one == nil {
					text += " none"
				} else {
					text += fmt.Sprintf(" %d %q", one.Row, fmt.Sprint(one.Values))
				}
			}
			return text
		}
		var got, want []string
		err := large.Pairs(t.Context(), func(left, right *Record, matched bool) { got = append(got, describe(left, right, matched)) })
		if err != nil {
			t.Fatal(err)
		}
		if large.Spilled() > 0 {
			spilled++
		}
		if err := large.Close(); err != nil {
			t.Fatal(err)
		}
		taken := [2]map[int]bool{{}, {}}
		for _, p := range Settle(fields, sides[0], sides[1]) {
			want = append(want, describe(&sides[0][p.Left], &sides[1][p.Right], p.Matched))
			taken[0][p.Left], taken[1][p.Right] = true, true
		}
		for i := range sides[0] {
			if !taken[0][i] {
				want = append(want, describe(&sides[0][i], nil, false))
			}
		}
		for i := range sides[1] {
			if !taken[1][i] {
				want = append(want, describe(nil, &sides[1][i], false))
			}
		}
		surplus += len(sides[0]) + len(sides[1]) - 2*len(taken[0])
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Fatalf("case %d: other pairs: %d, want %d", n, len(got), len(want))
		}
	}
	if spilled < 20 || surplus < 1000 {
		t.Errorf("%d cases were spilled, %d records are surplus", spilled, surplus)
	}
}
