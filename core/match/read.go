package match

import (
	"context"
	"encoding/binary"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

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
	for i := range max(len(m.inputs[0].Table.Starts()), len(m.inputs[1].Table.Starts())) {
		for _, s := range tray.Sides {
			if i < len(m.inputs[s].Table.Starts()) {
				tasks = append(tasks, task{s, i})
			}
		}
	}
	total := m.inputs[0].Table.Records() + m.inputs[1].Table.Records()
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
				batch, err := m.inputs[tasks[n].side].Table.Batch(ctx, tasks[n].batch)
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
	to     *writer
	key    []columnReader
	values []columnReader
	entry  []byte // the entry being put together
	row    []reading.Value
}

// columnReader reads one column through its chain.
type columnReader struct {
	reader *reading.Reader
	column int
	out    reading.Column
}

func (c *columnReader) load(b *record.Batch) { c.reader.Column(b.Columns[c.column], &c.out) }

func (m *matcher) sideReader(s tray.Side, t *tally) *sideReader {
	r := &sideReader{m: m, side: s, tally: t, to: m.partitions.writer(s), row: make([]reading.Value, len(m.plan.Values)), entry: make([]byte, entryHead, 256)}
	for _, k := range m.plan.Key {
		r.key = append(r.key, columnReader{reader: k.Chain[s].Reader(), column: k.Column[s]})
	}
	for _, v := range m.plan.Values {
		r.values = append(r.values, columnReader{reader: v.Chain[s].Reader(), column: v.Column[s]})
	}
	return r
}

func (r *sideReader) read(b *record.Batch) error {
	for i := range r.key {
		r.key[i].load(b)
	}
	for i := range r.values {
		r.values[i].load(b)
	}
	keep := r.m.inputs[r.side].Keep
	trays := r.m.index.Sides[r.side].Trays
	for i := range b.Records() {
		row := uint32(b.First) + uint32(i)
		for v := range r.values {
			r.row[v] = r.values[v].out.At(i)
		}
		r.tally.sumAll(r.side, row, r.row)
		if keep != nil && !keep(b, i) {
			trays[row] = tray.Excluded
			r.tally.sum(r.side, tray.Excluded, r.row)
			continue
		}
		for v := range r.row {
			count(&r.tally.Values[r.side][v], r.row[v].State)
		}
		entry, keyed := r.readKey(i, r.entry[:entryHead])
		if !keyed {
			trays[row] = tray.Unkeyed
			r.tally.sum(r.side, tray.Unkeyed, r.row)
			continue
		}
		keyEnd := len(entry)
		for _, v := range r.row {
			entry = appendValue(entry, v)
		}
		r.entry = entry
		if err := r.to.write(entry, row, keyEnd); err != nil {
			return err
		}
	}
	return nil
}

// readKey appends the key of record i to entry. Each part is preceded by its size plus one, or is a zero where it is
// blank, so that no two different keys have the same bytes. It reports false when the record is unkeyed.
func (r *sideReader) readKey(i int, entry []byte) (_ []byte, keyed bool) {
	keyed = true
	for p := range r.key {
		v := r.key[p].out.At(i)
		count(&r.tally.Parts[r.side][p], v.State)
		switch {
		case v.State == reading.Text:
			entry = binary.AppendUvarint(entry, uint64(len(v.Text))+1)
			entry = append(entry, v.Text...)
		case v.State.IsBlank() && r.m.plan.Key[p].BlanksEqual:
			entry = append(entry, 0)
		case keyed:
			count(&r.tally.Unkeyed[r.side][p], v.State)
			keyed = false
		}
	}
	return entry, keyed
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
