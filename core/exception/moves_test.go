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

// TestMovesAddUp adds up the moves of all entries of random matches: tray by tray and currency by currency they are the steps of the
// balance.
func TestMovesAddUp(t *testing.T) {
	for _, repeats := range []string{"", "totals"} {
		for seed := range uint64(300) {
			r := rand.New(rand.NewPCG(seed, 1))
			d := sieve.Definition{Left: "log", Right: "bills", Repeats: repeats, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
				Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "1"}}}
			if seed%2 == 0 {
				d.Currency = &sieve.Currency{Columns: sieve.Columns{Left: "in"}}
			}
			columns := []string{"call", "amount", "in"}
			plan, err := d.Compile(columns, columns)
			if err != nil {
				t.Fatal(err)
			}
			var tables [2]record.Table
			for s := range tables {
				var rows [][]string
				for range r.IntN(12) {
					rows = append(rows, []string{[]string{"", "A", "B", "C", "D"}[r.IntN(5)], []string{"", "?", "1", "2.5", "-3", fmt.Sprint(r.IntN(100))}[r.IntN(6)], []string{"", "crowns", "florins"}[r.IntN(3)]})
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
			type of struct {
				tray     tray.Tray
				currency string
			}
			sums, want := map[of]decimal.Decimal{}, map[of]decimal.Decimal{}
			mover := exception.NewMover(plan, 0)
			for i := range entries {
				for _, m := range mover.Moves(&entries[i]) {
					by := of{entries[i].Tray, m.Currency}
					sums[by] = sums[by].Add(m.Amount.Decimal())
				}
			}
			for _, a := range balance.Of(plan, index).Amounts {
				currency := ""
				if a.Currency != nil {
					currency = *a.Currency
				}
				for _, step := range a.Steps {
					by := of{step.Tray, currency}
					want[by] = want[by].Add(exact.Decimal([]byte(step.Change)))
				}
			}
			for by := range sums {
				want[by] = want[by].Add(decimal.Zero) // so that it is compared
			}
			for by := range want {
				if !sums[by].Equal(want[by]) {
					t.Errorf("repeats %q, seed %d: the moves of %v add up to %s, and the balance says %s", repeats, seed, by, sums[by], want[by])
				}
			}
		}
	}
}
