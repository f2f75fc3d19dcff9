package record

import "github.com/apache/arrow-go/v18/arrow/array"

// Places are the cells of one column, wherever they stand in a text. Cell i begins Gap bytes behind Ends[i×Stride] and ends at
// Ends[i×Stride+1].
type Places struct {
	Text   []byte
	Ends   []int32
	Stride int
	Gap    int32
}

// PlacesOf are the cells of an array, which stand one behind another.
func PlacesOf(col *array.String) Places { return Places{col.ValueBytes(), col.ValueOffsets(), 1, 0} }

// Len is the number of cells.
func (p *Places) Len() int {
	if len(p.Ends) < 2 {
		return 0
	}
	return (len(p.Ends)-2)/p.Stride + 1
}

// At is where cell i begins and ends.
func (p *Places) At(i int) (from, to int) {
	at := i * p.Stride
	return int(p.Ends[at] + p.Gap), int(p.Ends[at+1])
}

// Cell is the text of cell i. What stands behind it in the memory is not its own.
func (p *Places) Cell(i int) []byte {
	from, to := p.At(i)
	return p.Text[from:to]
}

// Lines are records as they stand in a text, one a line, their cells one byte apart: what becomes a batch where somebody needs arrays. None of
// their cells is null.
type Lines struct {
	First   int64 // number of the first record
	Columns int
	Text    []byte
	Ends    []int32 // where each cell ends, record by record; before the first stands where a record before it would have ended
	Feed    int32   // bytes of a line's end, of which there are as many between the last cell of a record and the first of the next
}

// Records is the number of records.
func (l *Lines) Records() int { return (len(l.Ends) - 1) / l.Columns }

// Column are the cells of column c.
func (l *Lines) Column(c int) Places {
	gap := int32(1)
	if c == 0 {
		gap = l.Feed
	}
	return Places{l.Text, l.Ends[c:], l.Columns, gap}
}
