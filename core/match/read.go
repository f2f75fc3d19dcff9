package match

import (
	"context"
	"encoding/binary"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/expression"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// read reads the keys and values of both sides into the partitions. Unkeyed and excluded records get their tray here.
func (m *matcher) read(ctx context.Context, tallies []*tally) error {
	type task struct {
		side  tray.Side
		batch int
	}
	var tasks []task
	for i := range max(len(m.inputs[0].Starts()), len(m.inputs[1].Starts())) {
		for _, s := range tray.Sides {
			if i < len(m.inputs[s].Starts()) {
				tasks = append(tasks, task{s, i})
			}
		}
	}
	total := m.inputs[0].Records() + m.inputs[1].Records()
	var next, done atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for _, t := range tallies {
		group.Go(func() error {
			sides := [2]*sideReader{m.sideReader(tray.Left, t), m.sideReader(tray.Right, t)}
			for {
				n := int(next.Add(1)) - 1
				if n >= len(tasks) {
					break
				}
				batch, err := m.inputs[tasks[n].side].Batch(ctx, tasks[n].batch)
				if err != nil {
					return err
				}
				if err := sides[tasks[n].side].read(batch); err != nil {
					return err
				}
				m.opts.Progress(Progress{"reading keys", done.Add(int64(batch.Records())), total})
			}
			for _, s := range sides {
				if err := s.to.flush(); err != nil {
					return err
				}
			}
			return ctx.Err()
		})
	}
	return group.Wait()
}

// sideReader is one worker's means to read batches of one side.
type sideReader struct {
	m      *matcher
	side   tray.Side
	tally  *tally
	where  *expression.Program // which records take part; nil: all
	to     *writer
	key    []columnReader
	values []columnReader
	entry  []byte          // the entry being put together
	row    []reading.Value // the values of a record that will have no entry
}

// columnReader reads one column through its chain.
type columnReader struct {
	reader *reading.Reader
	column int
	out    reading.Column
}

func (c *columnReader) load(b *record.Batch) { c.reader.Column(b.Columns[c.column], &c.out) }

func (m *matcher) sideReader(s tray.Side, t *tally) *sideReader {
	r := &sideReader{m: m, side: s, tally: t, to: m.partitions.writer(s), row: make([]reading.Value, len(m.plan.Values)), entry: make([]byte, 512)}
	if m.plan.Where[s] != nil {
		r.where = m.plan.Where[s].Copy()
	}
	for _, k := range m.plan.Key {
		r.key = append(r.key, columnReader{reader: k.Chain[s].Reader(), column: k.Column[s]})
	}
	for _, v := range m.plan.Values {
		r.values = append(r.values, columnReader{reader: v.Chain[s].Reader(), column: v.Column[s]})
	}
	return r
}

// read reads a batch: first column by column, then record by record.
func (r *sideReader) read(b *record.Batch) error {
	for i := range r.key {
		r.key[i].load(b)
	}
	for i := range r.values {
		r.values[i].load(b)
	}
	index := &r.m.index.Sides[r.side]
	var currencies *reading.Column
	if c := r.m.plan.Currency; c >= 0 {
		currencies = &r.values[c].out
	}
	for a, v := range r.tally.values {
		r.tally.sumAll(a, r.side, uint32(b.First), b.Carried != nil, &r.values[v].out, currencies)
	}
	for i := range b.Records() {
		row := uint32(b.First) + uint32(i)
		if r.where != nil && !r.wants(b, i) {
			index.Trays[row] = tray.Excluded
			r.tally.sum(r.side, tray.Excluded, r.valuesOf(i))
			continue
		}
		keyEnd, keyed := r.putKey(i)
		if keyed && r.m.classes != nil {
			if class, ok := r.m.classes.of[string(r.entry[entryHead:keyEnd])]; ok {
				r.reserve(entryHead + len(class))
				keyEnd = entryHead + copy(r.entry[entryHead:], class)
			}
		}
		end := keyEnd
		for v := range r.values {
			value := r.values[v].out.At(i)
			count(&r.tally.Values[r.side][v], value.State)
			if keyed {
				r.reserve(end + len(value.Text))
				end += binary.PutUvarint(r.entry[end:], uint64(len(value.Text))<<2|uint64(value.State))
				end = put(r.entry, end, value.Text)
			}
		}
		if !keyed {
			index.Trays[row] = tray.Unkeyed
			r.tally.sum(r.side, tray.Unkeyed, r.valuesOf(i))
			continue
		}
		if err := r.to.write(r.entry[:end], row, keyEnd); err != nil {
			return err
		}
	}
	return nil
}

// wants reports whether the filter lets a record take part. One for which that cannot be decided is counted, and does not.
func (r *sideReader) wants(b *record.Batch, i int) bool {
	wants, err := r.where.Wants(b, i)
	if err != nil {
		r.tally.Undecided[r.side]++
	}
	return wants && err == nil
}

// valuesOf returns the values of the batch's record i, until the next call.
func (r *sideReader) valuesOf(i int) []reading.Value {
	for v := range r.values {
		r.row[v] = r.values[v].out.At(i)
	}
	return r.row
}

// putKey puts the key of record i behind the entry's head, and returns where it ends. Each part is preceded by its size
// plus one, or is a zero where it is blank, so that no two different keys have the same bytes. keyed is false when the
// record is unkeyed.
func (r *sideReader) putKey(i int) (end int, keyed bool) {
	end, keyed = entryHead, true
	for p := range r.key {
		v := r.key[p].out.At(i)
		count(&r.tally.Parts[r.side][p], v.State)
		switch {
		case v.State == reading.Text:
			r.reserve(end + len(v.Text))
			end += binary.PutUvarint(r.entry[end:], uint64(len(v.Text))+1)
			end = put(r.entry, end, v.Text)
		case v.State.IsBlank() && r.m.plan.Key[p].BlanksEqual:
			r.reserve(end)
			r.entry[end] = 0
			end++
		case keyed:
			count(&r.tally.Unkeyed[r.side][p], v.State)
			keyed = false
		}
	}
	return end, keyed
}

// putSlack is how many bytes more than it is given [put] may write.
const putSlack = 16

// reserve makes the entry long enough for so many bytes, a size before the last of them, and what [put] needs.
func (r *sideReader) reserve(end int) {
	if need := end + binary.MaxVarintLen64 + putSlack; need > len(r.entry) {
		r.entry = append(r.entry, make([]byte, need)...)
	}
}

// put copies text to dst[at:] and returns where it ends. A short text is copied as two words, together with bytes behind
// it, for calling a copy costs more than that.
func put(dst []byte, at int, text []byte) int {
	if len(text) <= putSlack && cap(text) >= putSlack {
		from, to := text[:putSlack], dst[at:at+putSlack]
		binary.LittleEndian.PutUint64(to, binary.LittleEndian.Uint64(from))
		binary.LittleEndian.PutUint64(to[8:], binary.LittleEndian.Uint64(from[8:]))
	} else {
		copy(dst[at:], text)
	}
	return at + len(text)
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
