package reading

import (
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/exact"
	"twinsieve/core/record"
)

// plainNumber is the reading that takes numbers as computers write them.
const plainNumber = "number"

// spacedNumber reads a number that may have spaces around it.
var spacedNumber = outside(exact.Plain)

// numbers is [Reader.places] for a chain of that reading alone, which most columns of amounts have: most numbers are short, and are then read
// and added up in one step.
func (r *Reader) numbers(cells record.Places, nulls *array.String, into *Column) {
	n := cells.Len()
	offsets, states := slices.Grow(into.offsets[:0], n+1)[:n+1], slices.Grow(into.states[:0], n)[:n]
	text := into.text[:0]
	offsets[0] = 0
	for i := range states {
		state := Blank
		if cell := cells.Cell(i); len(cell) > 0 && (nulls == nil || nulls.IsValid(i)) {
			state = Text
			if plain, term, ok := exact.Short(text, cell); ok {
				text = plain
				if into.Sum != nil {
					into.Sum.AddTerm(term)
				}
			} else if plain, ok := spacedNumber(text, cell); !ok {
				state = Unreadable
			} else if len(plain) == len(text) {
				state = Emptied
			} else {
				if into.Sum != nil {
					into.Sum.Add(plain[len(text):])
				}
				text = plain
			}
		}
		offsets[i+1], states[i] = int32(len(text)), state
	}
	into.text, into.offsets, into.states = text, offsets, states
	into.places = record.Places{Text: text, Ends: offsets, Stride: 1}
}
