package pairing

import (
	"twinsieve/core/agree"
	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Group compares a key's records as one group on each side, where a sieve says repeats: totals. Fields compared as decimal
// are summed; any other field agrees where both sides have the same set of different values. A blank amount counts as zero,
// but a side whose amounts are all blank has a blank total. One unreadable value leaves the group without agreement in its
// field.
type Group struct {
	fields []sieve.PlanField
	sides  [2][]groupField
}

// groupField is what one side's records give for one field.
type groupField struct {
	sum        exact.Sum
	texts      int64
	unreadable int64
	distinct   map[string]struct{} // of fields that are not summed: the texts, and "" where there is a blank
}

// GroupOutcome is how one field of a group came out.
type GroupOutcome struct {
	Agrees     bool
	Values     [2]reading.Value // of a summed field, each side's total; else only the state: unreadable, blank where all are, or text
	Difference string           // right total minus left total; empty where there is none to take
}

// NewGroup returns an empty group.
func NewGroup(fields []sieve.PlanField) *Group {
	g := &Group{fields: fields}
	g.Reset()
	return g
}

// Reset empties the group.
func (g *Group) Reset() {
	for s := range g.sides {
		g.sides[s] = make([]groupField, len(g.fields))
	}
}

// Add adds a record of side s with the plan's values.
func (g *Group) Add(s tray.Side, values []reading.Value) {
	for i, f := range g.fields {
		v, into := values[f.Value], &g.sides[s][i]
		switch {
		case v.State == reading.Unreadable:
			into.unreadable++
			continue
		case v.State == reading.Text:
			into.texts++
		}
		if f.Rule.Kind == agree.Decimal {
			if v.State == reading.Text {
				into.sum.Add(v.Text)
			}
			continue
		}
		if into.distinct == nil {
			into.distinct = map[string]struct{}{}
		}
		if _, ok := into.distinct[string(v.Text)]; !ok {
			into.distinct[string(v.Text)] = struct{}{}
		}
	}
}

// Matched reports whether every field agrees.
func (g *Group) Matched() bool {
	for i := range g.fields {
		if !g.Outcome(i).Agrees {
			return false
		}
	}
	return true
}

// Outcome says how field i came out.
func (g *Group) Outcome(i int) (o GroupOutcome) {
	rule := g.fields[i].Rule
	for s := range g.sides {
		f := &g.sides[s][i]
		switch {
		case f.unreadable > 0:
			o.Values[s].State = reading.Unreadable
		case f.texts == 0:
			o.Values[s].State = reading.Blank
		case rule.Kind == agree.Decimal:
			o.Values[s].Text = []byte(exact.Text(f.sum.Total()))
		}
	}
	if rule.Kind == agree.Decimal {
		o.Agrees = rule.Agree(o.Values[0], o.Values[1])
		if d, ok := rule.Difference(o.Values[0], o.Values[1]); ok {
			o.Difference = exact.Text(d)
		}
		return o
	}
	l, r := g.sides[0][i].distinct, g.sides[1][i].distinct
	o.Agrees = len(l) == len(r) && o.Values[0].State != reading.Unreadable && o.Values[1].State != reading.Unreadable
	for text := range l {
		if _, ok := r[text]; !ok {
			o.Agrees = false
			break
		}
	}
	return o
}
