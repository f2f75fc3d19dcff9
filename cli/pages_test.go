package cli

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/service/view"
)

// TestRowsOf: pages follow one another up to a limit or the end, and pages of two snapshots are never put together, though they have as many
// rows and the same columns.
func TestRowsOf(t *testing.T) {
	for _, c := range []struct {
		from, total int64
		limit       int
		reloadAt    int64 // from which row on another snapshot is there
		want        string
	}{
		{0, 2500, 20, 9000, "20 [20]"},
		{0, 2500, 2000, 9000, "2000 [1000 1000]"},
		{0, 2500, 2001, 9000, "2001 [1000 1000 1]"},
		{0, 2500, 1_000_000, 9000, "2500 [1000 1000 1000]"},
		{2400, 2500, 3000, 9000, "100 [1000]"},
		{2500, 2500, 10, 9000, "0 [10]"},
		{0, 2500, 2500, 1000, "the rows have changed while they were read"},
	} {
		var asked []int
		rows, err := rowsOf(c.from, c.limit, func(first int64, most int) (view.Rows, error) {
			asked = append(asked, most)
			out := view.Rows{Total: c.total, Snapshots: [2]int{1, 1}}
			if first >= c.reloadAt {
				out.Snapshots[0] = 2
			}
			for n := first; n < min(first+int64(most), c.total); n++ {
				out.Rows = append(out.Rows, view.Row{Left: n + 1})
			}
			return out, nil
		})
		got := fmt.Sprint(len(rows.Rows), " ", asked)
		if err != nil {
			got = err.Error()
		}
		if !strings.HasPrefix(got, c.want) {
			t.Errorf("%+v: %s", c, got)
		}
		for i, r := range rows.Rows {
			if r.Left != c.from+int64(i)+1 {
				t.Fatalf("%+v: row %d is %d", c, i, r.Left)
			}
		}
	}
}
