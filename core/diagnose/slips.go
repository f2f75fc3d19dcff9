package diagnose

import (
	"cmp"
	"context"
	"slices"
	"time"

	"twinsieve/core/exception"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/similar"
	"twinsieve/core/tray"
)

// slip is a pair of records without a partner whose keys are one slip apart.
type slip struct {
	kind        Kind
	part        int
	left, right *candidate
}

var slipOrder = []Kind{DayOff, DayAndMonth, Exchanged, OneCharacter}

// slips finds records whose keys are one slip apart, and gives each the nearest partner that is left: first by kind, then by
// record numbers.
func (d *diagnoser) slips() {
	var all []slip
	add := func(kind Kind, part int, a, b *candidate) {
		if a.side == tray.Right {
			a, b = b, a
		}
		all = append(all, slip{kind, part, a, b})
	}
	d.dayOff(add)
	d.oneCharacter(add)
	slices.SortStableFunc(all, func(a, b slip) int {
		return cmp.Or(cmp.Compare(slices.Index(slipOrder, a.kind), slices.Index(slipOrder, b.kind)), cmp.Compare(a.left.row, b.left.row), cmp.Compare(a.right.row, b.right.row))
	})
	d.take(all, slipOrder)
}

// take explains records by pairs, each record by its first.
func (d *diagnoser) take(all []slip, order []Kind) {
	type place struct {
		kind Kind
		part int
	}
	explained := map[place][]*candidate{}
	for _, p := range all {
		if p.left.partner != nil || p.right.partner != nil {
			continue
		}
		p.left.partner, p.right.partner = p.right, p.left
		at := place{p.kind, p.part}
		explained[at] = append(explained[at], p.left, p.right)
	}
	for _, kind := range order {
		for part := range d.plan.Key {
			d.add(kind, part, nil, explained[place{kind, part}])
		}
	}
}

// isDay reports whether both sides read a part as a day.
func (d *diagnoser) isDay(part int) bool {
	return reading.GiveAll(d.plan.Definition.Key[part].Readings, "date", "to-day")
}

// dayOff finds keys that are equal but for a day: one off, or day and month exchanged.
func (d *diagnoser) dayOff(add func(kind Kind, part int, a, b *candidate)) {
	d.open(tray.Left)
	byKey := map[string][]*candidate{}
	for _, c := range d.open(tray.Right) {
		if c.keyed {
			byKey[c.key] = append(byKey[c.key], c)
		}
	}
	for p := range d.plan.Key {
		if !d.isDay(p) {
			continue
		}
		for _, c := range d.lonely[tray.Left] {
			if !c.keyed {
				continue
			}
			day, err := time.Parse(time.DateOnly, string(c.values[p].Text))
			if err != nil {
				continue
			}
			others := map[string]Kind{day.AddDate(0, 0, 1).Format(time.DateOnly): DayOff, day.AddDate(0, 0, -1).Format(time.DateOnly): DayOff}
			turned := day.Format("2006-") + day.Format("02-") + day.Format("01")
			if _, err := time.Parse(time.DateOnly, turned); err == nil && others[turned] == "" && turned != string(c.values[p].Text) {
				others[turned] = DayAndMonth
			}
			for text, kind := range others {
				for _, o := range byKey[c.keyWith(p, text)] {
					add(kind, p, c, o)
				}
			}
		}
	}
}

// keyWith is a keyed record's key with another text for one part.
func (c *candidate) keyWith(part int, text string) string {
	var key []byte
	for p, v := range c.values {
		switch {
		case p == part:
			key = appendPart(key, []byte(text))
		case v.State == reading.Text:
			key = appendPart(key, v.Text)
		default:
			key = append(key, blankKeyPart)
		}
	}
	return string(key)
}

// longest is how many characters a text may have for slips in it to be looked for.
const longest = 80

// oneCharacter finds keys that are equal but for one part, in which two neighbours are exchanged or one character is wrong, missing
// or too much. Two such texts become the same when the right character is dropped from each, or from one: so each record is
// filed under its key with every one character dropped.
func (d *diagnoser) oneCharacter(add func(kind Kind, part int, a, b *candidate)) {
	for p := range d.plan.Key {
		if d.isDay(p) {
			continue
		}
		files := map[string][]*candidate{}
		for _, c := range d.open(tray.Right) {
			c.dropOne(p, func(key string) { files[key] = append(files[key], c) })
		}
		for _, c := range d.open(tray.Left) {
			seen := map[*candidate]bool{}
			c.dropOne(p, func(key string) {
				for _, o := range files[key] {
					if seen[o] {
						continue
					}
					seen[o] = true
					l, r := []rune(string(c.values[p].Text)), []rune(string(o.values[p].Text))
					if similar.Distance(l, r, 1) > 1 {
						continue
					}
					kind := OneCharacter
					if similar.Exchanged(l, r) {
						kind = Exchanged
					}
					add(kind, p, c, o)
				}
			})
		}
	}
}

func (c *candidate) dropOne(part int, visit func(key string)) {
	v := c.values[part]
	if !c.keyed || v.State != reading.Text || len(v.Text) > longest {
		return
	}
	text := []rune(string(v.Text))
	if len(text) < 3 { // anything is one slip from two characters
		return
	}
	similar.DropOne(text, func(shorter []byte) { visit(c.keyWith(part, string(shorter))) })
}

// mostRest is how many records may have all of a key but one part for their compared fields to be held against each other.
const mostRest = 50

// otherParts finds records that have all of a key but one part in common, the last of it wanting or another, and whose compared
// fields all agree.
func (d *diagnoser) otherParts() error {
	if len(d.plan.Fields) == 0 || len(d.plan.Key) < 2 {
		return nil
	}
	var pairs []slip
	for p := range d.plan.Key {
		files := map[string][]*candidate{}
		for _, c := range d.open(tray.Right) {
			if c.restKeyed(p) {
				key := c.keyWith(p, "")
				files[key] = append(files[key], c)
			}
		}
		for _, c := range d.open(tray.Left) {
			if !c.restKeyed(p) {
				continue
			}
			list := files[c.keyWith(p, "")]
			if len(list) > mostRest {
				continue
			}
			for _, o := range list {
				if c.values[p].State == reading.Text && o.values[p].State == reading.Text {
					pairs = append(pairs, slip{OtherPart, p, c, o})
				}
			}
		}
	}
	agreeing, err := d.agreeing(d.ctx, pairs)
	if err != nil {
		return err
	}
	d.take(agreeing, []Kind{OtherPart})
	return nil
}

// restKeyed reports whether all parts but one have a text.
func (c *candidate) restKeyed(part int) bool {
	for p, v := range c.values {
		if p != part && v.State != reading.Text {
			return false
		}
	}
	return true
}

// agreeing keeps the pairs whose compared fields agree, at least one of them with a value.
func (d *diagnoser) agreeing(ctx context.Context, pairs []slip) (kept []slip, err error) {
	var records [2]map[uint32][]record.Cell
	for _, s := range tray.Sides {
		var rows []uint32
		for _, p := range pairs {
			rows = append(rows, [2]*candidate{p.left, p.right}[s].row)
		}
		slices.Sort(rows)
		rows = slices.Compact(rows)
		records[s] = make(map[uint32][]record.Cell, len(rows))
		if err := record.Gather(ctx, d.tables[s], rows, func(n int, b *record.Batch, i int) { records[s][rows[n]] = b.Cells(i) }); err != nil {
			return nil, err
		}
	}
	for _, p := range pairs {
		e := &exception.Entry{Tray: tray.Differing, Sides: [2]*exception.Record{{Cells: records[0][p.left.row]}, {Cells: records[1][p.right.row]}}}
		exception.Judge(d.plan, e)
		values := 0
		all := true
		for _, f := range e.Fields {
			all = all && f.Agrees
			if f.States[0] == reading.Text {
				values++
			}
		}
		if all && values > 0 {
			kept = append(kept, p)
		}
	}
	return kept, nil
}

// withoutPartner explains what is left: parts without a value, and then nothing.
func (d *diagnoser) withoutPartner() {
	for _, kind := range []Kind{Blank, Emptied, Unreadable} {
		for p := range d.plan.Key {
			var explained []*candidate
			for _, s := range tray.Sides {
				for _, c := range d.open(s) {
					if !c.keyed && c.values[p].State == map[Kind]reading.State{Blank: reading.Blank, Emptied: reading.Emptied, Unreadable: reading.Unreadable}[kind] &&
						!(c.values[p].State.IsBlank() && d.plan.Key[p].BlanksEqual) {
						explained = append(explained, c)
					}
				}
			}
			d.add(kind, p, nil, explained)
		}
	}
	var rest []*candidate
	for _, s := range tray.Sides {
		rest = append(rest, d.open(s)...)
	}
	d.add(Nothing, -1, nil, rest)
}
