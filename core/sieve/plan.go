package sieve

import (
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/agree"
	"twinsieve/core/expression"
	"twinsieve/core/reading"
	"twinsieve/core/similar"
	"twinsieve/core/tray"
)

// Plan is a definition resolved against the columns of two record sets.
type Plan struct {
	Definition Definition
	Columns    [2][]string            // column names of each side
	Where      [2]*expression.Program // which records take part; nil: all
	Key        []PlanKey              // parts of the key
	Fields     []PlanField            // compared fields
	Values     []PlanValue            // what fields and amounts read, each once
	Amounts    []PlanAmount           // amounts of the balance
	Currency   int                    // which of the plan's values says in which currency they are; -1: they are all in one
	Repeats    Repeats
	Crosswalk  Crosswalk // set by who has one

	lists reading.Lists
}

// PlanValue is a pair of columns and how each side's is read. Both indexes of an array are by side.
type PlanValue struct {
	Column [2]int
	Chain  [2]reading.Chain
}

// PlanKey is a part of the key.
type PlanKey struct {
	PlanValue
	BlanksEqual bool
}

// PlanField is a compared field: which of the plan's values it compares, and by which rule.
type PlanField struct {
	Name  string
	Value int
	Rule  agree.Rule
}

// PlanAmount is an amount of the balance: which of the plan's values holds it.
type PlanAmount struct {
	Name  string
	Value int
}

// Compile resolves the definition against the column names of both sides. Errors are of type *[Error].
func (d Definition) Compile(left, right []string) (*Plan, error) {
	p := &Plan{Definition: d, Columns: [2][]string{left, right}, Currency: -1}
	var err error
	if p.Repeats, err = ParseRepeats(d.Repeats); err != nil {
		return nil, wrong("repeats", "%s", err)
	}
	if p.lists, err = reading.NewLists(d.Lookups); err != nil {
		return nil, wrong("lookups", "%s", err)
	}
	for s, text := range [2]string{d.Where.Left, d.Where.Right} {
		if err := p.filter(tray.Side(s), text); err != nil {
			return nil, err
		}
	}
	if len(d.Key) == 0 {
		return nil, wrong("key", "a key needs at least one pair of columns; the left has %s, the right has %s", list(left), list(right))
	}
	for i, k := range d.Key {
		where := fmt.Sprintf("key[%d]", i)
		v, err := p.value(where, k.Columns, k.Readings)
		if err != nil {
			return nil, err
		}
		if k.OrText {
			for s := range v.Chain {
				v.Chain[s] = v.Chain[s].OrText()
			}
		}
		if k.Blanks != "" && k.Blanks != "equal" {
			return nil, wrong(where+".blanks", "%q stands here; write \"equal\", or leave it out so that a blank makes the record unkeyed", k.Blanks)
		}
		p.Key = append(p.Key, PlanKey{v, k.Blanks == "equal"})
	}
	for i, f := range d.Compare {
		if err := p.field(fmt.Sprintf("compare[%d]", i), f); err != nil {
			return nil, err
		}
	}
	for i, a := range d.Amounts {
		v, err := p.value(fmt.Sprintf("amounts[%d]", i), a.Columns, ending(a.Readings, "number", "", "negate"))
		if err != nil {
			return nil, err
		}
		p.Amounts = append(p.Amounts, PlanAmount{a.Columns.String(), p.keep(v)})
	}
	if len(d.Amounts) == 0 {
		for _, f := range p.Fields {
			if f.Rule.Kind == agree.Decimal {
				p.Amounts = append(p.Amounts, PlanAmount{f.Name, f.Value})
			}
		}
	}
	if d.Currency != nil {
		if len(p.Amounts) == 0 {
			return nil, wrong("currency", "there is no amount to be in a currency; name one under amounts, or compare a field as decimal")
		}
		v, err := p.value("currency", d.Currency.Columns, d.Currency.Readings)
		if err != nil {
			return nil, err
		}
		p.Currency = p.keep(v)
	}
	return p, nil
}

func (p *Plan) filter(s tray.Side, text string) error {
	if text == "" {
		return nil
	}
	where := "where." + s.String()
	program, err := expression.Compile(text, p.Columns[s])
	if err != nil {
		return wrong(where, "%s", err)
	}
	if program.Kind() != expression.Boolean {
		return wrong(where, "the expression gives a %s, and not whether a record takes part; compare it with something, as in quay == \"Tar Quay\"", program.Kind())
	}
	p.Where[s] = program
	return nil
}

func (p *Plan) field(where string, f Field) error {
	kind, err := agree.ParseKind(f.As)
	if err != nil {
		return wrong(where+".as", "%s", err)
	}
	rule := agree.Rule{Kind: kind}
	if f.Within != "" {
		if err := rule.Tolerate(f.Within); err != nil {
			return wrong(where+".within", "%s", err)
		}
	}
	if f.AtLeast != "" || kind == agree.Similar {
		if err := rule.AskFor(f.AtLeast); err != nil {
			return wrong(where+".atLeast", "%s", err)
		}
	}
	readings := f.Readings
	switch kind {
	case agree.Decimal:
		readings = ending(readings, "number", "", "negate")
	case agree.Date:
		readings = ending(readings, "date", reading.ISODate, "to-day", "to-month", "to-year")
	case agree.Time:
		readings = ending(readings, "time", reading.ISOTime)
	case agree.Boolean:
		readings = ending(readings, "yes-no", "")
	}
	v, err := p.value(where, f.Columns, readings)
	if err != nil {
		return err
	}
	p.Fields = append(p.Fields, PlanField{f.Columns.String(), p.keep(v), rule})
	return nil
}

// ending returns readings with the named one at the end for each side that does not end with that name already, or with one
// that gives the same.
func ending(readings []reading.Reading, name, argument string, alike ...string) []reading.Reading {
	out := append([]reading.Reading{}, readings...)
	for _, s := range tray.Sides {
		if last := reading.Last(readings, s); last != name && !slices.Contains(alike, last) {
			out = append(out, reading.Reading{Side: &s, Name: name, Argument: argument})
		}
	}
	return out
}

func (p *Plan) value(where string, c Columns, readings []reading.Reading) (v PlanValue, err error) {
	names := [2]string{}
	names[0], names[1] = c.On()
	for _, s := range tray.Sides {
		at := fmt.Sprintf("%s.%s", where, s)
		if v.Column[s] = indexOf(p.Columns[s], names[s]); v.Column[s] < 0 {
			return v, p.unknownColumn(at, s, names[s])
		}
		if v.Chain[s], err = reading.Compile(readings, s, p.lists); err != nil {
			return v, wrong(where+".readings", "%s", err)
		}
	}
	return v, nil
}

// Chain returns a chain of a side from readings, which may name the definition's lookup lists.
func (p *Plan) Chain(readings []reading.Reading, s tray.Side) (reading.Chain, error) {
	return reading.Compile(readings, s, p.lists)
}

// keep returns the place of v among the plan's values, adding it where nothing reads the same yet.
func (p *Plan) keep(v PlanValue) int {
	for i, w := range p.Values {
		if w.Column == v.Column && w.Chain[0].Same(v.Chain[0]) && w.Chain[1].Same(v.Chain[1]) {
			return i
		}
	}
	p.Values = append(p.Values, v)
	return len(p.Values) - 1
}

// Reads are the columns of side s that a match reads, ascending.
func (p *Plan) Reads(s tray.Side) []int {
	columns := []int{}
	if p.Where[s] != nil {
		columns = p.Where[s].Columns()
	}
	for _, k := range p.Key {
		columns = append(columns, k.Column[s])
	}
	for _, v := range p.Values {
		columns = append(columns, v.Column[s])
	}
	slices.Sort(columns)
	return slices.Compact(columns)
}

func indexOf(names []string, name string) int {
	for i, n := range names {
		if n == name {
			return i
		}
	}
	return -1
}

// unknownColumn says that a side has no column of a name, with the nearest first.
func (p *Plan) unknownColumn(where string, s tray.Side, name string) *Error {
	side := fmt.Sprintf("the %s side", s)
	if set := [2]string{p.Definition.Left, p.Definition.Right}; set[0] != set[1] && set[s] != "" {
		side = fmt.Sprintf("%s, the %s side,", set[s], s)
	}
	if name == "" {
		return wrong(where, "no column is named for %s; it has %s", strings.TrimSuffix(side, ","), list(p.Columns[s]))
	}
	return wrong(where, "%s has no column %q%s", side, name, similar.Choice(name, p.Columns[s], "Its columns"))
}

func list(names []string) string {
	const most = 12
	text := ""
	for i, n := range names {
		if i == most {
			return text + fmt.Sprintf(" and %d more", len(names)-most)
		}
		if i > 0 {
			text += ", "
		}
		text += fmt.Sprintf("%q", n)
	}
	if text == "" {
		return "no columns"
	}
	return text
}
