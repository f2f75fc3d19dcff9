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
)

// TestSingle holds the short way for a record that is alone on its side against the way for all.
func TestSingle(t *testing.T) {
	fields := []sieve.PlanField{
		{Value: 0, Rule: agree.Rule{Kind: agree.Decimal}}, {Value: 1, Rule: agree.Rule{Kind: agree.Date}}, {Value: 2}, {Value: 3, Rule: agree.Rule{Kind: agree.Boolean}},
	}
	if err := fields[0].Rule.Tolerate("1"); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(6, 6))
	texts := [4][]string{{"1", "2", "2.5", "9", "-3", ""}, {"2031-03-01", "2031-03-02", "2031-04-01", ""}, {"a", "b", ""}, {"yes", "no", ""}}
	some := func(row int) Record {
		one := Record{Row: uint32(row), Keys: []string{[]string{"k", "K"}[r.IntN(2)]}}
		for _, list := range texts {
			text := list[r.IntN(len(list))]
			v := reading.Value{Text: []byte(text)}
			switch {
			case text == "":
				v.State = reading.Blank
			case r.IntN(12) == 0:
				v = reading.Value{State: reading.Unreadable}
			}
			one.Values = append(one.Values, v)
			one.Cells = append(one.Cells, record.Cell{Text: text})
		}
		return one
	}
	others := 0
	for n := range 3000 {
		sides := [2][]Record{{some(0)}, {}}
		for row := range 2 + r.IntN(5) {
			sides[1] = append(sides[1], some(row))
		}
		if n%2 == 1 {
			sides[0], sides[1] = sides[1], sides[0]
		}
		for s := range sides {
			slices.SortFunc(sides[s], func(a, b Record) int { return Compare(fields, &a, &b) })
		}
		got, want := pairSingle(fields, sides[0], sides[1]), pairBest(fields, sides[0], sides[1])
		if !slices.Equal(got, want) {
			t.Fatalf("case %d: %v, want %v\n%s", n, got, want, fmt.Sprint(sides))
		}
		if got[0] != 0 {
			others++
		}
	}
	if others < 500 {
		t.Errorf("only %d were not of the first", others)
	}
}
