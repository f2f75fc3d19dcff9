package again

import (
	"twinsieve/core/exception"
	"twinsieve/core/tray"
)

// Swap turns an exception that was found before the sides of its sieve were swapped into what it would have been with them so. What its fields
// came to is not turned: nothing is recognised by it.
func Swap(e *exception.Entry) {
	e.Tray, e.Side = e.Tray.Swapped(), e.Side.Other()
	if e.Tray.Paired() {
		e.Side = tray.Left
	}
	e.Sides[0], e.Sides[1] = e.Sides[1], e.Sides[0]
	if e.Group != nil {
		g := *e.Group
		g.Records[0], g.Records[1] = g.Records[1], g.Records[0]
		g.Count[0], g.Count[1] = g.Count[1], g.Count[0]
		e.Group = &g
	}
}
