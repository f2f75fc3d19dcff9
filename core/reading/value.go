// Package reading says how a cell is read before it is compared.
//
// A reading takes the text of a cell and gives the text that stands for it: without outer spaces, in one letter case, as
// a plain number, as a date. Readings form a [Chain], applied in the order given; some of its readings may be for one
// side only, where the two sides write a thing differently. What comes out is a [Value]: a text, or blank, or
// unreadable. The three are never mixed up: a blank value is one without text, whether it came so or a reading emptied
// it; an unreadable value has text that the chain could not read, and equals nothing.
//
// In text form a reading is its name, followed by a space and its argument where it takes one, and preceded by "left "
// or "right " where it is for that side only: "trim", "date DD.MM.YYYY", "left drop-leading-zeros".
package reading

// State tells what kind of value a reading gave.
type State uint8

// The states of a value.
const (
	Text       State = iota // a text that is not empty
	Blank                   // nothing there
	Emptied                 // a reading left nothing of what was there; blank in every respect, and counted apart
	Unreadable              // not what the chain reads
)

// IsBlank reports whether the state is blank, either way.
func (s State) IsBlank() bool { return s == Blank || s == Emptied }

// Value is a cell as read. Text is empty unless State is [Text].
type Value struct {
	State State
	Text  []byte
}
