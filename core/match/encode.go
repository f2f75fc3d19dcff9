package match

import (
	"encoding/binary"

	"twinsieve/core/exact"
	"twinsieve/core/expression"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// sideReader is one worker's means to make entries of batches of one side. It works column by column: first each column is read whole; then the
// entries of some records are put together beside each other, one part or value after the other for all of them; then
// each is written to its partition.
type sideReader struct {
	m      *Matching
	side   tray.Side
	tally  *tally
	where  *expression.Evaluator // which records take part; nil: all
	to     *writer
	key    []columnReader
	values []columnReader
	row    []reading.Value // the values of a record that will have no entry
	wanted []bool          // of the batch's records, which take part; nil: all
	trays  []tray.Tray     // of the batch's records; nil as long as all take part

	digests digests        // of blocks of the records read so far
	sampled []sampled      // which of the records that are being read have a digest
	only    map[int64]bool // the records have been given before: those of these blocks are evaluated again, and go nowhere

	room       []byte   // for the entries being put together
	ends       []int    // where each of them ends so far; -1: the record has none
	head       int      // bytes of their heads
	keyEnds    []int    // where the key of each ends
	unreadable []bool   // whether one of its values is
	hashes     []uint64 // of the key of each
}

// entriesTogether is how many entries are put together at a time, and entryRoom about how many bytes they may take, so that they stay
// near.
const (
	entriesTogether = 256
	entryRoom       = 24 << 10
)

func (m *Matching) sideReader(s tray.Side, t *tally) *sideReader {
	r := &sideReader{m: m, side: s, tally: t, to: m.partitions.writer(s), digests: digests{}, row: make([]reading.Value, len(m.plan.Values))}
	if m.plan.Where[s] != nil {
		r.where = m.plan.Where[s].Evaluator()
	}
	for _, k := range m.plan.Key {
		r.key = append(r.key, columnReader{reader: k.Chain[s].Reader(), column: k.Column[s]})
	}
	for _, v := range m.plan.Values {
		r.values = append(r.values, columnReader{reader: v.Chain[s].Reader(), column: v.Column[s]})
	}
	if m.plan.Currency < 0 {
		for _, v := range t.values {
			r.values[v].out.Sum = new(exact.Sum)
		}
	}
	return r
}

// read makes entries of records.
func (r *sideReader) read(g given) error {
	r.trays, r.wanted, r.sampled = nil, nil, r.sample(&g)
	if r.where != nil {
		r.filter(g.batch)
	}
	each := longHead + putSlack // bytes of the longest entry
	for i := range r.key {
		each += binary.MaxVarintLen64 + r.key[i].load(&g, r.wanted, &r.tally.Parts[r.side][i])
	}
	if r.m.classes != nil {
		each += r.m.classes.longest
	}
	for i := range r.values {
		each += binary.MaxVarintLen64 + r.values[i].load(&g, r.wanted, &r.tally.Values[r.side][i])
	}
	var currencies *reading.Column
	if c := r.m.plan.Currency; c >= 0 {
		currencies = &r.values[c].out
	}
	for a, v := range r.tally.values {
		r.tally.sumAll(a, r.side, uint32(g.first), g.carried(), &r.values[v].out, currencies)
	}
	r.head = headOf(each)
	together := min(max(entryRoom/each, 1), entriesTogether, g.records)
	if together*each > len(r.room) {
		r.room = make([]byte, together*each)
	}
	if together > len(r.ends) {
		r.ends, r.keyEnds, r.unreadable, r.hashes = make([]int, together), make([]int, together), make([]bool, together), make([]uint64, together)
	}
	for from := 0; from < g.records; from += together {
		if err := r.some(&g, from, min(from+together, g.records), each); err != nil {
			return err
		}
	}
	if r.trays != nil && r.only == nil {
		r.m.mu.Lock()
		r.m.outside[r.side] = append(r.m.outside[r.side], outside{g.first, r.trays})
		r.m.mu.Unlock()
	}
	return nil
}

// filter finds which records take part. One for which that cannot be decided is counted, and does not.
func (r *sideReader) filter(b *record.Batch) {
	r.wanted = make([]bool, b.Records())
	for i := range r.wanted {
		wants, err := r.where.Wants(b, i)
		if err != nil {
			r.tally.Undecided[r.side]++
		}
		r.wanted[i] = wants && err == nil
	}
}

// some makes the entries of the records from one up to another. Each has so many bytes of room.
func (r *sideReader) some(g *given, from, to, each int) error {
	ends, keyEnds, unreadable := r.ends[:to-from], r.keyEnds[:to-from], r.unreadable[:to-from]
	for n := range ends {
		if ends[n] = n*each + r.head; r.wanted != nil && !r.wanted[from+n] {
			ends[n] = -1
			r.leaveOut(g, from+n, tray.Excluded)
		}
		unreadable[n] = false
	}
	for p := range r.key {
		r.putPart(g, p, from, ends)
	}
	for n := range ends {
		if r.m.classes != nil && ends[n] >= 0 {
			ends[n] = r.putClass(n*each+r.head, ends[n])
		}
		keyEnds[n] = ends[n]
	}
	for v := range r.values {
		r.values[v].put(r.room, from, ends, unreadable)
	}
	if len(r.sampled) > 0 {
		r.digest(g.first, from, each, ends)
	}
	if r.only != nil {
		return nil
	}
	hashes := r.hashes[:to-from]
	for n, end := range ends { // apart from the writing, so that none waits for its own hash
		if start := n * each; end >= 0 {
			hashes[n] = r.m.partitions.seal(r.room[start:end], uint32(g.first)+uint32(from+n), r.head, keyEnds[n]-start, unreadable[n])
		}
	}
	for n, end := range ends {
		if start := n * each; end >= 0 {
			if err := r.to.write(r.room[start:], end-start, hashes[n]); err != nil {
				return err
			}
		}
	}
	return nil
}

// leaveOut puts record i into the tray of those that take no part, and its amounts with it.
func (r *sideReader) leaveOut(g *given, i int, at tray.Tray) {
	if r.trays == nil {
		r.trays = make([]tray.Tray, g.records)
	}
	r.trays[i] = at
	for v := range r.values {
		r.row[v] = r.values[v].out.At(i)
	}
	r.tally.sum(r.side, at, r.row)
}

// putPart puts a part of the key into entries, those of the records from from on. A part is preceded by its size plus one,
// or is a zero where it is blank, so that no two different keys have the same bytes. A record whose part is unreadable, or blank where
// blanks do not equal each other, is unkeyed.
func (r *sideReader) putPart(g *given, p, from int, ends []int) {
	c, room := &r.key[p], r.room
	for n, end := range ends {
		if end < 0 {
			continue
		}
		text, size := c.place(from + n)
		switch state := c.state(from+n, size); {
		case state == reading.Text && size < 0x7f:
			room[end] = byte(size + 1)
			ends[n] = put(room, end+1, c.places.Text, text, size)
		case state == reading.Text:
			end += binary.PutUvarint(room[end:], uint64(size)+1)
			ends[n] = put(room, end, c.places.Text, text, size)
		case state.IsBlank() && r.m.plan.Key[p].BlanksEqual:
			room[end] = 0
			ends[n] = end + 1
		default:
			count(&r.tally.Unkeyed[r.side][p], state)
			ends[n] = -1
			r.leaveOut(g, from+n, tray.Unkeyed)
		}
	}
}

// putClass puts the least key of its class in the place of a key that the crosswalk joins with others.
func (r *sideReader) putClass(start, end int) int {
	if class, ok := r.m.classes.of[string(r.room[start:end])]; ok {
		return start + copy(r.room[start:], class)
	}
	return end
}

// columnReader reads one column through its chain.
type columnReader struct {
	reader *reading.Reader
	column int
	out    reading.Column

	places record.Places // the column as read: see [reading.Column.Held]
	states []reading.State
}

// load reads the column of some records, counts its states over those that are wanted, and returns how long its longest text is.
func (c *columnReader) load(g *given, wanted []bool, counts *Causes) (longest int) {
	if g.lines != nil {
		c.reader.Places(g.lines.Column(c.column), &c.out)
	} else {
		c.reader.Column(g.batch.Columns[c.column], &c.out)
	}
	c.places, c.states = c.out.Held()
	if wanted == nil && c.states == nil { // as nearly all columns are
		blank := int64(0)
		ends, gap, stride := c.places.Ends, c.places.Gap, c.places.Stride
		for at := 0; at+1 < len(ends); at += stride {
			size := ends[at+1] - ends[at] - gap
			if longest = max(longest, int(size)); size == 0 {
				blank++
			}
		}
		counts.add(Causes{Read: int64(g.records) - blank, Blank: blank})
		return longest
	}
	var in [4]int64
	for i := range g.records {
		_, size := c.place(i)
		longest = max(longest, size)
		if wanted == nil || wanted[i] {
			in[c.state(i, size)]++
		}
	}
	counts.add(Causes{Read: in[reading.Text], Blank: in[reading.Blank], Emptied: in[reading.Emptied], Unreadable: in[reading.Unreadable] + c.out.AsText})
	return longest
}

// place is where the text of cell i begins, and how many bytes it has.
func (c *columnReader) place(i int) (from, size int) {
	from, to := c.places.At(i)
	return from, to - from
}

// state is that of cell i, whose text has so many bytes.
func (c *columnReader) state(i, size int) reading.State {
	switch {
	case c.states != nil:
		return c.states[i]
	case size == 0:
		return reading.Blank
	}
	return reading.Text
}

// put puts the column's values into entries, those of the records from from on: each as its size and state in one number, and
// its text. It is noted where one is unreadable.
func (c *columnReader) put(room []byte, from int, ends []int, unreadable []bool) {
	for n, end := range ends {
		if end < 0 {
			continue
		}
		text, size := c.place(from + n)
		state := c.state(from+n, size)
		if state == reading.Unreadable {
			unreadable[n] = true
		}
		if head := size<<2 | int(state); head < 0x80 {
			room[end] = byte(head)
			end++
		} else {
			end += binary.PutUvarint(room[end:], uint64(head))
		}
		ends[n] = put(room, end, c.places.Text, text, size)
	}
}

// putSlack is how many bytes more than it is given [put] may write.
const putSlack = 16

// put copies text[from:from+size] to dst[at:] and returns where it ends. A short text is copied together with bytes behind
// it, for calling a copy costs more than that.
func put(dst []byte, at int, text []byte, from, size int) int {
	if size <= putSlack && from+putSlack <= len(text) {
		*(*[putSlack]byte)(dst[at:]) = *(*[putSlack]byte)(text[from:])
	} else {
		copy(dst[at:], text[from:from+size])
	}
	return at + size
}

func count(c *Causes, s reading.State) {
	switch s {
	case reading.Text:
		c.Read++
	case reading.Blank:
		c.Blank++
	case reading.Emptied:
		c.Emptied++
	case reading.Unreadable:
		c.Unreadable++
	}
}
