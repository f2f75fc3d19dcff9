package diagnose

import (
	"runtime"
	"slices"
	"strings"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/reading"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
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
	return list
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

// fillPool finds the records of a side that have a partner or are excluded, and that a lonely record of the other side would
// pair with if all readings were added.
func (d *diagnoser) fillPool(s tray.Side) error {
	all := d.everything()
	wanted := map[string]bool{}
	other := d.readers(s.Other(), all)
	for _, c := range d.lonely[s.Other()] {
		if key, ok := d.keyOf(c.cells, other, nil, nil); ok {
			wanted[key] = true
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	found := make([][]*candidate, len(d.tables[s].Starts())) // by batch, so that the order is that of the input
	var next atomic.Int64
	group, ctx := errgroup.WithContext(d.ctx)
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() error {
			readers, plain := d.readers(s, all), d.readers(s, nil)
			cells := make([]string, len(d.plan.Key))
			for {
				n := int(next.Add(1)) - 1
				if n >= len(found) {
					return nil
				}
				b, err := d.tables[s].Batch(ctx, n)
				if err != nil {
					return err
				}
				for i := range b.Records() {
					t := d.index.Sides[s].Trays[b.First+int64(i)]
					if Lonely(t) {
						continue
					}
					for p, k := range d.plan.Key {
						if cells[p] = ""; b.Columns[k.Column[s]].IsValid(i) {
							cells[p] = b.Columns[k.Column[s]].Value(i)
						}
					}
					if key, ok := d.keyOf(cells, readers, nil, nil); ok && wanted[key] {
						c := d.candidate(s, b, i, plain)
						c.excluded = t == tray.Excluded
						found[n] = append(found[n], c)
					}
				}
			}
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	d.pool[s] = slices.Concat(found...)
	return nil
}

// filtered finds records whose key an excluded record of the other side has.
func (d *diagnoser) filtered() {
	for _, s := range tray.Sides {
		left := map[string]*candidate{}
		for _, c := range slices.Backward(d.pool[s.Other()]) {
			if c.excluded && c.keyed {
				left[c.key] = c
			}
		}
		d.pool[s.Other()] = slices.DeleteFunc(d.pool[s.Other()], func(c *candidate) bool { return c.excluded })
		var explained []*candidate
		for _, c := range d.lonely[s] {
			if o := left[c.key]; o != nil && c.keyed {
				c.partner = o
				explained = append(explained, c)
			}
		}
		d.add(Filter, -1, nil, explained)
	}
}

// paired returns those of the lonely records that would find a partner with the changes, among them or in the pool, and gives
// each its first one.
func (d *diagnoser) paired(lonely [2][]*candidate, changes []Change, blankPart *int) (explained []*candidate) {
	type group struct {
		lonely [2][]*candidate
		first  [2]*candidate
	}
	groups := map[string]*group{}
	for i := range 2 { // the lonely ones first, so that only their keys are kept
		for _, s := range tray.Sides {
			readers := d.readers(s, changes)
			for _, c := range [2][]*candidate{lonely[s], d.pool[s]}[i] {
				if c.done {
					continue
				}
				key, ok := d.keyOf(c.cells, readers, blankPart, nil)
				g := groups[key]
				switch {
				case !ok, i == 1 && g == nil:
					continue
				case g == nil:
					g = &group{}
					groups[key] = g
				}
				if i == 0 {
					g.lonely[s] = append(g.lonely[s], c)
				}
				if g.first[s] == nil {
					g.first[s] = c
				}
			}
		}
	}
	for _, g := range groups {
		for _, s := range tray.Sides {
			if partner := g.first[s.Other()]; partner != nil {
				for _, c := range g.lonely[s] {
					c.partner = partner
					explained = append(explained, c)
				}
			}
		}
	}
	inOrder(explained)
	return explained
}

// inOrder sorts records by side and number.
func inOrder(list []*candidate) {
	slices.SortFunc(list, func(a, b *candidate) int {
		if a.side != b.side {
			return int(a.side) - int(b.side)
		}
		return int(int64(a.row) - int64(b.row))
	})
}

// bySide divides records by side.
func bySide(list []*candidate) (sides [2][]*candidate) {
	for _, c := range list {
		sides[c.side] = append(sides[c.side], c)
	}
	return sides
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

// columnChanges are readings that a part's values as a whole ask for: dates or numbers that are written in another form than
// the sieve states, or of which it does not say that they are any.
func (d *diagnoser) columnChanges() (list []Change) {
	for p := range d.plan.Key {
		if !d.isText(p) {
			for _, s := range tray.Sides {
				list = append(list, d.otherLayout(p, s)...)
			}
			continue
		}
		var types [2]typing.Finding
		for _, s := range tray.Sides {
			f := typing.NewFinder()
			for _, c := range d.lonely[s] {
				if v := c.values[p]; v.State == reading.Text {
					f.Add(v.Text, 1)
				}
			}
			types[s] = f.Find()
		}
		list = append(list, typedChange(p, types)...)
	}
	return list
}

// typedChange reads both sides as dates, or as numbers, where both are written so and not alike.
func typedChange(part int, types [2]typing.Finding) []Change {
	if types[0].Type == types[1].Type && types[0].Name == typing.Date {
		return nil
	}
	var readings []reading.Reading
	for _, s := range tray.Sides {
		r := reading.Reading{Side: &s}
		switch t := types[s]; {
		case t.Name == typing.Date && types[s.Other()].Name == typing.Date && t.Form != "":
			r.Name, r.Argument = "date", t.Form
		case t.Name == typing.Decimal && isNumber(types[s.Other()]) && t.Form != "":
			r.Name, r.Argument = "number", t.Form
		case t.Name == typing.Integer && types[s.Other()].Name == typing.Decimal:
			r.Name = "number"
		default:
			return nil
		}
		readings = append(readings, r)
	}
	return []Change{{Part: part, Readings: readings}}
}

func isNumber(t typing.Finding) bool { return t.Name == typing.Integer || t.Name == typing.Decimal }

// otherLayout reads a side's dates in one more layout: the one that reads most of those that cannot be read, where no other
// reads as many and means other days.
func (d *diagnoser) otherLayout(part int, s tray.Side) []Change {
	list := d.plan.Definition.Key[part].Readings
	at := slices.IndexFunc(list, func(r reading.Reading) bool { return r.Name == "date" && (r.Side == nil || *r.Side == s) })
	if at < 0 {
		return nil
	}
	days := map[string][]string{} // by layout, what it reads, in the order of the records
	most := 0
	for _, layout := range typing.DateLayouts() {
		chain, err := reading.Compile([]reading.Reading{{Name: "date", Argument: layout}}, s, nil)
		if err != nil {
			continue
		}
		r := chain.Reader()
		for _, c := range d.lonely[s] {
			if c.values[part].State != reading.Unreadable {
				continue
			}
			if v := r.Cell([]byte(strings.TrimSpace(c.cells[part]))); v.State == reading.Text {
				days[layout] = append(days[layout], string(v.Text))
			}
		}
		most = max(most, len(days[layout]))
	}
	best := ""
	for _, layout := range typing.DateLayouts() {
		switch {
		case most == 0 || len(days[layout]) < most:
		case best == "":
			best = layout
		case !slices.Equal(days[best], days[layout]):
			return nil
		}
	}
	if best == "" {
		return nil
	}
	more := list[at]
	more.Side = &s
	more.Argument += " or " + best
	if _, err := reading.Parse(more.String()); err != nil {
		return nil // the two layouts would read one text in two ways
	}
	return []Change{{Part: part, Replace: "date", Readings: []reading.Reading{more}}}
}
