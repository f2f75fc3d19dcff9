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
