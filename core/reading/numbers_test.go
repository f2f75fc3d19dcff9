package reading_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// TestColumn holds columns that are read at once, and their sums, against their cells read one by one, for chains that read numbers at once and
// others that read them after something else. One column is read into another's memory.
func TestColumn(t *testing.T) {
	r := rand.New(rand.NewPCG(26, 11))
	odd := []string{"007", "-0", "1e3", "1.", ".5", "-12.50", "+3", "12345678901234567890.5", "n/a", " 4", "1,5", "0.000", "100000000", "1e99999"}
	for _, chain := range [][]string{{"number"}, {"trim", "number"}, {"number point"}, {}} {
		c, err := reading.Compile(reading.MustParse(chain...), tray.Left, nil)
		if err != nil {
			t.Fatal(err)
		}
		whole, single := c.Reader(), c.Reader()
		var into reading.Column
		for round := range 40 {
			into.Sum = nil
			if round%2 == 0 && len(chain) > 0 {
				into.Sum = new(exact.Sum)
			}
			b := record.NewBuilder(1)
			for range 1 + r.IntN(300) {
				switch r.IntN(8) {
				case 0:
					b.Cell(0, nil)
				case 1:
					if round%3 == 0 {
						b.Marker(0, []byte("12"))
					} else {
						b.Cell(0, []byte("12"))
					}
				case 2:
					b.Cell(0, []byte(odd[r.IntN(len(odd))]))
				default:
					b.Cell(0, fmt.Appendf(nil, "%d.%02d", r.IntN(100_000), r.IntN(100)))
				}
				b.Close(0)
			}
			col := b.Flush().Columns[0]
			whole.Column(col, &into)
			var sum decimal.Decimal
			for i := range col.Len() {
				want := reading.Value{State: reading.Blank}
				if !col.IsNull(i) {
					want = single.Cell([]byte(col.Value(i)))
				}
				got := into.At(i)
				if got.State != want.State || string(got.Text) != string(want.Text) {
					t.Fatalf("%v: %q is %v %q, want %v %q", chain, col.Value(i), got.State, got.Text, want.State, want.Text)
				}
				if len(chain) > 0 && want.State == reading.Text {
					sum = sum.Add(exact.Decimal(want.Text))
				}
			}
			if into.Sum != nil && !into.Sum.Total().Equal(sum) {
				t.Fatalf("%v: the sum is %s, want %s", chain, into.Sum.Total(), sum)
			}
		}
	}
}
