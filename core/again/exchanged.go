package again

import (
	"twinsieve/core/exception"
	"twinsieve/core/tray"
)

// Exchange turns an exception that was found before the sides of its sieve were exchanged into what it would have been with them so. What its
// fields came to is not turned: nothing is recognised by it.
func Exchange(e *exception.Entry) {
	e.Tray, e.Side = ExchangedTray(e.Tray), e.Side.Other()
	e.Sides[0], e.Sides[1] = e.Sides[1], e.Sides[0]
	if e.Tray.Paired() {
		e.Side = tray.Left
	}
	if e.Group != nil {
		g := *e.Group
		g.Records[0], g.Records[1] = g.Records[1], g.Records[0]
		g.Count[0], g.Count[1] = g.Count[1], g.Count[0]
		e.Group = &g
	}
}

// ExchangedTray is the tray of an exception once sides are exchanged: what the one side misses, the other has too many.
func ExchangedTray(t tray.Tray) tray.Tray {
	switch t {
	case tray.Missing:
		return tray.Orphaned
	case tray.Orphaned:
		return tray.Missing
	}
	return t
}
