package comparison

import (
	"fmt"
	"slices"
	"strings"

	"twinsieve/core/similar"
	"twinsieve/core/tray"
)

// Column is a column of a comparison's rows.
type Column struct {
	Name string
	From [2]int // column of each side's records that it shows; -1: of that side none

	// A presence column says yes or no: whether the row has a record of a side. It shows no column of a record.
	Presence bool
	Side     tray.Side // of a presence column
}

// Yes and No are what presence columns say.
const (
	Yes = "yes"
	No  = "no"
)

// Of reports whether the column shows cells of one side alone, and of which.
func (c *Column) Of() (tray.Side, bool) {
	switch {
	case c.Presence || c.From[0] >= 0 && c.From[1] >= 0:
		return 0, false
	case c.From[0] >= 0:
		return tray.Left, true
	}
	return tray.Right, true
}

// Naming says how columns are told apart that are named alike on both sides.
type Naming struct {
	Sets   [2]string  // names of the record sets
	Prefix *[2]string // stands in front of such columns, with a point; nil: the sets' names, or left and right where both are one set
}

// ColumnsOf are all columns that a comparison's rows have: those of the left, those of the right, and, where rows may lack a
// record of one side, the presence columns. side is whose columns a [Separate] comparison's table has. Of set logic they are the
// aligned columns, named as on the left.
func ColumnsOf(c Choice, columns [2][]string, aligned []Aligned, naming Naming) ([]Column, error) {
	if s, one := c.OneSide(); one {
		return oneSide(s, columns), nil
	}
	if c.Comparison.IsWhole() && !c.ByTray {
		var out []Column
		for _, a := range aligned {
			out = append(out, Column{Name: columns[0][a.Column[0]], From: a.Column})
		}
		return out, nil
	}
	prefixes := naming.Sets
	switch {
	case naming.Prefix != nil:
		prefixes = *naming.Prefix
	case prefixes[0] == prefixes[1]:
		prefixes = [2]string{"left", "right"}
	}
	var out []Column
	var clashing []string
	for s, names := range columns {
		for i, name := range names {
			col := Column{Name: name, From: [2]int{-1, -1}}
			col.From[s] = i
			if slices.Contains(columns[1-s], name) {
				if s == 0 {
					clashing = append(clashing, name)
				}
				if prefixes[s] != "" {
					col.Name = prefixes[s] + "." + name
				}
			}
			out = append(out, col)
		}
	}
	if naming.Prefix != nil && prefixes[0] == prefixes[1] && len(clashing) > 0 {
		return nil, fmt.Errorf("both sides have %s, so their columns cannot do without different prefixes", quoted(clashing))
	}
	if c.Comparison.Lonely() && !c.ByTray {
		sets := naming.Sets
		if sets[0] == sets[1] {
			sets = [2]string{"left", "right"}
		}
		for _, s := range tray.Sides {
			out = append(out, Column{Name: "in " + sets[s], From: [2]int{-1, -1}, Presence: true, Side: s})
		}
	}
	if name, twice := doubled(out); twice {
		return nil, fmt.Errorf("two columns would be named %q; choose other prefixes", name)
	}
	return out, nil
}

func oneSide(s tray.Side, columns [2][]string) []Column {
	var out []Column
	for i, name := range columns[s] {
		col := Column{Name: name, From: [2]int{-1, -1}}
		col.From[s] = i
		out = append(out, col)
	}
	return out
}

func quoted(names []string) string {
	var list []string
	for _, n := range names {
		list = append(list, fmt.Sprintf("%q", n))
	}
	return strings.Join(list, ", ")
}

func doubled(columns []Column) (string, bool) {
	seen := map[string]bool{}
	for _, c := range columns {
		if seen[c.Name] {
			return c.Name, true
		}
		seen[c.Name] = true
	}
	return "", false
}

// Chosen is a column that is shown, perhaps under another name.
type Chosen struct {
	Column string `json:"column" yaml:"column"`
	As     string `json:"as,omitempty" yaml:"as,omitempty"` // empty: its own name
}

// Choose narrows columns to those chosen, in their order and under their names. Where none is chosen, all are but the presence
// columns.
func Choose(all []Column, chosen []Chosen) ([]Column, error) {
	var out []Column
	if len(chosen) == 0 {
		for _, c := range all {
			if !c.Presence {
				out = append(out, c)
			}
		}
		return out, nil
	}
	for _, want := range chosen {
		at, err := Find(all, want.Column)
		if err != nil {
			return nil, err
		}
		col := all[at]
		if want.As != "" {
			col.Name = want.As
		}
		out = append(out, col)
	}
	if name, twice := doubled(out); twice {
		return nil, fmt.Errorf("two columns would be named %q; give one of them another name", name)
	}
	return out, nil
}

// Find is the place of a column among columns, by its name.
func Find(columns []Column, name string) (int, error) {
	var names []string
	for i, c := range columns {
		if c.Name == name {
			return i, nil
		}
		names = append(names, c.Name)
	}
	return 0, fmt.Errorf("there is no column %q here%s", name, similar.Choice(name, names, "Columns"))
}
