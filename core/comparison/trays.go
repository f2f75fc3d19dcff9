package comparison

import "twinsieve/core/tray"

// inTray is the rows of the records in a tray: pairs at their left record, or the records of one side.
type inTray struct {
	*records
	groups *Groups
}

func (g *Groups) inTray(c Choice) *inTray {
	s := c.Side
	if c.Tray.Paired() {
		s = tray.Left
	}
	return &inTray{g.records(s, func(row uint32) bool { return g.appearsInTray(c, s, row) > 0 }), g}
}

func (t *inTray) read(first int64, into []Row) int {
	n := t.records.read(first, into)
	for i := range into[:n] {
		if row := into[i][t.side]; t.groups.index.Sides[t.side].Trays[row].Paired() {
			into[i][t.side.Other()] = t.groups.index.Sides[t.side].Partners[row]
		}
	}
	return n
}

// appearsInTray is in how many rows of a tray a record is. Of a group that was compared by its totals, its first record of each
// side stands for it.
func (g *Groups) appearsInTray(c Choice, s tray.Side, row uint32) int64 {
	side := &g.index.Sides[s]
	if side.Trays[row] != c.Tray || c.Tray.Paired() && side.Partners[row] == None || !c.Tray.Paired() && s != c.Side {
		return 0
	}
	return 1
}

// OneSide reports whether the rows have columns of one side alone, and of which.
func (c Choice) OneSide() (tray.Side, bool) {
	switch {
	case c.ByTray:
		return c.Side, !c.Tray.Paired()
	case c.Dropped, c.Comparison == Separate:
		return c.Side, true
	case c.Comparison.IsWhole():
		return tray.Left, false
	}
	for _, s := range tray.Sides {
		if !c.Comparison.Yields(s.Other()) {
			return s, true
		}
	}
	return tray.Left, false
}
