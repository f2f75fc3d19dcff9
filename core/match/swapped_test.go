package match_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"twinsieve/core/match"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestSwapped holds a swapped index against the match of the swapped definition over the swapped sides: the same trays and the same pairs,
// also where what speaks for several pairings is the same.
func TestSwapped(t *testing.T) {
	r := rand.New(rand.NewPCG(22, 4))
	crowded := 0
	for n := range 20_000 {
		c := randomCase(r)
		if n%2 == 0 { // few values, so that pairings tie
			for s := range 2 {
				for _, row := range c.rows[s] {
					row[0], row[1], row[2] = []string{"x", "X", "x "}[r.IntN(3)], "p", []string{"14.67", "14.72", "15.72"}[r.IntN(3)]
				}
			}
		}
		plan, tables := c.inputs(t, 4)
		index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{Workers: 1})
		if err != nil {
			t.Fatal(err)
		}
		turned, err := c.definition(t).Swapped().Compile(plan.Columns[1], plan.Columns[0])
		if err != nil {
			t.Fatal(err)
		}
		turned.Where[0], turned.Where[1] = plan.Where[1], plan.Where[0]
		for _, k := range plan.Crosswalk.Keys {
			turned.Crosswalk.Keys = append(turned.Crosswalk.Keys, sieve.KeysEqual{Left: k.Right, Right: k.Left})
		}
		want, err := match.Build(context.Background(), turned, tables[1], tables[0], match.Options{Workers: 1})
		if err != nil {
			t.Fatal(err)
		}
		got := index.Swapped()
		for _, s := range tray.Sides {
			if !slices.Equal(got.Sides[s].Trays, want.Sides[s].Trays) || !slices.Equal(got.Sides[s].Partners, want.Sides[s].Partners) {
				t.Fatalf("the %s side, swapped:\n%v %v\nand of the swapped definition\n%v %v\n%s", s, got.Sides[s].Trays, got.Sides[s].Partners, want.Sides[s].Trays, want.Sides[s].Partners, fmt.Sprintf("%+v", c))
			}
		}
		if got.Totals.Pairs != want.Totals.Pairs || got.Totals.Trays != want.Totals.Trays {
			t.Fatalf("%+v, want %+v", got.Totals, want.Totals)
		}
		if index.Totals.Most[0] > 1 && index.Totals.Most[1] > 1 {
			crowded++
		}
	}
	if crowded < 5000 {
		t.Errorf("only %d cases have a key that repeats on both sides", crowded)
	}
}
