package cli

import (
	"bytes"
	"encoding/gob"
	"io"

	"twinsieve/core/record"
	"twinsieve/core/spill"
)

// rejectList keeps rejects in the order in which they came: some in memory, and the others in a temporary file. The zero value is an empty
// list whose file would go to the system's place.
type rejectList struct {
	dir  string
	open []record.Reject // those that came last
	file *spill.File
	at   []int64 // where each written part begins
	size []int
	err  error // why the list is not whole
}

// rejectsAtOnce is how many rejects are in memory at most, of up to a kilobyte each.
const rejectsAtOnce = 4096

// add adds a reject. What goes wrong is said by each.
func (l *rejectList) add(r record.Reject) {
	if l.open = append(l.open, r); len(l.open) < rejectsAtOnce || l.err != nil {
		return
	}
	if l.file == nil {
		if l.file, l.err = spill.Create(l.dir); l.err != nil {
			return
		}
	}
	var part bytes.Buffer
	if l.err = gob.NewEncoder(&part).Encode(l.open); l.err != nil {
		return
	}
	at, err := l.file.Append(part.Bytes())
	l.at, l.size, l.err = append(l.at, at), append(l.size, part.Len()), err
	l.open = l.open[:0]
}

// each visits all rejects, some at a time.
func (l *rejectList) each(visit func([]record.Reject) error) error {
	if l.err != nil {
		return l.err
	}
	for i, at := range l.at {
		part := make([]byte, l.size[i])
		if err := l.file.ReadAt(part, at); err != nil {
			return err
		}
		var some []record.Reject
		if err := gob.NewDecoder(bytes.NewReader(part)).Decode(&some); err != nil && err != io.EOF {
			return err
		}
		if err := visit(some); err != nil {
			return err
		}
	}
	if len(l.open) == 0 {
		return nil
	}
	return visit(l.open)
}

// close gives the temporary file's space back.
func (l *rejectList) close() { _ = l.file.Close() }
