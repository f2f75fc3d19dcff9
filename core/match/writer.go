package match

import "twinsieve/core/tray"

// writer is what one worker writes entries of one side with. Entries come in the order of their records and go to hundreds of partitions, each of them
// far from the one before. So they are gathered by partition in a place that is small enough to stay near the processor, and go on
// by the dozen.
type writer struct {
	to       *partitions
	side     tray.Side
	most     int      // bytes that are gathered of a partition
	gathered []byte   // most + gatherSlack bytes of each partition
	ends     []int    // how many of them there are of each
	open     [][]byte // of each partition the block that is being filled
}

// What a writer gathers stays near the processor, and what all of them gather together takes at most an eighth of the budget, both as far as the least size
// allows.
const (
	nearEnough    = 256 << 10 // bytes
	leastGathered = 256
	mostGathered  = 1 << 10
	gatherSlack   = 2 * shortEntry // that may be written behind an entry
)

func (p *partitions) writer(s tray.Side) *writer {
	w := &writer{to: p, side: s, ends: make([]int, len(p.parts)), open: make([][]byte, len(p.parts))}
	room := min(nearEnough, p.opts.Budget/8/int64(2*p.opts.Workers))
	w.most = int(min(max(room/int64(len(p.parts)), leastGathered), mostGathered))
	w.gathered = make([]byte, len(w.ends)*(w.most+gatherSlack))
	return w
}

// write adds an entry of so many bytes, which has room behind it.
func (w *writer) write(room []byte, size int, hash uint64) error {
	part := int(hash >> w.to.shift)
	at := w.ends[part]
	if at+size > w.most {
		if at > 0 {
			if err := w.pass(part); err != nil {
				return err
			}
			at = 0
		}
		if size > w.most {
			return w.add(part, room[:size])
		}
	}
	w.ends[part] = at + size
	to := w.gathered[part*(w.most+gatherSlack)+at:]
	// Most entries are short, and how short cannot be foreseen: then it is quicker to copy more than there is.
	if size > 2*shortEntry || len(room) < 2*shortEntry {
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

// pass hands on what has been gathered of a partition.
func (w *writer) pass(part int) error {
	from := part * (w.most + gatherSlack)
	end := w.ends[part]
	w.ends[part] = 0
	return w.add(part, w.gathered[from:from+end])
}

// add puts whole entries into the open block of a partition.
func (w *writer) add(part int, entries []byte) error {
	open := w.open[part]
	if cap(open)-len(open) < len(entries) {
		if len(open) > 0 {
			var err error
			if open, err = w.to.keep(part, w.side, open); err != nil {
				return err
			}
		}
		if cap(open) < len(entries) {
			open = w.to.room.Block(max(len(entries), w.to.block))
		}
	}
	w.open[part] = append(open, entries...)
	return nil
}

// flush hands over all that the writer has.
func (w *writer) flush() error {
	for part, end := range w.ends {
		if end > 0 {
			if err := w.pass(part); err != nil {
				return err
			}
		}
		if len(w.open[part]) > 0 {
			if _, err := w.to.keep(part, w.side, w.open[part]); err != nil {
				return err
			}
		}
	}
	w.gathered, w.open = nil, nil
	return nil
}
