package exact

import "strings"

// Places is with how many places behind the point a number in plain form is written for people: as many as it has, and two where it has one, as
// amounts are.
func Places(plain string) int {
	_, fraction, _ := strings.Cut(plain, ".")
	if len(fraction) == 1 {
		return 2
	}
	return len(fraction)
}

// Grouped is a number in plain form with commas between its thousands, and with at least so many places behind the point: none that it has is
// left out. The empty text stays empty.
func Grouped(plain string, places int) string {
	rest, negative := strings.CutPrefix(plain, "-")
	whole, fraction, _ := strings.Cut(rest, ".")
	if whole == "" {
		return ""
	}
	var out strings.Builder
	if negative {
		out.WriteByte('-')
	}
	for i, digit := range whole {
		if i > 0 && (len(whole)-i)%3 == 0 {
			out.WriteByte(',')
		}
		out.WriteRune(digit)
	}
	if fraction += strings.Repeat("0", max(0, places-len(fraction))); fraction != "" {
		out.WriteString("." + fraction)
	}
	return out.String()
}
