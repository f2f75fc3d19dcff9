package reading

import (
	"fmt"
	"strings"
	"time"
)

// layoutPart is one piece of a layout: a field of a date or moment, or literal text.
type layoutPart struct {
	field   string // "YYYY", "YY", "MMMM", "MMM", "M", "D", "h", "m", "s", "f" or "Z"; serial or serial1904, alone; "" for literal text
	least   int    // digits
	most    int
	timed   bool // of a serial: a time of day may stand behind the point
	literal byte
}

// layout is how a date or moment is written.
type layout []layoutPart

// fields are the runs of letters that stand for something in a layout, each with the name under which it is counted.
var fields = map[string]layoutPart{
	"YYYY": {field: "YYYY", least: 4, most: 4}, "YY": {field: "YY", least: 2, most: 2},
	"MMMM": {field: "MMMM"}, "MMM": {field: "MMM"}, "MM": {field: "M", least: 2, most: 2}, "M": {field: "M", least: 1, most: 2},
	"DD": {field: "D", least: 2, most: 2}, "D": {field: "D", least: 1, most: 2},
	"hh": {field: "h", least: 2, most: 2}, "h": {field: "h", least: 1, most: 2},
	"mm": {field: "m", least: 2, most: 2}, "ss": {field: "s", least: 2, most: 2}, "f": {field: "f", least: 1, most: 9}, "Z": {field: "Z"},
}

const dayWords = "YYYY or YY, MM, M, MMM or MMMM, and DD or D"

// parseLayout reads a layout. what names the reading, for messages.
func parseLayout(what, text string, timed bool) (layout, error) {
	if text == serial || text == serial1904 {
		return layout{{field: text, timed: timed}}, nil
	}
	var parts layout
	seen := map[byte]bool{}
	for rest := text; rest != ""; {
		c := rest[0]
		run := len(rest) - len(strings.TrimLeft(rest, string(rune(c))))
		isField := strings.IndexByte("YMD", c) >= 0 || timed && strings.IndexByte("hmsfZ", c) >= 0
		switch part, ok := fields[rest[:run]]; {
		case isField && !ok:
			words := dayWords
			if timed {
				words += ", and hh, mm, ss, f and Z"
			}
			return nil, fmt.Errorf("the %s layout %q has %s; write %s", what, text, rest[:run], words)
		case isField && seen[c]:
			return nil, fmt.Errorf("the %s layout %q has %s twice", what, text, rest[:run])
		case isField:
			seen[c] = true
			parts = append(parts, part)
		default:
			run = 1
			parts = append(parts, layoutPart{literal: c})
		}
		rest = rest[run:]
	}
	if !seen['Y'] || !seen['M'] || !seen['D'] {
		return nil, fmt.Errorf("the %s layout %q lacks a year, a month or a day; write one such as YYYY-MM-DD or DD.MM.YYYY, or serial for the day numbers of spreadsheets", what, text)
	}
	if timed && !seen['h'] {
		return nil, fmt.Errorf("the time layout %q has no hour; write one such as YYYY-MM-DD hh:mm, or read it as a date", text)
	}
	return parts, nil
}

// moment is what a layout reads. The zone is minutes east of UTC, where zoned.
type moment struct {
	year, month, day     int
	hour, minute, second int
	nanos                int
	zone                 int
	zoned                bool
}

// readMonth reads an English month's name, in full or its first three letters, in any case. It returns the month, 1 to 12, and how many
// bytes its name took; 0 where there is none.
func readMonth(src []byte, full bool) (month, size int) {
	for m := time.January; m <= time.December; m++ {
		name := m.String()
		if !full {
			name = name[:3]
		}
		if len(src) >= len(name) && strings.EqualFold(string(src[:len(name)]), name) {
			return int(m), len(name)
		}
	}
	return 0, 0
}

// read reads a text as the layout says. It reports false where the text is another, or no moment of the calendar.
func (l layout) read(src []byte) (m moment, ok bool) {
	for _, p := range l {
		switch p.field {
		case serial, serial1904:
			return readSerial(p.field, src, p.timed)
		case "":
			if len(src) == 0 || src[0] != p.literal {
				return m, false
			}
			src = src[1:]
			continue
		case "MMM", "MMMM":
			n := 0
			if m.month, n = readMonth(src, p.field == "MMMM"); n == 0 {
				return m, false
			}
			src = src[n:]
			continue
		case "Z":
			n := 0
			if m.zone, n, ok = readZone(src); !ok {
				return m, false
			}
			m.zoned, src = true, src[n:]
			continue
		}
		n, digits := 0, 0
		for digits < p.most && digits < len(src) && isDigit(src[digits]) {
			n = n*10 + int(src[digits]-'0')
			digits++
		}
		if digits < p.least {
			return m, false
		}
		src = src[digits:]
		switch p.field {
		case "YYYY":
			m.year = n
		case "YY": // as POSIX reads two digits
			m.year = 1900 + n
			if n < 69 {
				m.year += 100
			}
		case "M":
			m.month = n
		case "D":
			m.day = n
		case "h":
			m.hour = n
		case "m":
			m.minute = n
		case "s":
			m.second = n
		case "f":
			for ; digits < 9; digits++ {
				n *= 10
			}
			m.nanos = n
		}
	}
	ok = len(src) == 0 && m.month >= 1 && m.month <= 12 && m.day >= 1 && m.day <= daysIn(m.year, m.month) &&
		m.minute < 60 && m.second < 60 && (m.hour < 24 || m.hour == 24 && m.minute+m.second+m.nanos == 0)
	return m, ok
}

// readZone reads Z, or a distance from UTC: +02:00, +0200 or +02. It returns minutes and how many bytes they took.
func readZone(src []byte) (minutes, size int, ok bool) {
	if len(src) > 0 && (src[0] == 'Z' || src[0] == 'z') {
		return 0, 1, true
	}
	if len(src) < 3 || src[0] != '+' && src[0] != '-' || !isDigit(src[1]) || !isDigit(src[2]) {
		return 0, 0, false
	}
	minutes, size = 60*(10*int(src[1]-'0')+int(src[2]-'0')), 3
	rest := src[3:]
	if len(rest) > 0 && rest[0] == ':' {
		rest = rest[1:]
	}
	if len(rest) >= 2 && isDigit(rest[0]) && isDigit(rest[1]) {
		minutes += 10*int(rest[0]-'0') + int(rest[1]-'0')
		size = len(src) - len(rest) + 2
	}
	if src[0] == '-' {
		minutes = -minutes
	}
	return minutes, size, minutes >= -18*60 && minutes <= 18*60
}

func daysIn(year, month int) int {
	return time.Date(year, time.Month(month)+1, 0, 0, 0, 0, 0, time.UTC).Day()
}

// samples are texts in which a mixed-up day and month would show.
var samples = []time.Time{time.Date(2031, 3, 4, 5, 6, 7, 0, time.UTC), time.Date(2011, 10, 12, 8, 9, 10, 0, time.UTC), time.Date(2004, 5, 6, 1, 2, 3, 0, time.UTC)}

// parseLayouts reads layouts with "or" between them, and refuses two of which one text could mean two things.
func parseLayouts(what, text string, timed bool) ([]layout, error) {
	var all []layout
	for _, one := range strings.Split(text, " or ") {
		l, err := parseLayout(what, strings.TrimSpace(one), timed)
		if err != nil {
			return nil, err
		}
		for _, t := range samples {
			written := l.write(t)
			m, _ := l.read([]byte(written))
			for _, before := range all {
				if other, ok := before.read([]byte(written)); ok && other != m {
					return nil, fmt.Errorf("the %s layouts of %q read %s in two ways; state one of them", what, text, written)
				}
			}
		}
		all = append(all, l)
	}
	return all, nil
}

// write writes a moment as the layout says.
func (l layout) write(t time.Time) string {
	var out strings.Builder
	for _, p := range l {
		n := 0
		switch p.field {
		case serial, serial1904:
			return writeSerial(p.field, t)
		case "":
			out.WriteByte(p.literal)
			continue
		case "MMM":
			out.WriteString(t.Format("Jan"))
			continue
		case "MMMM":
			out.WriteString(t.Format("January"))
			continue
		case "Z":
			out.WriteByte('Z')
			continue
		case "YYYY":
			n = t.Year()
		case "YY":
			n = t.Year() % 100
		case "M":
			n = int(t.Month())
		case "D":
			n = t.Day()
		case "h":
			n = t.Hour()
		case "m":
			n = t.Minute()
		case "s":
			n = t.Second()
		}
		fmt.Fprintf(&out, "%0*d", p.least, n)
	}
	return out.String()
}
