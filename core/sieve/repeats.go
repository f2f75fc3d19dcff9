package sieve

import (
	"fmt"
	"strings"

	"twinsieve/core/tray"
)

// Repeats says what becomes of the records of a key that repeats.
type Repeats uint8

// The rules for repeated keys.
const (
	Pair        Repeats = iota // they are paired one to one; who is left over is surplus
	Totals                     // a key's records are one group on each side, compared by their totals
	RefuseLeft                 // no key may repeat on the left
	RefuseRight                // no key may repeat on the right
	RefuseBoth                 // no key may repeat on either side
)

var repeatsNames = [...]string{"pair", "totals", "refuse-left", "refuse-right", "refuse-both"}

// String is the rule's identifier.
func (r Repeats) String() string { return repeatsNames[r] }

// ParseRepeats returns the rule with the given identifier; an empty one means [Pair].
func ParseRepeats(name string) (Repeats, error) {
	if name == "" {
		return Pair, nil
	}
	for i, n := range repeatsNames {
		if n == name {
			return Repeats(i), nil
		}
	}
	return 0, fmt.Errorf("%q is no rule for repeated keys; write one of %s", name, strings.Join(repeatsNames[:], ", "))
}

// Refuses reports whether a key may not repeat on side s.
func (r Repeats) Refuses(s tray.Side) bool {
	return r == RefuseBoth || r == RefuseLeft && s == tray.Left || r == RefuseRight && s == tray.Right
}
