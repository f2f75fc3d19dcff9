package view

import (
	"fmt"
	"slices"
	"strings"
)

// CarriedFrom are the numbers of the runs that records of the entry are carried from, ascending, such as "1, 3"; empty where none is.
func (e *Entry) CarriedFrom() string {
	var runs []int64
	add := func(r *Record) {
		if r != nil && r.Run > 0 {
			runs = append(runs, r.Run)
		}
	}
	add(e.Left)
	add(e.Right)
	if e.Group != nil {
		for _, listed := range e.Group.Listed {
			for i := range listed {
				add(&listed[i])
			}
		}
	}
	return CarriedFrom(runs)
}

// CarriedFrom names runs that records are carried from by their numbers, ascending, each once. It sorts them.
func CarriedFrom(runs []int64) string {
	if len(runs) == 0 {
		return ""
	}
	slices.Sort(runs)
	return strings.Trim(strings.ReplaceAll(fmt.Sprint(slices.Compact(runs)), " ", ", "), "[]")
}

// SaysChange is what has become of the entry's exception since the run before, in words: "still open, carried from run 1".
func (e *Entry) SaysChange() string {
	if e.Work == nil {
		return ""
	}
	said := strings.ReplaceAll(string(e.Work.Change), "-", " ")
	if from := e.CarriedFrom(); from != "" {
		said += ", carried from run " + from
	}
	return said
}
