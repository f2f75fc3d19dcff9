package reading

import (
	"fmt"
	"strings"
	"time"
	_ "time/tzdata" // so that zones are read alike on every machine
)

// ISODate is the layout of the text that a date reading gives, and ISOTime that of a time reading: always in UTC, with a
// fraction of the second only where there is one.
const (
	ISODate = "YYYY-MM-DD"
	ISOTime = "YYYY-MM-DDThh:mm:ssZ"
)

// compileDate reads dates in the layouts. Values that are no day of the calendar are unreadable.
func compileDate(argument string) (step, error) {
	layouts, err := parseLayouts("date", argument, false)
	if err != nil {
		return nil, err
	}
	return func(dst, src []byte) ([]byte, bool) {
		for _, l := range layouts {
			if m, ok := l.read(src); ok {
				return appendDay(dst, m.year, m.month, m.day), true
			}
		}
		return dst, false
	}, nil
}

func appendDay(dst []byte, year, month, day int) []byte {
	return append(dst,
		byte('0'+year/1000%10), byte('0'+year/100%10), byte('0'+year/10%10), byte('0'+year%10), '-',
		byte('0'+month/10), byte('0'+month%10), '-',
		byte('0'+day/10), byte('0'+day%10))
}

// compileTime reads moments in the layouts, perhaps followed by "in ZONE". A moment that states no zone of its own is of that
// zone, else of UTC. Where clocks are put forward, an hour that no clock shows is unreadable; where they are put back, the
// earlier of the two moments is meant.
func compileTime(argument string) (step, error) {
	text, name, zoned := strings.Cut(argument, " in ")
	zone := time.UTC
	if zoned {
		var err error
		if zone, err = loadZone(name); err != nil {
			return nil, err
		}
	}
	layouts, err := parseLayouts("time", text, true)
	if err != nil {
		return nil, err
	}
	return func(dst, src []byte) ([]byte, bool) {
		for _, l := range layouts {
			if m, ok := l.read(src); ok {
				return appendMoment(dst, m, zone)
			}
		}
		return dst, false
	}, nil
}

func loadZone(name string) (*time.Location, error) {
	zone, err := time.LoadLocation(strings.TrimSpace(name))
	if err != nil || name == "" {
		return nil, fmt.Errorf("there is no time zone %q; write one such as Europe/Oslo or UTC", name)
	}
	return zone, nil
}

func appendMoment(dst []byte, m moment, zone *time.Location) ([]byte, bool) {
	t := time.Date(m.year, time.Month(m.month), m.day, m.hour, m.minute, m.second, m.nanos, time.UTC)
	if m.zoned {
		t = t.Add(-time.Duration(m.zone) * time.Minute)
	} else if zone != time.UTC {
		var ok bool
		if t, ok = earliest(t, zone); !ok {
			return dst, false
		}
	}
	if t.Year() < 0 || t.Year() > 9999 {
		return dst, false
	}
	return t.AppendFormat(dst, time.RFC3339Nano), true
}

// mostOffset is how far a clock may be from UTC: more than any has ever been.
const mostOffset = 26 * time.Hour

// earliest returns the earliest moment at which clocks of a zone show what clocks of UTC show at the given moment. It reports false where
// they never do, because they were put forward over it: by an hour, by half of one, or by the whole day that a zone skips when it
// changes sides of the date line.
func earliest(shown time.Time, zone *time.Location) (time.Time, bool) {
	for at := shown.Add(-mostOffset); !at.After(shown.Add(mostOffset)); {
		local := at.In(zone)
		_, offset := local.Zone()
		begin, end := local.ZoneBounds()
		t := shown.Add(-time.Duration(offset) * time.Second)
		if (begin.IsZero() || !t.Before(begin)) && (end.IsZero() || t.Before(end)) {
			return t, true
		}
		if end.IsZero() {
			break
		}
		at = end
	}
	return time.Time{}, false
}

// compileCut cuts a date or moment, as the date and time readings give it, after so many characters. With "in ZONE" a moment
// is first taken to that zone.
func compileCut(size int) func(argument string) (step, error) {
	return func(argument string) (step, error) {
		var zone *time.Location
		if argument != "" {
			name, ok := strings.CutPrefix(argument, "in ")
			if !ok {
				return nil, fmt.Errorf("%q stands where a time zone may stand; write it as in Europe/Oslo", argument)
			}
			var err error
			if zone, err = loadZone(name); err != nil {
				return nil, err
			}
		}
		return func(dst, src []byte) ([]byte, bool) {
			if t, ok := Moment(src); ok {
				if zone != nil {
					if t = t.In(zone); t.Year() < 0 || t.Year() > 9999 {
						return dst, false
					}
				}
				return append(dst, t.Format(time.DateOnly)[:size]...), true
			}
			if len(src) > len(ISODate) || len(src) < size || !isCut(src) {
				return dst, false
			}
			return append(dst, src[:size]...), true
		}, nil
	}
}

// isCut reports whether a text is a day, month or year as readings give them.
func isCut(text []byte) bool {
	const whole = "0000-01-01"
	l := layout{{field: "YYYY", least: 4, most: 4}, {literal: '-'}, {field: "M", least: 2, most: 2}, {literal: '-'}, {field: "D", least: 2, most: 2}}
	if n := len(text); n != 4 && n != 7 && n != 10 {
		return false
	}
	_, ok := l.read(append(append([]byte{}, text...), whole[len(text):]...))
	return ok
}

// DayNumber returns the number of days from 1970-01-01 to the date that a date reading gave. A month or a year, to which a date may
// have been cut, is its first day.
func DayNumber(iso []byte) int64 {
	part := func(from, to int) (n int) {
		if len(iso) < to {
			return 1
		}
		for _, c := range iso[from:to] {
			n = n*10 + int(c-'0')
		}
		return n
	}
	return time.Date(part(0, 4), time.Month(part(5, 7)), part(8, 10), 0, 0, 0, 0, time.UTC).Unix() / 86400
}

// Moment returns the moment that a time reading gave. It reports false where text is none.
func Moment(text []byte) (time.Time, bool) {
	if len(text) < len("2031-03-02T08:15:00Z") || text[len(text)-1] != 'Z' {
		return time.Time{}, false
	}
	t, err := time.Parse(time.RFC3339Nano, string(text))
	return t, err == nil
}
