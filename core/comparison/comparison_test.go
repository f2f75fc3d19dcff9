package comparison_test

import (
	"math"
	"testing"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/tray"
)

func TestCounts(t *testing.T) {
	totals := &match.Totals{Records: [2]int64{100, 90}, Product: 130, Semi: [2]int64{70, 60}}
	totals.Trays[0][tray.Excluded], totals.Trays[1][tray.Excluded] = 5, 1
	want := map[comparison.Name]int64{"full": 130 + 25 + 29, "inner": 130, "left": 155, "right": 159, "left-semi": 70, "right-semi": 60,
		"left-anti": 25, "right-anti": 29, "full-anti": 54, "separate": 95 + 89, "cross": 95 * 89, "by-position": 95}
	counts := comparison.Counts(totals)
	if len(counts) != len(want) {
		t.Errorf("%d comparisons, want %d", len(counts), len(want))
	}
	for _, c := range counts {
		if c.Rows != want[c.Comparison] || c.Says == "" {
			t.Errorf("%s has %d rows, want %d", c.Comparison, c.Rows, want[c.Comparison])
		}
	}
}

// TestCrossIsBounded: what does not fit a number is the greatest there is, never a wrong one.
func TestCrossIsBounded(t *testing.T) {
	for _, c := range comparison.Counts(&match.Totals{Records: [2]int64{1 << 32, 1 << 32}}) {
		if c.Comparison == comparison.Cross && c.Rows != math.MaxInt64 {
			t.Errorf("cross of 2^32 by 2^32: %d", c.Rows)
		}
	}
}

func TestRelation(t *testing.T) {
	for most, want := range map[[2]int64]comparison.Relation{{0, 0}: "one to one", {1, 1}: "one to one", {1, 2}: "one to many", {9, 1}: "many to one", {2, 2}: "many to many"} {
		if got := comparison.RelationOf(&match.Totals{Most: most}); got != want {
			t.Errorf("at most %v records of a key: %s, want %s", most, got, want)
		}
	}
}
