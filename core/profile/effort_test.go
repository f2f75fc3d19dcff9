package profile

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"twinsieve/core/record"
)

// TestDistinctShare guesses from the first records, and some in the middle, how many different values a column has, and is held against the count: of values in any order, and of such that stand together.
func TestDistinctShare(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	const all, some = 200_000, 20_000
	guess := func(what string, value func(i int) int) {
		t.Helper()
		seen, first, middle := map[int]bool{}, map[int]bool{}, map[int]bool{}
		for i := range all {
			v := value(i)
			seen[v] = true
			if i < some {
				first[v] = true
			} else if i >= all/2 && i < all/2+some {
				middle[v] = true
			}
		}
		both := 0
		for v := range middle {
			if first[v] {
				both++
			}
		}
		got, want := distinctShare(len(first), some, len(middle), both, all), float64(len(seen))/all
		if math.Abs(got-want) > 0.03 {
			t.Errorf("%s: %.3f to a record, in truth %.3f", what, got, want)
		}
	}
	for _, values := range []int{1, 3, 500, 20_000, 100_000, 1_000_000, math.MaxInt64} {
		guess(fmt.Sprint(values, " values in any order"), func(int) int { return r.IntN(values) })
	}
	for _, together := range []int{1, 2, 3, 10, 1000, all} {
		guess(fmt.Sprint(together, " records of each value together"), func(i int) int { return i / together })
	}
}

// TestProgress: what is told of a profile grows, is never more than there is, and comes near the end.
func TestProgress(t *testing.T) {
	b := record.NewBuilder(3)
	table := &record.Batches{Names: []string{"call", "day", "vessel"}}
	for n := range 3 * record.BatchRecords {
		for c, text := range []string{fmt.Sprintf("MW-%06d", n), fmt.Sprint(n % 30), fmt.Sprint("Vessel ", n%900)} {
			b.Cell(c, []byte(text))
		}
		if full := b.Close(int64(n)); full != nil {
			table.List = append(table.List, full)
		}
	}
	if rest := b.Flush(); rest != nil {
		table.List = append(table.List, rest)
	}
	last, told := int64(0), 0
	_, err := Of(t.Context(), table, Options{Workers: 1, Progress: func(done, total int64) {
		if told++; done < last || done > total || total != 9*record.BatchRecords {
			t.Errorf("%d of %d, after %d", done, total, last)
		}
		last = done
	}})
	if err != nil || told < 20 || last < 8*record.BatchRecords {
		t.Errorf("told %d times, at last %d: %v", told, last, err)
	}
}
