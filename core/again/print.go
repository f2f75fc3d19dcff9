package again

import (
	"context"
	"encoding/binary"
	"slices"

	"golang.org/x/crypto/blake2b"

	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// Print is a fingerprint of what an exception shows: its tray, and the cells of all its records. Two with the same print, under the same columns, have the same [Mark],
// whatever a plan reads of them. The zero value is that of an exception of which nothing is known, and is the same as none.
type Print [16]byte

// Printer makes prints. It is not for several goroutines at once.
type Printer struct {
	text   []byte
	listed [][]byte
}

// Of makes the print of an exception. Where its records stand in their table, and how their blanks are marked, is not in it.
func (p *Printer) Of(e *exception.Entry) Print {
	p.text = append(p.text[:0], byte(e.Tray))
	for _, s := range tray.Sides {
		if e.Sides[s] == nil {
			p.text = append(p.text, 0)
			continue
		}
		p.text = append(p.text, 1)
		p.text = appendContents(p.text, e.Sides[s].Cells)
		if e.Group == nil {
			continue
		}
		p.listed = p.listed[:0]
		for _, r := range e.Group.Records[s] {
			p.listed = append(p.listed, appendContents(nil, r.Cells))
		}
		slices.SortFunc(p.listed, slices.Compare) // a group is the same in any order
		p.text = binary.AppendUvarint(append(p.text, 2), uint64(len(p.listed)))
		for _, contents := range p.listed {
			p.text = append(p.text, contents...)
		}
	}
	return printOf(p.text)
}

// ContentOf writes all cells of a record, so that no two different ones are written alike.
func ContentOf(cells []record.Cell) string { return string(appendContents(nil, cells)) }

// appendContents appends cells so that no two different records are written alike.
func appendContents(text []byte, cells []record.Cell) []byte {
	text = binary.AppendUvarint(text, uint64(len(cells)))
	for i := range cells {
		content := cells[i].Content()
		text = append(binary.AppendUvarint(text, uint64(len(content))), content...)
	}
	return text
}

// printOf is the print of what an exception shows, which nobody can make two of on purpose.
func printOf(text []byte) (p Print) {
	sum := blake2b.Sum256(text)
	copy(p[:], sum[:])
	return p
}

// PrintReject makes the print of a line of side s that is no record.
func PrintReject(s tray.Side, text string) Print {
	return printOf(append([]byte{byte(tray.Reject), byte(s)}, text...))
}

// Same finds those exceptions of a run that show the very same as one before, by their prints alone. They are those that [Recognise] begins with. Prints beyond a budget of memory wait in a
// temporary file. It is not for several goroutines at once.
type Same struct{ sorting }

// NewSame returns one that holds about so many bytes of prints in memory, and the rest in a temporary file in dir. It is to be closed.
func NewSame(budget int64, dir string) *Same { return &Same{newSorting(budget, dir)} }

// Before adds the print of an exception of before; they are numbered from 0, in the order in which they are added. One that was gone, or of which nothing
// is known, has the zero print.
func (s *Same) Before(p Print) error { return s.add(ofBefore, p) }

// Now adds the print of an exception of the run; they are numbered likewise.
func (s *Same) Now(p Print) error { return s.add(ofNow, p) }

func (s *Same) add(of int, p Print) error {
	number := s.counts[of]
	s.counts[of]++
	if p == (Print{}) {
		return nil
	}
	return s.sorting.add(append(make([]byte, 0, len(p)+9), p[:]...), of, number, nil)
}

// Find calls back for every print that one exception of before has and one of the run, in no order that means anything.
func (s *Same) Find(ctx context.Context, found func(now, before int)) error {
	var at Print
	var numbers, times [2]int
	end := func() {
		if times[ofBefore] == 1 && times[ofNow] == 1 {
			found(numbers[ofNow], numbers[ofBefore])
		}
		times = [2]int{}
	}
	err := s.each(ctx, func(text []byte, of, number int, _ []byte) error {
		if Print(text) != at {
			end()
			at = Print(text)
		}
		numbers[of] = number
		times[of]++
		return nil
	})
	if err != nil {
		return err
	}
	end()
	return nil
}
