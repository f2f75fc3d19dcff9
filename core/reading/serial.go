package reading

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"time"
)

// Spreadsheets store a day as a number: how many days it lies behind a day zero, with the time of day as a fraction. Where
// a cell has lost its format, only the number is left. These words stand in place of a layout for such numbers.
const (
	serial     = "serial"      // the day numbers of most workbooks: 1 is 1900-01-01
	serial1904 = "serial 1904" // those of workbooks that count from 1904: 0 is 1904-01-01
)

// noDay is the day number of 29 February 1900, a day that spreadsheets count and the calendar does not have.
const noDay = 60

// lastDay is the last day with a year of four digits, 9999-12-31, counted from either day zero.
var lastDay = map[string]int64{serial: 2958465, serial1904: 2957003}

// readSerial reads a day number, with a time of day behind the point where timed, to the millisecond as workbooks themselves are read.
func readSerial(words string, src []byte, timed bool) (m moment, ok bool) {
	whole, fraction, point := bytes.Cut(src, []byte{'.'})
	if len(whole) == 0 || len(whole) > 7 || point && len(fraction) == 0 || !allDigits(whole) || !allDigits(fraction) {
		return m, false
	}
	days, _ := strconv.ParseInt(string(whole), 10, 64)
	milliseconds := int64(0)
	if strings.Trim(string(fraction), "0") != "" {
		part, _ := strconv.ParseFloat("0."+string(fraction), 64)
		milliseconds = int64(math.Round(part * 24 * 60 * 60 * 1000))
		if !timed {
			return m, false
		}
	}
	zero := time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	if words == serial {
		if days == 0 || days == noDay {
			return m, false
		}
		zero = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
		if days < noDay {
			days++
		}
	}
	if days > lastDay[words] {
		return m, false
	}
	t := zero.AddDate(0, 0, int(days)).Add(time.Duration(milliseconds) * time.Millisecond)
	if t.Year() > 9999 {
		return m, false
	}
	return moment{year: t.Year(), month: int(t.Month()), day: t.Day(), hour: t.Hour(), minute: t.Minute(), second: t.Second(), nanos: t.Nanosecond()}, true
}

// writeSerial writes a day as its number.
func writeSerial(words string, t time.Time) string {
	zero := time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	if words == serial {
		zero = time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC) // of all days after February 1900, which those to be told apart are
	}
	return strconv.FormatInt(int64(t.Sub(zero)/(24*time.Hour)), 10)
}

func allDigits(text []byte) bool {
	for _, c := range text {
		if !isDigit(c) {
			return false
		}
	}
	return true
}
