package exact_test

import (
	"testing"

	"twinsieve/core/exact"
)

// TestGrouped: thousands stand apart, and no place behind the point is lost, whatever number of them is asked for.
func TestGrouped(t *testing.T) {
	for _, c := range []struct {
		plain  string
		places int
		want   string
	}{
		{"", 2, ""}, {"0", 0, "0"}, {"0", 2, "0.00"}, {"1234567.5", 2, "1,234,567.50"}, {"-1234.5", 1, "-1,234.5"}, {"999", 0, "999"}, {"-1000", 0, "-1,000"}, {"100.25", 0, "100.25"}, {"-0.75", 1, "-0.75"},
		{"99999999999999999999.05", 2, "99,999,999,999,999,999,999.05"},
	} {
		if got := exact.Grouped(c.plain, c.places); got != c.want {
			t.Errorf("%s with %d places: %s, want %s", c.plain, c.places, got, c.want)
		}
	}
}
