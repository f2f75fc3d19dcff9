package profile

import (
	"context"
	"math"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/record"
)

// effort is about how much there is to do for each record, so that what is told of the progress grows with the time: counting a value that
// was counted before is 1, where there are not so many that each is far away in memory. A value that is new is dearer, and is looked at by itself afterwards.
type effort struct {
	count, look   float64
	values, bytes int // how many different values there will be, and the bytes of their texts
}

// wholeRecord is how much it is to compare a record with all others.
const wholeRecord = 2

func effortOf(distinct float64, records int64) effort {
	e := effort{count: 1 + 4*distinct, look: 15 * distinct, values: int(distinct * float64(records))}
	const near = 1 << 16 // values that are
	if e.values > near {
		e.count += 3
	}
	return e
}

// all is what there is to do in all.
func (e *effort) all() float64 { return e.count + e.look }

// room is a tally with room for what is to be counted, where that is not more than so many bytes.
func (e *effort) room(budget int64) *tally {
	const slack = 16 // a sixteenth more than was guessed
	values, bytes := e.values+e.values/slack, e.bytes+e.bytes/slack
	if int64(values)*(32+16)+int64(bytes) > budget*3/4 {
		return newTally()
	}
	return newTallyFor(values, bytes)
}

// efforts guesses what there is to do for each column, from the first records and from some in the middle.
func efforts(ctx context.Context, t record.Table, workers int) ([]effort, error) {
	list := make([]effort, len(t.Columns()))
	if len(t.Starts()) == 0 {
		return list, nil
	}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(workers)
	for c := range list {
		group.Go(func() error {
			first, records, err := tallyOf(ctx, t, 0, c)
			if err != nil {
				return err
			}
			share := float64(len(first.entries)) / float64(max(records, 1))
			if middle := len(t.Starts()) / 2; middle > 0 {
				other, _, err := tallyOf(ctx, t, middle, c)
				if err != nil {
					return err
				}
				both := 0
				for i := range other.entries {
					if first.has(other.value(&other.entries[i])) {
						both++
					}
				}
				share = distinctShare(len(first.entries), records, len(other.entries), both, t.Records())
			}
			list[c] = effortOf(share, t.Records())
			list[c].bytes = int(float64(len(first.text)) / float64(max(len(first.entries), 1)) * float64(list[c].values))
			return nil
		})
	}
	return list, group.Wait()
}

// tallyOf counts the values of a column in a batch, and says how many records that has.
func tallyOf(ctx context.Context, t record.Table, batch, c int) (values *tally, records int, err error) {
	col, err := record.ColumnOf(ctx, t, batch, c)
	if err != nil {
		return nil, 0, err
	}
	values = newTally()
	offsets, all := col.ValueOffsets(), col.ValueBytes()
	for k := range col.Len() {
		text := all[offsets[k]:offsets[k+1]]
		values.add(hash(text), text)
	}
	return values, col.Len(), nil
}

// distinctShare is about how many different values there are to a record in all. Of some records, which have so many values, and of others elsewhere, which have so many, so many are in both: the fewer
// these are, the more values there must be. Of n records with one of v values, v·(1−e^(−n/v)) are different. Where records with the same value stand together, that
// would be too many, but there are never more to a record than in those that have been seen.
func distinctShare(values, some, others, both int, all int64) float64 {
	if some == 0 {
		return 0
	}
	v := float64(values+1)*float64(others+1)/float64(both+1) - 1
	n := float64(all)
	return min(v*-math.Expm1(-n/v)/n, float64(values)/float64(some))
}

// progress adds up what several goroutines have done.
type progress struct {
	tell  func(done, total int64)
	cells int64 // as which all that is to be done is told
	total int64 // thousandths of what efforts are measured in
	done  atomic.Int64
}

func newProgress(t record.Table, list []effort, tell func(done, total int64)) *progress {
	p := &progress{tell: tell, cells: t.Records() * int64(len(t.Columns()))}
	each := float64(wholeRecord)
	for _, e := range list {
		each += e.all()
	}
	p.total = max(int64(each*1000*float64(t.Records())), 1)
	return p
}

// add tells that so much more has been done for so many records.
func (p *progress) add(effort float64, records int64) {
	done := min(p.done.Add(int64(effort*1000*float64(records))), p.total)
	p.tell(int64(float64(p.cells)*(float64(done)/float64(p.total))), p.cells)
}
