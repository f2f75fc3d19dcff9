package spreadsheet

import (
	"encoding/xml"
	"fmt"
	"math"
	"path"
	"strconv"
	"strings"
	"time"
)

// numberFormat is what a cell's format says about the meaning of its number.
type numberFormat struct {
	kind     kind
	decimals int // digits behind the point that are shown at least
	digits   int // digits in front of it that are written at least, where nothing but zeros is in the format
}

type kind int

const (
	plainNumber  kind = iota
	dateNumber        // days, perhaps with a time of day
	clockNumber       // a time of day; a day that is stored with it counts, too
	lengthNumber      // a length of time, in hours, minutes or seconds
)

// builtIn are the formats that have a number and are not written down in the workbook.
func builtIn(id int) numberFormat {
	switch {
	case id == 2 || id == 4 || id == 39 || id == 40 || id == 43 || id == 44 || id == 7 || id == 8:
		return numberFormat{decimals: 2}
	case id >= 14 && id <= 17, id == 22, id >= 27 && id <= 31, id == 36, id >= 50 && id <= 54, id == 57, id == 58:
		return numberFormat{kind: dateNumber}
	case id == 46:
		return numberFormat{kind: lengthNumber}
	case id >= 18 && id <= 21, id >= 32 && id <= 35, id == 45, id == 47, id == 55, id == 56:
		return numberFormat{kind: clockNumber}
	}
	return numberFormat{}
}

// formatOf reads a format's code, such as "dd.mm.yyyy" or "#,##0.00". Only its first section counts, which is that for
// positive numbers.
func formatOf(code string) numberFormat {
	var f numberFormat
	date, clock, percent, elapsed := false, false, false, false
	point := false
	for i := 0; i < len(code); i++ {
		switch c := code[i]; c {
		case ';':
			i = len(code)
		case '"':
			if n := strings.IndexByte(code[i+1:], '"'); n >= 0 {
				i += n + 1
			}
		case '\\', '_', '*':
			i++
		case '[':
			n := strings.IndexByte(code[i:], ']')
			if n < 0 {
				continue
			}
			if in := strings.ToLower(code[i+1 : i+n]); strings.Trim(in, "h") == "" || strings.Trim(in, "m") == "" || strings.Trim(in, "s") == "" {
				elapsed = true
			}
			i += n
		case 'G', 'g':
			if len(code)-i >= len("General") && strings.EqualFold(code[i:i+len("General")], "General") {
				i += len("General") - 1
				continue
			}
			date = true // an era
		case 'y', 'Y', 'd', 'D':
			date = true
		case 'h', 'H', 's', 'S':
			clock = true
		case 'm', 'M':
			date = date || !clock && !strings.ContainsAny(code[i:], "sS") && !elapsed
		case 'E', 'e':
			if next := code[min(i+1, len(code)-1)]; next == '+' || next == '-' {
				return numberFormat{} // an exponent: as many digits as there are
			}
			date = true // the year of an era
		case '%':
			percent = true
		case '.':
			point = true
		case '0':
			if point {
				f.decimals++
			}
		}
	}
	switch {
	case date:
		return numberFormat{kind: dateNumber}
	case elapsed:
		return numberFormat{kind: lengthNumber}
	case clock:
		return numberFormat{kind: clockNumber}
	case percent:
		return numberFormat{} // 12.5% is the number 0.125
	}
	first, _, _ := strings.Cut(code, ";")
	if whole, behind, _ := strings.Cut(first, "."); len(whole) > 1 && strings.Trim(whole+behind, "0") == "" {
		f.digits = len(whole)
	}
	return f
}

func (w *workbook) readStyles() error {
	name := ""
	for n := range w.files {
		if strings.EqualFold(path.Base(n), "styles.xml") {
			name = n
		}
	}
	var styles struct {
		XMLName xml.Name
		Formats []struct {
			ID   int    `xml:"numFmtId,attr"`
			Code string `xml:"formatCode,attr"`
		} `xml:"numFmts>numFmt"`
		Cells []struct {
			Format int `xml:"numFmtId,attr"`
		} `xml:"cellXfs>xf"`
	}
	if ok, err := w.part(name, &styles); err != nil || !ok {
		return err
	}
	own := map[int]numberFormat{}
	for _, f := range styles.Formats {
		own[f.ID] = formatOf(f.Code)
	}
	for _, c := range styles.Cells {
		f, ok := own[c.Format]
		if !ok {
			f = builtIn(c.Format)
		}
		w.formats = append(w.formats, f)
	}
	return nil
}

// digits is how many digits a spreadsheet's numbers have; what is stored beyond them is the noise of binary fractions.
const digits = 15

// write is the text of a number as the cell means it.
func (w *workbook) write(dst []byte, stored []byte, f numberFormat) ([]byte, error) {
	switch f.kind {
	case dateNumber, clockNumber, lengthNumber:
		days, err := strconv.ParseFloat(string(stored), 64)
		if err != nil {
			return dst, fmt.Errorf("%q is no number", stored)
		}
		return w.writeTime(dst, days, f.kind)
	}
	text, err := withoutNoise(string(stored))
	if err != nil {
		return dst, err
	}
	if f.digits > 0 {
		number, negative := strings.CutPrefix(text, "-")
		if negative {
			dst = append(dst, '-')
		}
		whole, _, _ := strings.Cut(number, ".")
		for n := len(whole); n < f.digits; n++ {
			dst = append(dst, '0')
		}
		text = number
	}
	dst = append(dst, text...)
	if f.decimals > 0 {
		_, behind, point := strings.Cut(text, ".")
		if !point {
			dst = append(dst, '.')
		}
		for n := len(behind); n < f.decimals; n++ {
			dst = append(dst, '0')
		}
	}
	return dst, nil
}

// withoutNoise writes a stored number without an exponent and without digits beyond what spreadsheets reckon with. An
// integer without an exponent is written as it is stored, for its digits are exact.
func withoutNoise(stored string) (string, error) {
	significant, integer := 0, true
	for i, c := range stored {
		switch {
		case c >= '0' && c <= '9':
			if significant > 0 || c != '0' {
				significant++
			}
		case c == '-' && i == 0:
		default:
			integer = false
			if c != '.' {
				significant = digits + 1
			}
		}
	}
	if integer || significant <= digits {
		return stored, nil
	}
	v, err := strconv.ParseFloat(stored, 64)
	if err != nil || math.IsInf(v, 0) || math.IsNaN(v) {
		return "", fmt.Errorf("%q is no number", stored)
	}
	rounded, err := strconv.ParseFloat(strconv.FormatFloat(v, 'g', digits, 64), 64)
	if err != nil {
		return "", err
	}
	return strconv.FormatFloat(rounded, 'f', -1, 64), nil
}

// writeTime writes a number of days as a date, with its time of day where it has one, to the millisecond.
func (w *workbook) writeTime(dst []byte, days float64, k kind) ([]byte, error) {
	if days < 0 || days >= 2958466 || math.IsNaN(days) { // 10000-01-01
		return dst, fmt.Errorf("%v days are no date", days)
	}
	const day = 24 * 60 * 60 * 1000
	ms := int64(math.Round(days * day))
	whole, rest := ms/day, time.Duration(ms%day)*time.Millisecond
	clock := time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC).Add(rest)
	if k == lengthNumber || k == clockNumber && whole == 0 {
		hours := whole*24 + int64(rest/time.Hour)
		return fmt.Appendf(dst, "%02d%s", hours, clock.Format(":04:05.999")), nil
	}
	start := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	switch {
	case w.date1904:
		start = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	case whole == 60:
		dst = append(dst, "1900-02-29"...) // a day that spreadsheets know and the calendar does not
		start = time.Time{}
	case whole < 60:
		start = start.AddDate(0, 0, 1)
	}
	if !start.IsZero() {
		dst = start.AddDate(0, 0, int(whole)).AppendFormat(dst, time.DateOnly)
	}
	if rest > 0 {
		dst = clock.AppendFormat(dst, "T15:04:05.999")
	}
	return dst, nil
}
