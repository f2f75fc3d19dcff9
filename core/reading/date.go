package reading

import (
	"fmt"
	"strings"
	"time"
)

// ISODate is the layout of the text that a date reading gives.
const ISODate = "YYYY-MM-DD"

// datePart is one piece of a layout: a number of the date, or literal text.
type datePart struct {
	field   byte // 'Y', 'M' or 'D'; 0 for literal text
	least   int  // digits
	most    int
	literal string
}

// compileDate reads a layout: YYYY, MM or M, and DD or D, each once, with any other characters between them. M and D
// take one or two digits. Values that are no day of the calendar are unreadable.
func compileDate(layout string) (step, error) {
	parts, err := parseLayout(layout)
	if err != nil {
		return nil, err
	}
	return func(dst, src []byte) ([]byte, bool) {
		year, month, day, ok := readDate(parts, src)
		if !ok {
			return dst, false
		}
		return append(dst,
			byte('0'+year/1000), byte('0'+year/100%10), byte('0'+year/10%10), byte('0'+year%10), '-',
			byte('0'+month/10), byte('0'+month%10), '-',
			byte('0'+day/10), byte('0'+day%10)), true
	}, nil
}

func parseLayout(layout string) ([]datePart, error) {
	var parts []datePart
	seen := map[byte]bool{}
	for rest := layout; rest != ""; {
		c := rest[0]
		run := len(rest) - len(strings.TrimLeft(rest, string(rune(c))))
		switch {
		case c == 'Y' && run == 4, (c == 'M' || c == 'D') && run <= 2:
			if seen[c] {
				return nil, fmt.Errorf("the date layout %q has %s twice", layout, rest[:run])
			}
			seen[c] = true
			parts = append(parts, datePart{field: c, least: run, most: max(run, 2)})
		case c == 'Y' || c == 'M' || c == 'D':
			return nil, fmt.Errorf("the date layout %q has %s; write YYYY, MM or M, and DD or D", layout, rest[:run])
		default:
			run = 1
			parts = append(parts, datePart{literal: rest[:1]})
		}
		rest = rest[run:]
	}
	if len(seen) != 3 {
		return nil, fmt.Errorf("the date layout %q lacks a year, a month or a day; write one such as YYYY-MM-DD or DD.MM.YYYY", layout)
	}
	return parts, nil
}

func readDate(parts []datePart, src []byte) (year, month, day int, ok bool) {
	for _, p := range parts {
		if p.field == 0 {
			if len(src) == 0 || src[0] != p.literal[0] {
				return 0, 0, 0, false
			}
			src = src[1:]
			continue
		}
		n, digits := 0, 0
		for digits < p.most && digits < len(src) && isDigit(src[digits]) {
			n = n*10 + int(src[digits]-'0')
			digits++
		}
		if digits < p.least {
			return 0, 0, 0, false
		}
		src = src[digits:]
		switch p.field {
		case 'Y':
			year = n
		case 'M':
			month = n
		case 'D':
			day = n
		}
	}
	if len(src) > 0 || month < 1 || month > 12 || day < 1 || day > daysIn(year, month) {
		return 0, 0, 0, false
	}
	return year, month, day, true
}

func daysIn(year, month int) int {
	return time.Date(year, time.Month(month)+1, 0, 0, 0, 0, 0, time.UTC).Day()
}

// DayNumber returns the number of days from 1970-01-01 to the date that a date reading gave.
func DayNumber(iso []byte) int64 {
	n := func(b []byte) (v int) {
		for _, c := range b {
			v = v*10 + int(c-'0')
		}
		return v
	}
	return time.Date(n(iso[0:4]), time.Month(n(iso[5:7])), n(iso[8:10]), 0, 0, 0, 0, time.UTC).Unix() / 86400
}
