package diagnose

import (
	"slices"

	"twinsieve/core/reading"
)

// loosening is a reading that might be all that is wanting.
type loosening struct {
	reading string
	front   bool // before the readings that are there: it cleans what they could trip over
}

// loosenings are tried in this order.
var loosenings = []loosening{
	{"drop-invisible", true}, {"trim", true}, {"single-spaces", true}, {"plain-marks", true}, {"plain-letters", true}, {"normal-form NFC", true},
	{"ignore-case", false}, {"drop-accents", false}, {"drop-leading-zeros", false}, {"drop-zeros-in-digit-runs", false},
}

// punctuation is tried last, for it makes most alike.
var punctuation = loosening{"letters-and-digits", false}

// typed are readings whose outcome is no text any more: nothing is loosened behind them.
var typed = []string{"number", "negate", "date", "time", "to-day", "to-month", "to-year", "yes-no"}

func (d *diagnoser) isText(part int) bool {
	return !slices.ContainsFunc(d.plan.Definition.Key[part].Readings, func(r reading.Reading) bool { return slices.Contains(typed, r.Name) })
}

// changesOf makes a change of a loosening for each part that it can be added to, and that does not have it already.
func (d *diagnoser) changesOf(l loosening) (list []Change) {
	r := reading.MustParse(l.reading)[0]
	for p, k := range d.plan.Definition.Key {
		has := slices.ContainsFunc(k.Readings, func(o reading.Reading) bool { return o.Side == nil && o.Name == r.Name })
		if !has && (l.front || d.isText(p)) {
			list = append(list, Change{Part: p, Front: l.front, Readings: []reading.Reading{r}})
		}
	}
	return d.proven(list)
}

func (d *diagnoser) readingChanges() (list []Change) {
	for _, l := range loosenings {
		list = append(list, d.changesOf(l)...)
	}
	return list
}

func (d *diagnoser) punctuationChanges() []Change { return d.changesOf(punctuation) }

// everything is all loosenings at once, in an order in which each finds what it needs: what stands in front is put in front
// last.
func (d *diagnoser) everything() (list []Change) {
	for _, l := range slices.Backward(loosenings) {
		if l.front {
			list = append(list, d.changesOf(l)...)
		}
	}
	for _, l := range append(loosenings, punctuation) {
		if !l.front {
			list = append(list, d.changesOf(l)...)
		}
	}
	return list
}

// loosen explains what one reading more would pair. Only records that would pair with all of them at once are tried.
func (d *diagnoser) loosen(columns []Change) {
	for _, c := range columns {
		d.add(Loosened, c.Part, []Change{c}, d.paired(d.lonely, []Change{c}, nil))
	}
	alike := bySide(d.paired(d.lonely, d.everything(), nil))
	try := func(list []Change, lonely [2][]*candidate) {
		for _, c := range list {
			d.add(Loosened, c.Part, []Change{c}, d.paired(lonely, []Change{c}, nil))
		}
	}
	try(d.readingChanges(), alike)
	try(d.endings(), d.lonely)
	try(d.punctuationChanges(), alike)
	for p := range d.plan.Key {
		if !d.plan.Key[p].BlanksEqual {
			d.add(BlanksEqual, p, nil, d.paired(d.lonely, nil, &p))
		}
	}
	d.several(alike)
}
