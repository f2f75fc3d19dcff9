package diagnose

import (
	"slices"
	"strings"

	"twinsieve/core/reading"
)

// several explains records that need more than one reading: each gets the readings that cannot be spared, taken away from
// behind one after the other.
func (d *diagnoser) several(lonely [2][]*candidate) {
	sets := map[string][]Change{}
	explained := map[string][]*candidate{}
	var names []string
	for {
		left := d.paired(lonely, d.everything(), nil)
		if len(left) == 0 {
			break
		}
		first := left[0]
		set := d.everything()
		slices.SortStableFunc(set, func(a, b Change) int { return rank(a) - rank(b) })
		for i := len(set) - 1; i >= 0; i-- {
			if without := slices.Delete(slices.Clone(set), i, i+1); d.equal(first, first.partner, orderFor(without)) {
				set = without
			}
		}
		name := setName(set)
		if sets[name] == nil {
			sets[name] = orderFor(set)
			names = append(names, name)
		}
		with := d.paired(lonely, sets[name], nil)
		if len(with) == 0 { // the order of the readings matters to it; its own cells are proof enough
			with = []*candidate{first}
		}
		for _, c := range with {
			c.done = true
		}
		explained[name] = append(explained[name], with...)
	}
	for _, name := range names {
		d.add(Several, -1, sets[name], explained[name])
	}
}

// equal reports whether two records of two sides have one key with the changes.
func (d *diagnoser) equal(a, b *candidate, changes []Change) bool {
	mine, ok := d.keyOf(a.cells, d.readers(a.side, changes), nil, nil)
	theirs, ok2 := d.keyOf(b.cells, d.readers(b.side, changes), nil, nil)
	return ok && ok2 && mine == theirs
}

// rank is a change's place in the order in which readings are tried.
func rank(c Change) int {
	for i, l := range append(loosenings, punctuation) {
		if reading.MustParse(l.reading)[0].Name == c.Readings[0].Name {
			return i
		}
	}
	return len(loosenings) + 1
}

// orderFor puts changes into the order in which they are to be applied: those in front backwards.
func orderFor(set []Change) []Change {
	var list []Change
	for _, c := range slices.Backward(set) {
		if c.Front {
			list = append(list, c)
		}
	}
	for _, c := range set {
		if !c.Front {
			list = append(list, c)
		}
	}
	return list
}

func setName(set []Change) string {
	var parts []string
	for _, c := range set {
		parts = append(parts, c.Readings[0].String()+"@"+string(rune('0'+c.Part)))
	}
	return strings.Join(parts, ",")
}
