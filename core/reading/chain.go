package reading

import (
	"fmt"
	"slices"
	"strings"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/exact"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// Reading is one reading of a chain, as people write it.
type Reading struct {
	Side     *tray.Side // nil: both sides
	Name     string
	Argument string // "" when the reading takes none
}

// Parse reads the text form of a reading.
func Parse(text string) (Reading, error) {
	r := Reading{Name: strings.TrimSpace(text)}
	for _, s := range tray.Sides {
		if rest, ok := strings.CutPrefix(r.Name, s.String()+" "); ok {
			r.Side, r.Name = &s, strings.TrimSpace(rest)
			break
		}
	}
	var err error
	r.Name, r.Argument, _ = strings.Cut(r.Name, " ")
	if r.Argument, err = unquote(strings.TrimSpace(r.Argument)); err != nil {
		return Reading{}, err
	}
	if _, err := r.compile(nil); err != nil {
		return Reading{}, err
	}
	return r, nil
}

// MustParse reads text forms that are known to be right, and panics where one is not.
func MustParse(texts ...string) []Reading {
	var list []Reading
	for _, text := range texts {
		r, err := Parse(text)
		if err != nil {
			panic("reading: " + err.Error())
		}
		list = append(list, r)
	}
	return list
}

// String is the text form.
func (r Reading) String() string {
	text := r.Name
	if r.Argument != "" {
		text += " " + quote(r.Argument)
	}
	if r.Side != nil {
		text = r.Side.String() + " " + text
	}
	return text
}

// MarshalText writes the text form.
func (r Reading) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads the text form.
func (r *Reading) UnmarshalText(b []byte) (err error) {
	*r, err = Parse(string(b))
	return err
}

// compile makes the reading's step. Without lists, that a lookup list is there is not asked.
func (r Reading) compile(lists Lists) (step, error) {
	for _, k := range kinds {
		if k.name != r.Name {
			continue
		}
		switch {
		case k.argument == "" && r.Argument != "":
			return nil, fmt.Errorf("the reading %q takes nothing after its name, and %q stands there", k.name, r.Argument)
		case k.argument != "" && !k.optional && r.Argument == "":
			return nil, fmt.Errorf("the reading %q needs %s after its name", k.name, k.argument)
		}
		return k.compile(r.Argument, lists)
	}
	return nil, fmt.Errorf("there is no reading %q; the readings are %s", r.Name, strings.Join(Names(), ", "))
}

// Last is the name of the last of a side's readings; empty where it has none.
func Last(list []Reading, s tray.Side) (name string) {
	for _, r := range list {
		if r.Side == nil || *r.Side == s {
			name = r.Name
		}
	}
	return name
}

// GiveAll reports whether what both sides' readings end with is one of the names.
func GiveAll(list []Reading, names ...string) bool {
	return slices.Contains(names, Last(list, tray.Left)) && slices.Contains(names, Last(list, tray.Right))
}

// Kind describes a reading that exists, for help texts and forms.
type Kind struct {
	Name     string `json:"name"`
	Argument string `json:"argument,omitempty"` // what stands after the name; empty when nothing does
	Optional bool   `json:"optional,omitempty"` // what stands after the name may be left out
	Says     string `json:"says"`
	Settled  bool   `json:"settled"` // applied to what it gave, it gives the same again
}

// Kinds are the readings that exist.
func Kinds() []Kind {
	var list []Kind
	for _, k := range kinds {
		list = append(list, Kind{k.name, k.argument, k.optional, k.says, k.settled})
	}
	return list
}

// Names are the names of the readings that exist.
func Names() []string {
	var names []string
	for _, k := range kinds {
		names = append(names, k.name)
	}
	return names
}

// Chain is a side's readings, ready to be applied. The zero value reads every cell as its text. A chain may be used by
// several goroutines at once.
type Chain struct {
	steps []step
	names []string // of the steps, as people write them
	text  string
	plain bool // its only step reads numbers as computers write them

	orText bool // what it cannot read is taken as it came
}

// OrText returns the chain as one to which nothing is unreadable: what its steps cannot read stands for itself, as it came. So records that
// are the same in every cell are always equal.
func (c Chain) OrText() Chain {
	c.orText, c.plain = len(c.steps) > 0, false
	return c
}

// Compile returns the chain of side s from readings, some of which may be for the other side only. lists are the lookup
// lists that they may name.
func Compile(readings []Reading, s tray.Side, lists Lists) (Chain, error) {
	var c Chain
	if lists == nil {
		lists = Lists{}
	}
	for _, r := range readings {
		if r.Side != nil && *r.Side != s {
			continue
		}
		step, err := r.compile(lists)
		if err != nil {
			return Chain{}, err
		}
		c.steps = append(c.steps, step)
		r.Side = nil
		c.names = append(c.names, r.String())
		c.text += r.String() + ", "
	}
	c.plain = len(c.names) == 1 && c.names[0] == plainNumber
	return c, nil
}

// Same reports whether two chains read everything alike.
func (c Chain) Same(other Chain) bool { return c.text == other.text && c.orText == other.orText }

// Taken is what one step of a chain made of a cell.
type Taken struct {
	Reading string // in its text form
	Value   Value
}

// Explain returns what each step of the chain makes of a cell, up to the step that leaves nothing to read on with.
func (c Chain) Explain(cell []byte) (taken []Taken) {
	if len(cell) == 0 {
		return nil
	}
	for i, step := range c.steps {
		out, ok := step(nil, cell)
		switch {
		case !ok:
			return append(taken, Taken{c.names[i], Value{State: Unreadable}})
		case len(out) == 0:
			return append(taken, Taken{c.names[i], Value{State: Emptied}})
		}
		taken = append(taken, Taken{c.names[i], Value{Text: out}})
		cell = out
	}
	return taken
}

// Reader applies a chain, cell by cell or to whole columns. It owns the buffers between the steps, so each goroutine
// needs its own.
type Reader struct {
	chain     Chain
	a, b, out []byte
	asText    int64 // cells that were taken as they came, because they cannot be read
}

// Reader returns a new reader of the chain.
func (c Chain) Reader() *Reader { return &Reader{chain: c} }

// Cell reads one cell. The value's text is valid until the next call, or as long as cell where the chain is empty.
func (r *Reader) Cell(cell []byte) Value {
	switch {
	case len(cell) == 0:
		return Value{State: Blank}
	case len(r.chain.steps) == 0:
		return Value{Text, cell}
	}
	out, state := r.read(r.out[:0], cell)
	r.out = out
	if state != Text {
		return Value{State: state}
	}
	return Value{Text, out}
}

// A chain makes no text that is longer than this: a number of bytes, and so many times those of the cell. What would be longer is
// unreadable, so that the texts of a batch, whose columns have at most 4 MiB or one record of 16 MiB, always have offsets of 32 bits.
const (
	grown = 32 << 10
	grows = 64
)

// read appends what the chain, which has a step, makes of a cell that is not empty: the last step writes where the value stays. Nothing is appended
// where there is no text.
func (r *Reader) read(dst, cell []byte) ([]byte, State) {
	out, state := r.apply(dst, cell)
	if state == Unreadable && r.chain.orText {
		r.asText++
		return append(dst, cell...), Text
	}
	return out, state
}

// apply is read without regard to what happens to what cannot be read.
func (r *Reader) apply(dst, cell []byte) ([]byte, State) {
	last, size := len(r.chain.steps)-1, len(cell)
	for _, step := range r.chain.steps[:last] {
		out, ok := step(r.a[:0], cell)
		switch {
		case !ok:
			return dst, Unreadable
		case len(out) == 0:
			return dst, Emptied
		}
		cell = out
		r.a, r.b = r.b, out
	}
	switch out, ok := r.chain.steps[last](dst, cell); {
	case !ok, len(out)-len(dst) > grown+grows*size:
		return dst, Unreadable
	case len(out) == len(dst):
		return dst, Emptied
	default:
		return out, Text
	}
}

// Column is a batch's column as read: a state for each cell, and the text of those that have one.
type Column struct {
	// Sum may be nil, or where the texts of one batch after the other are added up while they are read: then they are numbers, in plain form. It is
	// set to zero before each.
	Sum *exact.Sum

	// AsText is how many of the cells were taken as they came, because a chain to which nothing is unreadable could not read them.
	AsText int64

	places  record.Places
	states  []State // nil when the chain is empty: a cell is then blank when it has no text, else text
	text    []byte  // where the chain writes, and where each cell ends in it
	offsets []int32
}

// Len is the number of cells.
func (c *Column) Len() int { return c.places.Len() }

// At returns the value of cell i.
func (c *Column) At(i int) Value {
	text := c.places.Cell(i)
	if c.states != nil {
		return Value{c.states[i], text}
	}
	if len(text) == 0 {
		return Value{State: Blank}
	}
	return Value{Text, text}
}

// Held is the column as it is held, for who goes through all of it: where its cells are, and the state of each. Without states, a cell is
// blank when it has no text, else text.
func (c *Column) Held() (record.Places, []State) { return c.places, c.states }

// Column reads a column of a batch. A null is blank, whatever text it keeps. Where the chain is empty and nothing is null,
// nothing is copied. into may be a column of an earlier
// batch, whose buffers are then used again.
func (r *Reader) Column(col *array.String, into *Column) {
	cells := record.PlacesOf(col)
	if col.NullN() == 0 {
		col = nil
	}
	r.places(cells, col, into)
}

// Places reads a column of which no cell is null.
func (r *Reader) Places(cells record.Places, into *Column) { r.places(cells, nil, into) }

// places reads a column some of whose cells may be null: those of nulls, unless it is nil.
func (r *Reader) places(cells record.Places, nulls *array.String, into *Column) {
	if len(r.chain.steps) == 0 && nulls == nil {
		into.places, into.states, into.AsText = cells, nil, 0
		return
	}
	if into.Sum != nil {
		*into.Sum = exact.Sum{}
	}
	if r.chain.plain {
		into.AsText = 0
		r.numbers(cells, nulls, into)
		return
	}
	r.asText = 0
	into.text, into.offsets, into.states = into.text[:0], append(into.offsets[:0], 0), into.states[:0]
	for i := range cells.Len() {
		cell, state := cells.Cell(i), Text
		switch {
		case len(cell) == 0 || nulls != nil && nulls.IsNull(i):
			state = Blank
		case len(r.chain.steps) == 0:
			into.text = append(into.text, cell...)
		default:
			from := len(into.text)
			if into.text, state = r.read(into.text, cell); state == Text && into.Sum != nil {
				into.Sum.Add(into.text[from:])
			}
		}
		into.offsets = append(into.offsets, int32(len(into.text)))
		into.states = append(into.states, state)
	}
	into.places = record.Places{Text: into.text, Ends: into.offsets, Stride: 1}
	into.AsText = r.asText
}
