// Package tray names the places where a record ends up. Every record of both sides lies in exactly one.
package tray

import "fmt"

// Side is one of the two sides of a sieve. Left is the reference: what should be there.
type Side uint8

// The two sides.
const (
	Left Side = iota
	Right
)

// Sides are both sides, left first, for loops.
var Sides = [2]Side{Left, Right}

// String returns "left" or "right".
func (s Side) String() string {
	if s == Left {
		return "left"
	}
	return "right"
}

// Other returns the opposite side.
func (s Side) Other() Side { return 1 - s }

// Tray is the place of a record.
type Tray uint8

// The trays. Missing holds left records only, Orphaned right records only; the others hold records of both sides.
const (
	Matched   Tray = iota // paired, and every compared field agrees
	Differing             // paired, and a compared field does not agree
	Missing               // no right record has the key
	Orphaned              // no left record has the key
	Surplus               // the key is on both sides, but more often on this one
	Unkeyed               // a key part is blank or unreadable
	Excluded              // the side's row filter left the record out
	Count                 // how many trays there are
)

// Reject is no tray. It stands in a tray's place for an exception that is a line of a source which is no record.
const Reject Tray = 0x80

const reject = "reject"

var names = [Count]string{"matched", "differing", "missing", "orphaned", "surplus", "unkeyed", "excluded"}

// All are the trays in the order in which people read them.
var All = [Count]Tray{Matched, Differing, Missing, Orphaned, Surplus, Unkeyed, Excluded}

// String returns the tray's identifier, as in files, interfaces and commands.
func (t Tray) String() string {
	if t < Count {
		return names[t]
	}
	if t == Reject {
		return reject
	}
	return fmt.Sprintf("tray(%d)", uint8(t))
}

// Parse returns the tray with the identifier name.
func Parse(name string) (Tray, error) {
	for i, n := range names {
		if n == name {
			return Tray(i), nil
		}
	}
	return 0, fmt.Errorf("there is no tray %q; the trays are %v", name, names)
}

// MarshalText writes the identifier.
func (t Tray) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

// ParseException is [Parse] for exceptions, which may be a [Reject], too.
func ParseException(name string) (Tray, error) {
	if name == reject {
		return Reject, nil
	}
	t, err := Parse(name)
	if err != nil {
		err = fmt.Errorf("%w; a line that is no record is a %s", err, reject)
	}
	return t, err
}

// UnmarshalText reads an identifier.
func (t *Tray) UnmarshalText(b []byte) (err error) {
	if string(b) == reject {
		*t = Reject
		return nil
	}
	*t, err = Parse(string(b))
	return err
}

// On reports whether records of side s can lie in the tray.
func (t Tray) On(s Side) bool {
	return !(t == Missing && s == Right) && !(t == Orphaned && s == Left)
}

// Swapped is the tray in which a record lies once the sides are swapped: what is missing on the one is orphaned on the other.
func (t Tray) Swapped() Tray {
	switch t {
	case Missing:
		return Orphaned
	case Orphaned:
		return Missing
	}
	return t
}

// Paired reports whether the tray's records have a partner each.
func (t Tray) Paired() bool { return t == Matched || t == Differing }

// Lonely reports whether the tray's records have found no partner and no other record of their key's has taken it: they are
// missing, orphaned or unkeyed.
func (t Tray) Lonely() bool { return t == Missing || t == Orphaned || t == Unkeyed }

// Exception reports whether the tray's records, or rejects, are exceptions: something that a person has to look at.
func (t Tray) Exception() bool {
	return t == Differing || t == Missing || t == Orphaned || t == Surplus || t == Unkeyed || t == Reject
}
