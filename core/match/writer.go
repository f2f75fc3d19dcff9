package match

import "twinsieve/core/tray"

// writer is what one worker writes entries of one side with, into blocks of its own. Entries come in the order of their records and go to hundreds of
// partitions, each of them far from the one before; but of each of these only the place is touched that was written last, so that all of them stay near
// the processor.
type writer struct {
	to   *partitions
	side tray.Side
	open [][]byte // of each partition the block that is being filled
}

func (p *partitions) writer(s tray.Side) *writer {
	return &writer{to: p, side: s, open: make([][]byte, len(p.parts))}
}

// write adds an entry of so many bytes, which has room behind it.
func (w *writer) write(room []byte, size int, hash uint64) error {
	part := int(hash >> w.to.shift)
	open := w.open[part]
	at := len(open)
	if cap(open)-at < size {
		if at > 0 {
			var err error
			if open, err = w.to.keep(part, w.side, open); err != nil {
				return err
			}
		}
		if cap(open) < size {
			open = w.to.room.Block(max(size, w.to.block))
		}
		at = 0
	}
	w.open[part] = open[:at+size]
	to := open[at:cap(open)]
	// Most entries are short, and how short cannot be foreseen: then it is quicker to copy more than there is.
	if size > 2*shortEntry || len(room) < 2*shortEntry || len(to) < 2*shortEntry {
		copy(to, room[:size])
		return nil
	}
	putShort(to, room)
	if size > shortEntry {
		putShort(to[shortEntry:], room[shortEntry:])
	}
	return nil
}

// shortEntry is how many bytes of an entry are copied at a time.
const shortEntry = 64

// putShort copies so many bytes, which the compiler does without a call.
func putShort(to, from []byte) {
	for k := 0; k < shortEntry; k += 16 {
		*(*[16]byte)(to[k:]) = *(*[16]byte)(from[k:])
	}
}

// flush hands over all that the writer has.
func (w *writer) flush() error {
	for part, open := range w.open {
		if len(open) > 0 {
			if _, err := w.to.keep(part, w.side, open); err != nil {
				return err
			}
		}
	}
	w.open = nil
	return nil
}
