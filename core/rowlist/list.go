package rowlist

import (
	"encoding/binary"
	"slices"

	"twinsieve/core/comparison"
	"twinsieve/core/spill"
)

// rowBytes is how many bytes a row takes in a list.
const rowBytes = 8

// putRow writes a row into the first rowBytes of blob.
func putRow(blob []byte, row comparison.Row) {
	binary.LittleEndian.PutUint32(blob, row[0])
	binary.LittleEndian.PutUint32(blob[4:], row[1])
}

// rowAt reads what putRow has written.
func rowAt(blob []byte) comparison.Row {
	return comparison.Row{binary.LittleEndian.Uint32(blob), binary.LittleEndian.Uint32(blob[4:])}
}

// List is rows in an order of their own. It may be read from several goroutines at once.
type List struct {
	keep   int64 // bytes that may stay in memory
	dir    string
	rows   []comparison.Row // all, or those that have not been written yet
	file   *spill.File
	spilt  int64 // rows in the file
	buffer []byte
}

func newList(keep int64, dir string) *List { return &List{keep: keep, dir: dir} }

// add appends rows.
func (l *List) add(rows []comparison.Row) error {
	l.rows = append(l.rows, rows...)
	if int64(len(l.rows))*rowBytes > l.keep {
		return l.write()
	}
	return nil
}

// write moves all rows in memory to the file.
func (l *List) write() (err error) {
	if l.file == nil {
		if l.file, err = spill.Create(l.dir); err != nil {
			return err
		}
	}
	const some = 1 << 16
	for len(l.rows) > 0 {
		n := min(some, len(l.rows))
		l.buffer = slices.Grow(l.buffer[:0], n*rowBytes)[:n*rowBytes]
		for i, row := range l.rows[:n] {
			putRow(l.buffer[i*rowBytes:], row)
		}
		if _, err := l.file.Append(l.buffer); err != nil {
			return err
		}
		l.spilt += int64(n)
		l.rows = l.rows[n:]
	}
	l.rows = nil
	return nil
}

// seal ends the list.
func (l *List) seal() error {
	if l.file == nil {
		return nil
	}
	err := l.write()
	l.buffer = nil
	return err
}

// Len is the number of rows.
func (l *List) Len() int64 { return l.spilt + int64(len(l.rows)) }

// Bytes is how much memory the list holds.
func (l *List) Bytes() int64 { return int64(cap(l.rows)) * rowBytes }

// Read fills into with the rows from number first on, and returns how many there were.
func (l *List) Read(first int64, into []comparison.Row) (int, error) {
	n := int(min(int64(len(into)), max(l.Len()-first, 0)))
	if l.file == nil {
		return copy(into[:n], l.rows[min(first, l.Len()):]), nil
	}
	if n == 0 {
		return 0, nil
	}
	blob := make([]byte, n*rowBytes)
	if err := l.file.ReadAt(blob, first*rowBytes); err != nil {
		return 0, err
	}
	for i := range n {
		into[i] = rowAt(blob[i*rowBytes:])
	}
	return n, nil
}

// Close gives a temporary file's space back.
func (l *List) Close() error { return l.file.Close() }
