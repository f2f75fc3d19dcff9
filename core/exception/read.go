package exception

import (
	"context"
	"slices"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Read reads the entries at places, in the order of places. All of them are in memory at once, so a long list is read a
// part at a time. Of a group only the first [MostMembers] records of a side are listed.
func Read(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table, places []Place) ([]Entry, error) {
	r := NewReader(plan, index, tables)
	r.most, r.copies = MostMembers, true
	return r.Read(ctx, places)
}

// Reader reads entries again and again in the same memory, with all records of every group. The texts of their cells are those of the
// batches that they are read from: who keeps one keeps all of its batch. It is not for several goroutines at once.
type Reader struct {
	plan   *sieve.Plan
	index  *match.Index
	tables [2]record.Table
	most   int  // members of a group that are listed; below 0: all
	copies bool // the texts are copies
	judge  *judge

	entries []Entry
	sides   [2]sideReader
}

// sideReader is the memory for one side's records.
type sideReader struct {
	wants   []want
	rows    []uint32
	records []Record
	cells   []record.Cell
}

// want is a record that an entry holds.
type want struct {
	row   uint32
	entry int
}

// NewReader returns a reader of the index's entries.
func NewReader(plan *sieve.Plan, index *match.Index, tables [2]record.Table) *Reader {
	return &Reader{plan: plan, index: index, tables: tables, most: -1, judge: newJudge(plan)}
}

// Read reads the entries at places, in the order of places. They are valid until the next are read, the texts of their cells longer.
func (r *Reader) Read(ctx context.Context, places []Place) ([]Entry, error) {
	r.entries = slices.Grow(r.entries[:0], len(places))[:len(places)]
	for n, p := range places {
		r.entries[n] = Entry{Tray: p.Tray, Side: p.Side, Number: p.Number}
	}
	sides, reading := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		sides.Go(func() error { return r.readSide(reading, s, places) })
	}
	if err := sides.Wait(); err != nil {
		return nil, err
	}
	if r.plan.Repeats == sieve.Totals || len(r.index.Hand) > 0 {
		if err := readGroups(ctx, r.plan, r.index, r.tables, r.entries, r.most); err != nil {
			return nil, err
		}
	}
	r.judge.begin(len(places))
	for n := range r.entries {
		e := &r.entries[n]
		r.judge.judge(e)
		if r.index.Totals.Crosswalk > 0 && e.Tray.Paired() && e.Group == nil {
			e.Joined = r.judge.joined(e)
		}
	}
	return r.entries, nil
}

// readSide reads the records of one side.
func (r *Reader) readSide(ctx context.Context, s tray.Side, places []Place) error {
	to := &r.sides[s]
	to.wants = to.wants[:0]
	for n, p := range places {
		row := p.Number
		if p.Side != s {
			if row = r.index.Sides[p.Side].Partners[row]; row == match.None {
				continue
			}
		}
		to.wants = append(to.wants, want{row, n})
	}
	byRow := func(a, b want) int { return int(int64(a.row) - int64(b.row)) }
	if !slices.IsSortedFunc(to.wants, byRow) {
		slices.SortFunc(to.wants, byRow)
	}
	to.rows = to.rows[:0]
	for _, w := range to.wants {
		to.rows = append(to.rows, w.row)
	}
	columns := len(r.tables[s].Columns())
	to.records = slices.Grow(to.records[:0], len(to.rows))[:len(to.rows)]
	to.cells = slices.Grow(to.cells[:0], len(to.rows)*columns)[:len(to.rows)*columns]
	return record.GatherBatches(ctx, r.tables[s], to.rows, func(n int, b *record.Batch, at []int) {
		some := to.cells[n*columns : (n+len(at))*columns]
		if b.CellsOf(at, some); r.copies {
			record.OwnTexts(some)
		}
		for k, i := range at {
			to.records[n+k] = Record{to.rows[n+k], b.Origin(i), some[k*columns : (k+1)*columns : (k+1)*columns]}
			r.entries[to.wants[n+k].entry].Sides[s] = &to.records[n+k]
		}
	})
}
