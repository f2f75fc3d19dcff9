package record_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
)

// TestExcerpt gathers records from excerpts, kept in memory and in a file, and holds them against those of the table; also records that
// the excerpt does not have.
func TestExcerpt(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(11, 4))
	var rows [][]string
	for n := range 3000 {
		cell := fmt.Sprintf("MW-%d", n)
		if n%7 == 0 {
			cell = recordtest.Marker + "n/a"
		}
		rows = append(rows, []string{cell, fmt.Sprint(r.IntN(1e6))})
	}
	table := recordtest.Batches(t, []string{"call", "amount"}, rows, 100)
	for _, budget := range []int64{1 << 20, 0} {
		var wanted []uint32
		for n := range rows {
			for r.IntN(3) == 0 {
				wanted = append(wanted, uint32(n))
			}
		}
		x, err := record.NewExcerpt(ctx, table, slices.Clone(wanted), 3, budget, t.TempDir())
		if err != nil {
			t.Fatal(err)
		}
		defer x.Close()
		if (x.Spilled() > 0) != (budget == 0) {
			t.Errorf("with a budget of %d, %d bytes were spilled", budget, x.Spilled())
		}
		asked := wanted
		for round := range 2 {
			seen := 0
			err := record.Gather(ctx, x, asked, func(n int, b *record.Batch, i int) {
				at := int(asked[n])
				want, err := table.Batch(ctx, at/100)
				if err != nil {
					t.Fatal(err)
				}
				if !slices.Equal(b.Cells(i), want.Cells(at%100)) || b.Line(i) != int64(at+2) {
					t.Fatalf("record %d is %v on line %d", at, b.Cells(i), b.Line(i))
				}
				seen++
			})
			if err != nil || seen != len(asked) {
				t.Fatalf("%d of %d records: %v", seen, len(asked), err)
			}
			if round == 0 {
				asked = []uint32{0, 1, 2, 3, 4, 5, 6, 2999} // some of which it has not
			}
		}
	}
}

// TestGatherParallel visits each record once, whichever worker does it.
func TestGatherParallel(t *testing.T) {
	var rows [][]string
	for n := range 1000 {
		rows = append(rows, []string{fmt.Sprint(n)})
	}
	table := recordtest.Batches(t, []string{"n"}, rows, 64)
	wanted := []uint32{0, 0, 5, 63, 64, 500, 501, 999}
	got := make([]string, len(wanted))
	err := record.GatherParallel(context.Background(), table, wanted, 3, func() func(int, *record.Batch, []int) {
		return func(n int, b *record.Batch, at []int) {
			for k, i := range at {
				got[n+k] += b.Columns[0].Value(i)
			}
		}
	})
	if want := []string{"0", "0", "5", "63", "64", "500", "501", "999"}; err != nil || !slices.Equal(got, want) {
		t.Errorf("%v (%v), want %v", got, err, want)
	}
	if err := record.GatherParallel(context.Background(), table, []uint32{1000}, 3, nil); err == nil {
		t.Error("a record that is not there was given")
	}
}
