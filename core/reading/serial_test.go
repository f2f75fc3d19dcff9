package reading_test

import (
	"strconv"
	"testing"
	"time"
)

// TestSerial reads the day numbers of three centuries, one after another, beside a calendar that is counted day by day; of
// workbooks that count from 1900 with the day that only they have.
func TestSerial(t *testing.T) {
	for _, c := range []struct {
		chain string
		first int
		day   time.Time
		extra bool // 1900 is taken for a leap year
	}{{"date serial", 1, time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC), true}, {"date serial 1904", 0, time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC), false}} {
		day := c.day
		for n := c.first; day.Year() < 2200; n++ {
			want := day.Format(time.DateOnly)
			if c.extra && n == 60 {
				want = "<unreadable>"
			} else {
				day = day.AddDate(0, 0, 1)
			}
			if got := read(t, strconv.Itoa(n), c.chain); got != want {
				t.Fatalf("%s of %d is %s, want %s", c.chain, n, got, want)
			}
		}
	}
	for _, c := range []struct{ chain, in, want string }{
		{"date serial", "48000", "2031-06-01"},
		{"date serial", "48000.0", "2031-06-01"},
		{"date serial", "48000.5", "<unreadable>"}, // the time of day would be lost
		{"date serial", "2958465", "9999-12-31"},
		{"date serial", "2958466", "<unreadable>"},
		{"date serial", "0", "<unreadable>"},
		{"date serial", "-1", "<unreadable>"},
		{"date serial", "48000.", "<unreadable>"},
		{"date serial", "48,000", "<unreadable>"},
		{"date serial", "4.8E4", "<unreadable>"},
		{"date serial 1904", "46538", "2031-06-01"},
		{"date serial or YYYY-MM-DD", "2031-06-01", "2031-06-01"},
		{"date serial or YYYYMMDD", "20310601", "2031-06-01"},
		{"time serial", "48000.5", "2031-06-01T12:00:00Z"},
		{"time serial", "48000.333333333336", "2031-06-01T08:00:00Z"},
		{"time serial", "48000.9999999999", "2031-06-02T00:00:00Z"},
		{"time serial", "2958465.9999999999", "<unreadable>"},
		{"time serial in Europe/Oslo", "48000.5", "2031-06-01T10:00:00Z"},
		{"time serial", "48000", "2031-06-01T00:00:00Z"},
	} {
		if got := read(t, c.in, c.chain); got != c.want {
			t.Errorf("%s of %q is %s, want %s", c.chain, c.in, got, c.want)
		}
	}
}
