package again

import (
	"context"
	"encoding/binary"

	"twinsieve/core/sorted"
)

// sorting puts what there is to know of exceptions of before and of now into the order of texts, beyond a budget of memory in a temporary file. Of one text those of before come first, in the
// order of their numbers.
type sorting struct {
	sorter  *sorted.Sorter
	piece   sorted.Run // that is being filled
	inPiece int
	counts  [2]int // of the exceptions of before and of now
}

const (
	ofBefore = iota
	ofNow
)

// sortedAtOnce is how many are sorted at once.
const sortedAtOnce = 8000

func newSorting(budget int64, dir string) sorting { return sorting{sorter: sorted.New(budget, dir)} }

// Close gives a temporary file's space back.
func (s *sorting) Close() error { return s.sorter.Close() }

// add adds an exception under a text, which is the beginning of no other.
func (s *sorting) add(text []byte, of, number int, payload []byte) error {
	s.piece.Add(binary.BigEndian.AppendUint64(append(text, byte(of)), uint64(number)), payload)
	if s.inPiece++; s.inPiece < sortedAtOnce {
		return nil
	}
	return s.sort()
}

// sort sorts the piece that was filled.
func (s *sorting) sort() error {
	s.piece.Sort()
	piece := s.piece
	s.piece, s.inPiece = sorted.Run{}, 0
	return s.sorter.Add(&piece)
}

// each visits all that was added, in order. What it hands over is good until the next.
func (s *sorting) each(ctx context.Context, visit func(text []byte, of, number int, payload []byte) error) error {
	if err := s.sort(); err != nil {
		return err
	}
	seen := 0
	for c := s.sorter.Cursor(); ; {
		more, err := c.Next()
		if err != nil {
			return err
		}
		if !more {
			return ctx.Err()
		}
		if seen++; seen%sortedAtOnce == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		key, payload := c.At()
		end := len(key) - 9
		if err := visit(key[:end], int(key[end]), int(binary.BigEndian.Uint64(key[end+1:])), payload); err != nil {
			return err
		}
	}
}
