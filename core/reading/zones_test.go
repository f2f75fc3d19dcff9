package reading_test

import (
	"fmt"
	"testing"
	"time"

	"twinsieve/core/reading"
)

// TestZones holds moments of many zones, a quarter of an hour apart around the days on which their clocks were or will be changed, by an
// hour, by half of one, by two, and by a whole day, against a search through all moments: the earliest at which a clock there shows it.
func TestZones(t *testing.T) {
	const step = 15 * time.Minute
	none, several := 0, 0
	for name, days := range map[string][]string{
		"Europe/Oslo": {"2031-03-30", "2031-10-26"}, "America/St_Johns": {"2006-10-29", "2031-03-09", "2031-11-02"}, "Australia/Lord_Howe": {"2031-04-06", "2031-10-05"},
		"Pacific/Apia": {"2011-12-30"}, "Pacific/Fakaofo": {"2011-12-30"}, "Pacific/Kwajalein": {"1993-08-21"}, "Antarctica/Troll": {"2031-03-30", "2031-10-26"},
		"Asia/Tehran": {"1978-08-05", "2022-09-21"}, "Asia/Pyongyang": {"2015-08-15", "2018-05-05"}, "UTC": {"2031-03-30"}, "Asia/Kathmandu": {"1986-01-01"},
	} {
		zone, err := time.LoadLocation(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, day := range days {
			from, err := time.Parse(time.DateOnly, day)
			if err != nil {
				t.Fatal(err)
			}
			from = from.Add(-24 * time.Hour)
			shown := map[string][]time.Time{} // what clocks show, and when they do
			for at := from.Add(-30 * time.Hour); at.Before(from.Add(102 * time.Hour)); at = at.Add(step) {
				text := at.In(zone).Format("2006-01-02 15:04")
				shown[text] = append(shown[text], at)
			}
			for at := from; at.Before(from.Add(72 * time.Hour)); at = at.Add(step) {
				text := at.Format("2006-01-02 15:04")
				want := "<unreadable>"
				switch moments := shown[text]; {
				case len(moments) == 0:
					none++
				case len(moments) > 1:
					several++
					fallthrough
				default:
					want = moments[0].Format(time.RFC3339)
				}
				if got := read(t, text, "time YYYY-MM-DD hh:mm in "+name); got != want {
					t.Errorf("%s in %s: %s, want %s", text, name, got, want)
				}
			}
		}
	}
	if none < 300 || several < 10 {
		t.Errorf("only %d were never shown and %d twice", none, several)
	}
}

// TestDayNumber holds days, months and years against the calendar: a month and a year are their first day, whatever follows them in
// memory.
func TestDayNumber(t *testing.T) {
	for at := time.Date(1890, 1, 1, 0, 0, 0, 0, time.UTC); at.Year() < 2110; at = at.AddDate(0, 0, 17) {
		day := at.Format(time.DateOnly)
		memory := []byte(day + "99-99")
		for size, want := range map[int]time.Time{10: at, 7: time.Date(at.Year(), at.Month(), 1, 0, 0, 0, 0, time.UTC), 4: time.Date(at.Year(), 1, 1, 0, 0, 0, 0, time.UTC)} {
			if got := reading.DayNumber(memory[:size]); got*86400 != want.Unix() {
				t.Fatalf("%s is day %d, want %d", memory[:size], got, want.Unix()/86400)
			}
			if got := reading.DayNumber(append([]byte{}, memory[:size]...)); got*86400 != want.Unix() {
				t.Fatalf("%s alone is day %d", memory[:size], got)
			}
		}
	}
}

// TestGrowth: a text that a chain would make many times as long is unreadable, and others are not.
func TestGrowth(t *testing.T) {
	doubling := "capture ((((((((.+))))))))" // eight times
	for length, want := range map[int]bool{10: true, 4000: true, 5000: true} {
		cell := fmt.Sprintf("%0*d", length, 7)
		got := read(t, cell, doubling, doubling)
		if (len(got) == 64*length) != want {
			t.Errorf("%d bytes gave %d", length, len(got))
		}
	}
	if got := read(t, fmt.Sprintf("%0*d", 5000, 7), doubling, doubling, doubling); got != "<unreadable>" {
		t.Errorf("5,000 bytes gave %d", len(got))
	}
	if got := read(t, "123", doubling, doubling, doubling, doubling); len(got) != 3*4096 {
		t.Errorf("3 bytes gave %d", len(got))
	}
}
