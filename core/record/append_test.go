package record_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
)

// TestAppend reads two tables one behind the other, by record, by column and by batch, and holds each against their rows; batches of the second know
// where they stand, and where their records are carried from.
func TestAppend(t *testing.T) {
	columns := []string{"call", "amount"}
	for _, sizes := range [][2]int{{0, 0}, {0, 5}, {7, 0}, {7, 5}, {64, 1}} {
		var rows [2][][]string
		for s, n := range sizes {
			for i := range n {
				rows[s] = append(rows[s], []string{fmt.Sprint(s, i), fmt.Sprint(i * i)})
			}
		}
		carried := &record.Batches{Names: columns}
		spool := recordtest.Batches(t, columns, rows[1], 2)
		for i := range spool.Starts() {
			b, err := spool.Batch(t.Context(), i)
			if err != nil {
				t.Fatal(err)
			}
			one := *b
			one.Carried = slices.Repeat([]int64{int64(i + 1)}, b.Records())
			carried.List = append(carried.List, &one)
		}
		table := record.Append(recordtest.Batches(t, columns, rows[0], 3), carried)
		all := slices.Concat(rows[0], rows[1])
		if int(table.Records()) != len(all) || !slices.Equal(table.Columns(), columns) {
			t.Fatalf("%v: %d records of %d", sizes, table.Records(), len(all))
		}
		var wanted []uint32
		for i := range all {
			wanted = append(wanted, uint32(i), uint32(i))
		}
		seen := 0
		err := record.Gather(t.Context(), table, wanted, func(n int, b *record.Batch, i int) {
			seen++
			row := int(wanted[n])
			if got := b.Cells(i); got[0].Text != all[row][0] || int(b.First)+i != row {
				t.Errorf("%v: record %d is %q, in a batch from %d on", sizes, row, got[0].Text, b.First)
			}
			want := int64(0)
			if row >= sizes[0] {
				want = int64((row-sizes[0])/2 + 1)
			}
			if got := b.Origin(i); got.Run != want || got.Line == 0 {
				t.Errorf("%v: record %d comes from %+v, want run %d", sizes, row, got, want)
			}
		})
		if err != nil || seen != len(wanted) {
			t.Errorf("%v: %d visits of %d, %v", sizes, seen, len(wanted), err)
		}
		seen = 0
		err = record.GatherColumns(t.Context(), table, []int{1}, wanted, func(n int, columns []*array.String, i int) {
			seen++
			if got := columns[0].Value(i); got != all[wanted[n]][1] {
				t.Errorf("%v: amount of record %d is %q", sizes, wanted[n], got)
			}
		})
		if err != nil || seen != len(wanted) {
			t.Errorf("%v: %d amounts of %d, %v", sizes, seen, len(wanted), err)
		}
	}
}
