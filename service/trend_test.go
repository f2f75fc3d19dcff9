package service

import (
	"context"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/exact"
	"twinsieve/service/view"
	"twinsieve/store"
)

// checkTrend holds a sieve's trend, of which some is kept from when it was asked for last, against what its reports list.
func (p *port) checkTrend(ctx context.Context, t *testing.T, sieve string) {
	t.Helper()
	trend, err := p.Trend(ctx, sieve)
	if err != nil {
		t.Fatal(err)
	}
	for _, run := range trend.Runs {
		_, entries := p.told(ctx, run.Run)
		trays, open, all := map[string]int64{}, int64(0), int64(0)
		sums := map[string]*big.Rat{}
		for _, e := range entries {
			if e.Work.Change == again.Cleared {
				continue
			}
			at := e.Tray.String()
			if !e.Work.Change.Here() {
				at = string(again.Absent)
			}
			trays[at]++
			all++
			if e.Status != store.StatusOpen && e.Status != store.StatusInProgress {
				continue
			}
			open++
			if amount, ok := new(big.Rat).SetString(e.Work.Amount); ok {
				if sums[e.Work.Currency] == nil {
					sums[e.Work.Currency] = &big.Rat{}
				}
				sums[e.Work.Currency].Add(sums[e.Work.Currency], amount.Abs(amount))
			}
		}
		var amounts []string
		for currency, sum := range sums {
			amounts = append(amounts, currency+" "+sum.FloatString(2))
		}
		var got []string
		for _, a := range run.Amounts {
			sum, ok := new(big.Rat).SetString(a.Amount)
			if !ok || exact.Text(exact.Decimal([]byte(a.Amount))) != a.Amount {
				t.Fatalf("%q is no amount", a.Amount)
			}
			got = append(got, a.Currency+" "+sum.FloatString(2))
		}
		slices.Sort(amounts)
		ages := int64(0)
		for _, n := range run.Ages {
			ages += n
		}
		if fmt.Sprint(run.Trays) != fmt.Sprint(trays) || run.Open != open || !slices.Equal(got, amounts) || ages != all {
			t.Fatalf("run %d: %v, %d of %d open, %v; want %v, %d of %d, %v", run.Number, run.Trays, run.Open, ages, got, trays, open, all, amounts)
		}
	}
}

// TestTrendFollows: the trend of every run follows what people do and what later runs find, whether or not it is kept.
func TestTrendFollows(t *testing.T) {
	p := newPort(t)
	ctx := store.As(t.Context(), store.Actor{ID: 1, Name: "ines"})
	for _, bills := range []string{"MW-1", "MW-1,MW-2", "MW-3", "", "MW-3,MW-4", "MW-1,MW-2,MW-3,MW-4"} {
		p.comes("log", "call,amount\nMW-1,1\nMW-2,2.50\nMW-3,-3\nMW-4,4\n")
		text := "call,amount\n"
		for i, call := range strings.FieldsFunc(bills, func(r rune) bool { return r == ',' }) {
			text += fmt.Sprintf("%s,%d\n", call, i)
		}
		p.comes("bills", text)
		run := p.ran("calls")
		p.checkTrend(ctx, t, "calls")
		_, entries := p.told(ctx, run.ID)
		for i, e := range entries {
			status := []string{store.StatusExplained, store.StatusSettled, store.StatusInProgress, store.StatusOpen}[i%4]
			if _, err := p.ChangeEntry(ctx, run.ID, e.ID, e.Work.Version, view.WorkChange{Status: &status}); err != nil {
				t.Fatal(err)
			}
			p.checkTrend(ctx, t, "calls")
		}
	}
	kept := len(p.trends.kept)
	p.trends.kept = nil
	if p.checkTrend(ctx, t, "calls"); kept != 6 || len(p.trends.kept) != kept {
		t.Errorf("the trends of %d runs were kept, then of %d", kept, len(p.trends.kept))
	}
}
