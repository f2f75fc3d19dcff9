package diagnose

import (
	"slices"
	"strings"

	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// A remedy is only worth taking if the records that it would pair belong together. Two things are looked at: what a column holds, since
// dropping points, signs or digits of numbers and dates makes different amounts and days equal; and whether the pairs agree where
// the key says nothing.

// droppers are steps that drop characters which carry the value of a number or a date.
var droppers = []string{"letters-and-digits", "digits-only", "drop-zeros-in-digit-runs", "drop-leading-zeros", "drop-beginning", "drop-ending", "first", "last"}

// holdsValues reports whether the values of a part are numbers or dates on either side.
func (d *diagnoser) holdsValues(part int) bool {
	if known, ok := d.values[part]; ok {
		return known
	}
	found := false
	for _, s := range tray.Sides {
		f := typing.NewFinder()
		for _, list := range [][]*candidate{d.lonely[s], d.pool[s]} {
			for _, c := range list {
				if text := strings.TrimSpace(c.cells[part]); text != "" {
					f.Add([]byte(text), 1)
				}
			}
		}
		switch f.Find().Name {
		case typing.Integer, typing.Decimal, typing.Date, typing.Timestamp:
			found = true
		}
	}
	d.values[part] = found
	return found
}

// proven leaves out changes that would drop characters of numbers or dates.
func (d *diagnoser) proven(list []Change) []Change {
	return slices.DeleteFunc(list, func(c Change) bool {
		return slices.ContainsFunc(c.Readings, func(r reading.Reading) bool { return slices.Contains(droppers, r.Name) }) && d.holdsValues(c.Part)
	})
}

// judged is how many pairs of a cause are looked at to see whether they agree elsewhere.
const judged = 200

// Proof is how often the pairs of a cause agree in columns that are not part of the key.
type Proof struct {
	Compared int // values that were compared, over all pairs looked at
	Agreeing int
}

// Doubtful reports whether most of what was compared does not agree: the pairs are strangers, as far as can be seen.
func (p Proof) Doubtful() bool { return p.Compared > 0 && 2*p.Agreeing < p.Compared }

// prove looks at the pairs of each cause that a change of the sieve would make.
func (d *diagnoser) prove() error {
	for i := range d.out.Causes {
		c := &d.out.Causes[i]
		if len(c.Changes) == 0 && c.Kind != BlanksEqual {
			continue
		}
		var pairs [][2]uint32
		for _, f := range c.Found {
			if f.Partner != match.None && len(pairs) < judged {
				pair := [2]uint32{}
				pair[f.Side], pair[f.Side.Other()] = f.Row, f.Partner
				pairs = append(pairs, pair)
			}
		}
		var err error
		if c.Proof, err = d.proof(pairs); err != nil {
			return err
		}
	}
	return nil
}

func (d *diagnoser) proof(pairs [][2]uint32) (p Proof, err error) {
	var cells [2]map[uint32][]record.Cell
	for _, s := range tray.Sides {
		var rows []uint32
		for _, pair := range pairs {
			rows = append(rows, pair[s])
		}
		slices.Sort(rows)
		rows = slices.Compact(rows)
		cells[s] = map[uint32][]record.Cell{}
		err := record.Gather(d.ctx, d.tables[s], rows, func(n int, b *record.Batch, i int) { cells[s][rows[n]] = b.Cells(i) })
		if err != nil {
			return p, err
		}
	}
	same := d.sameNames()
	var readers [2][]*reading.Reader
	for _, v := range d.plan.Values {
		for _, s := range tray.Sides {
			readers[s] = append(readers[s], v.Chain[s].Reader())
		}
	}
	for _, pair := range pairs {
		l, r := cells[0][pair[0]], cells[1][pair[1]]
		for _, f := range d.plan.Fields {
			v := d.plan.Values[f.Value]
			left, right := l[v.Column[0]].Content(), r[v.Column[1]].Content()
			if left == "" && right == "" {
				continue
			}
			p.Compared++
			if f.Rule.Agree(readers[0][f.Value].Cell([]byte(left)), readers[1][f.Value].Cell([]byte(right))) {
				p.Agreeing++
			}
		}
		for _, c := range same {
			left, right := l[c[0]].Content(), r[c[1]].Content()
			if left == "" && right == "" {
				continue
			}
			p.Compared++
			if strings.EqualFold(strings.TrimSpace(left), strings.TrimSpace(right)) {
				p.Agreeing++
			}
		}
	}
	return p, nil
}

// sameNames are the pairs of columns that are named alike, and are neither in the key nor compared.
func (d *diagnoser) sameNames() (pairs [][2]int) {
	taken := [2]map[int]bool{{}, {}}
	for _, s := range tray.Sides {
		for _, k := range d.plan.Key {
			taken[s][k.Column[s]] = true
		}
		for _, f := range d.plan.Fields {
			taken[s][d.plan.Values[f.Value].Column[s]] = true
		}
	}
	for l, name := range d.plan.Columns[0] {
		r := slices.IndexFunc(d.plan.Columns[1], func(other string) bool { return strings.EqualFold(name, other) })
		if r >= 0 && !taken[0][l] && !taken[1][r] {
			pairs = append(pairs, [2]int{l, r})
		}
	}
	return pairs
}
