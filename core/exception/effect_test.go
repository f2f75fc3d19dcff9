package exception_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/shopspring/decimal"

	"twinsieve/core/balance"
	"twinsieve/core/exact"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestEffectsAddUp adds up the effects of all entries of random matches: tray by tray they are the steps of the balance.
func TestEffectsAddUp(t *testing.T) {
	for _, repeats := range []string{"", "totals"} {
		for seed := range uint64(300) {
			r := rand.New(rand.NewPCG(seed, 1))
			d := sieve.Definition{Left: "log", Right: "bills", Repeats: repeats, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
				Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "1"}}}
			columns := []string{"call", "amount"}
			plan, err := d.Compile(columns, columns)
			if err != nil {
				t.Fatal(err)
			}
			var tables [2]record.Table
			for s := range tables {
				var rows [][]string
				for range r.IntN(12) {
					rows = append(rows, []string{[]string{"", "A", "B", "C", "D"}[r.IntN(5)], []string{"", "?", "1", "2.5", "-3", fmt.Sprint(r.IntN(100))}[r.IntN(6)]})
				}
				tables[s] = recordtest.Table(t, columns, rows)
			}
			index, err := match.Build(t.Context(), plan, tables[0], tables[1], match.Options{Workers: 1})
			if err != nil {
				t.Fatal(err)
			}
			entries, err := exception.Read(t.Context(), plan, index, tables, exception.Places(index, tray.All[:]...))
			if err != nil {
				t.Fatal(err)
			}
			sums := map[tray.Tray]decimal.Decimal{}
			for i := range entries {
				if effect, ok := exception.Effect(plan, &entries[i], 0); ok {
					sums[entries[i].Tray] = sums[entries[i].Tray].Add(effect)
				}
			}
			want := map[tray.Tray]decimal.Decimal{}
			for _, step := range balance.Of(plan, index).Amounts[0].Steps {
				want[step.Tray] = want[step.Tray].Add(exact.Decimal([]byte(step.Change)))
			}
			for _, at := range tray.All {
				if !sums[at].Equal(want[at]) {
					t.Errorf("repeats %q, seed %d: the effects of %s add up to %s, and the balance says %s", repeats, seed, at, sums[at], want[at])
				}
			}
		}
	}
}
