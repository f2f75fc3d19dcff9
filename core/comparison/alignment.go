package comparison

import (
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// Alignment says which columns of the two sides are held against each other by set logic: those of one place, those of one
// name, or those that are listed.
type Alignment struct {
	By    string        `json:"by,omitempty" yaml:"by,omitempty" enum:"position,name,pairs"` // empty: pairs where some are listed, else position
	Pairs []AlignedPair `json:"pairs,omitempty" yaml:"pairs,omitempty"`                      // for pairs: the columns; else types for some of them
}

// AlignedPair is a column of each side, and as what their values are equal.
type AlignedPair struct {
	Left  string `json:"left" yaml:"left"`
	Right string `json:"right,omitempty" yaml:"right,omitempty"` // empty: named alike
	As    string `json:"as,omitempty" yaml:"as,omitempty"`       // a type without its form, as decimal; empty: as what both columns read
}

func (p AlignedPair) columns() [2]string {
	l, r := sieve.Columns{Left: p.Left, Right: p.Right}.On()
	return [2]string{l, r}
}

// Aligned is a pair of columns, resolved.
type Aligned struct {
	Column   [2]int
	Types    [2]typing.Type // as what each side's values are read
	InDoubt  string         // the type that both columns have, where how its values are written is in doubt: they are compared as text
	readings []reading.Reading
}

// As is what the values are equal as.
func (a *Aligned) As() string {
	if a.Types[0].Name == typing.Integer && a.Types[1].Name == typing.Integer {
		return typing.Integer
	}
	if a.Types[0].Numeric() {
		return typing.Decimal
	}
	return a.Types[0].Name
}

// Sheet is what set logic has to know of a side: its columns, as what each reads, and which have no value.
type Sheet struct {
	Columns []string
	Types   []typing.Type
	Empty   func(column int) (bool, error) // reports that a column has no value; asked for columns only that do not fit
}

// MisfitError says why columns cannot be aligned: each fault by itself.
type MisfitError struct{ Misfits []string }

// Error implements error.
func (e *MisfitError) Error() string {
	return "the columns do not fit: " + strings.Join(e.Misfits, "; ")
}

// Align resolves an alignment against the columns of both sides. Columns that do not fit are a [*MisfitError].
func (a Alignment) Align(sheets [2]Sheet) ([]Aligned, error) {
	pairs, err := a.pairs(sheets)
	if err != nil {
		return nil, err
	}
	misfit := &MisfitError{}
	aligned := make([]Aligned, len(pairs))
	for i, p := range pairs {
		why, err := aligned[i].settle(p, sheets)
		if err != nil {
			return nil, err
		}
		if why != "" {
			misfit.Misfits = append(misfit.Misfits, why)
		}
	}
	if len(misfit.Misfits) > 0 {
		return nil, misfit
	}
	return aligned, nil
}

// pairs are the pairs of columns by name, each with the type that is stated for it.
func (a Alignment) pairs(sheets [2]Sheet) ([]AlignedPair, error) {
	l, r := sheets[0].Columns, sheets[1].Columns
	var pairs []AlignedPair
	switch a.By {
	case "pairs", "":
		if len(a.Pairs) == 0 && a.By != "" {
			return nil, &MisfitError{[]string{"no pair of columns is named"}}
		}
		if len(a.Pairs) > 0 {
			return a.Pairs, a.known(sheets)
		}
		fallthrough
	case "position":
		if len(l) != len(r) {
			return nil, &MisfitError{[]string{fmt.Sprintf("the left has %d columns and the right %d; name the pairs that are compared", len(l), len(r))}}
		}
		for i := range l {
			pairs = append(pairs, AlignedPair{Left: l[i], Right: r[i]})
		}
	case "name":
		misfit := &MisfitError{}
		for _, name := range l {
			if !slices.Contains(r, name) {
				misfit.Misfits = append(misfit.Misfits, fmt.Sprintf("the right has no column %q", name))
			}
			pairs = append(pairs, AlignedPair{Left: name, Right: name})
		}
		for _, name := range r {
			if !slices.Contains(l, name) {
				misfit.Misfits = append(misfit.Misfits, fmt.Sprintf("the left has no column %q", name))
			}
		}
		if len(misfit.Misfits) > 0 {
			return nil, misfit
		}
	default:
		return nil, &MisfitError{[]string{fmt.Sprintf("columns cannot be aligned by %q; write position, name or pairs", a.By)}}
	}
	for _, stated := range a.Pairs {
		at := slices.IndexFunc(pairs, func(p AlignedPair) bool { return p.columns() == stated.columns() })
		if at < 0 {
			return nil, &MisfitError{[]string{fmt.Sprintf("%s and %s are not held against each other", stated.columns()[0], stated.columns()[1])}}
		}
		pairs[at].As = stated.As
	}
	return pairs, nil
}

// known refuses pairs of columns that there are not.
func (a Alignment) known(sheets [2]Sheet) error {
	misfit := &MisfitError{}
	for _, p := range a.Pairs {
		for s, name := range p.columns() {
			if !slices.Contains(sheets[s].Columns, name) {
				misfit.Misfits = append(misfit.Misfits, fmt.Sprintf("the %s has no column %q; it has %s", tray.Side(s), name, strings.Join(sheets[s].Columns, ", ")))
			}
		}
	}
	if len(misfit.Misfits) > 0 {
		return misfit
	}
	return nil
}

// settle finds as what a pair's values are equal. why says what keeps them from being so.
func (a *Aligned) settle(p AlignedPair, sheets [2]Sheet) (why string, err error) {
	names := p.columns()
	for s := range sheets {
		a.Column[s] = slices.Index(sheets[s].Columns, names[s])
		a.Types[s] = sheets[s].Types[a.Column[s]]
	}
	shown := fmt.Sprintf("%s and %s", names[0], names[1])
	if p.As != "" {
		if !slices.Contains(typing.Names, p.As) {
			return fmt.Sprintf("%s: there is no type %q; write one of %s", shown, p.As, strings.Join(typing.Names, ", ")), nil
		}
		for s := range sheets {
			if a.Types[s].Name == p.As {
				continue
			}
			if a.Types[s] = (typing.Type{Name: p.As}); p.As == typing.Decimal {
				a.Types[s].Form = typing.Point
			}
		}
	} else if !a.Types[0].Fits(a.Types[1]) {
		for s := range sheets { // a column without values fits any
			empty, err := sheets[s].Empty(a.Column[s])
			if err != nil {
				return "", err
			}
			if empty {
				a.Types[s] = a.Types[1-s]
			}
		}
		if !a.Types[0].Fits(a.Types[1]) {
			return fmt.Sprintf("%s reads as %s and %s as %s", names[0], a.Types[0], names[1], a.Types[1]), nil
		}
	}
	if _, ok := a.Types[0].Readings(); !ok && a.Types[0] == a.Types[1] && p.As == "" {
		a.InDoubt = a.Types[0].Name
		a.Types = [2]typing.Type{{Name: typing.Text}, {Name: typing.Text}}
	}
	for s, t := range a.Types {
		list, ok := t.Readings()
		if !ok {
			return fmt.Sprintf("%s does not say how its values are written (%s); state the type of the column where it is loaded, or compare it as text", names[s], t.Name), nil
		}
		side := tray.Side(s)
		for _, r := range list {
			r.Side = &side
			a.readings = append(a.readings, r)
		}
	}
	return "", nil
}

// WholeRecords is the definition of a match over whole records: every pair of aligned columns is a part of the key, blanks are equal, and a
// value that its type cannot read is equal to the same text, so that identical records are equal whatever the types are. Its name is empty, for a saved sieve's crosswalk says nothing about it.
func WholeRecords(d sieve.Definition, sheets [2]Sheet, aligned []Aligned) sieve.Definition {
	whole := sieve.Definition{Left: d.Left, Right: d.Right, Where: d.Where}
	for _, a := range aligned {
		whole.Key = append(whole.Key, sieve.KeyPart{
			Columns:  sieve.Columns{Left: sheets[0].Columns[a.Column[0]], Right: sheets[1].Columns[a.Column[1]]},
			Readings: a.readings, Blanks: "equal", OrText: true,
		})
	}
	return whole
}

// Resolved is the alignment with every pair and its type stated, so that it means the same with next month's data.
func Resolved(sheets [2]Sheet, aligned []Aligned) Alignment {
	out := Alignment{By: "pairs"}
	for i := range aligned {
		a := &aligned[i]
		out.Pairs = append(out.Pairs, AlignedPair{Left: sheets[0].Columns[a.Column[0]], Right: sheets[1].Columns[a.Column[1]], As: a.As()})
	}
	return out
}
