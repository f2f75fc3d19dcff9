package match_test

import (
	"context"
	"math/rand/v2"
	"reflect"
	"slices"
	"sync"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestFeed holds a match whose batches are given to it in any order by several goroutines, with nothing but the columns that the plan reads,
// or as lines, against one of two tables.
func TestFeed(t *testing.T) {
	r := rand.New(rand.NewPCG(77, 1))
	ctx := context.Background()
	asLines, repeats := 0, 0
	for n := range 300 {
		c := randomCase(r)
		plan, tables := c.inputs(t, 1+r.IntN(3))
		want, err := match.Build(ctx, plan, tables[0], tables[1], match.Options{})
		if err != nil {
			t.Fatal(err)
		}
		opts := match.Options{Workers: 1 + r.IntN(3), NoKeys: n%3 == 0}
		if n%2 == 0 { // records of repeated keys are read from elsewhere
			opts.Bring = func(ctx context.Context, index *match.Index, repeated [2][]uint32) (near [2]record.Table, _ error) {
				for _, s := range tray.Sides {
					for _, row := range repeated[s] {
						if index.Sides[s].Partners[row] != match.None {
							t.Errorf("record %d of the %s side is said to be of a repeated key, and has a partner", row, s)
						}
					}
					if !slices.IsSorted(repeated[s]) {
						t.Errorf("not in ascending order: %v", repeated[s])
					}
					repeats += len(repeated[s])
					x, err := record.NewExcerpt(ctx, tables[s], repeated[s], 1, 1<<20, "")
					if err != nil {
						return near, err
					}
					t.Cleanup(func() { _ = x.Close() }) // keeps nothing but memory
					near[s] = x
				}
				return near, nil
			}
		}
		m := match.Begin(plan, r.Int64N(1000), opts)
		type given struct {
			side  tray.Side
			batch int
			lines int32 // bytes of a line's end; 0: they are given as a batch
		}
		var all []given
		for _, s := range tray.Sides {
			for i := range tables[s].Starts() {
				g := given{side: s, batch: i}
				if b, _ := tables[s].Batch(ctx, i); plan.Where[s] == nil && noNulls(b) {
					g.lines = r.Int32N(3)
					asLines += int(g.lines)
				}
				all = append(all, g)
			}
		}
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		batches := make(chan given)
		var feeders sync.WaitGroup
		for range 1 + r.IntN(4) {
			feeders.Go(func() {
				f := m.Feeder()
				for g := range batches {
					b, err := tables[g.side].Batch(ctx, g.batch)
					switch {
					case err != nil:
					case g.lines > 0:
						err = f.AddLines(g.side, linesOf(b, g.lines))
					default:
						err = f.Add(g.side, only(b, plan.Reads(g.side)))
					}
					if err != nil {
						t.Error(err)
					}
				}
				if err := f.Flush(); err != nil {
					t.Error(err)
				}
			})
		}
		for _, g := range all {
			batches <- g
		}
		close(batches)
		feeders.Wait()
		got, err := m.Finish(ctx, tables)
		m.Close()
		if err != nil {
			t.Fatal(err)
		}
		if n%3 == 0 && plan.Repeats != sieve.Totals { // which key a record has was not wanted
			want.Sides[0].Keys, want.Sides[1].Keys = nil, nil
		}
		if !reflect.DeepEqual(got.Sides, want.Sides) || !reflect.DeepEqual(got.Totals, want.Totals) {
			t.Fatalf("another index\n got %+v\nwant %+v", got, want)
		}
	}
	if asLines < 100 || repeats < 100 {
		t.Errorf("only %d batches were given as lines, and %d records of repeated keys", asLines, repeats)
	}
}

func noNulls(b *record.Batch) bool {
	return !slices.ContainsFunc(b.Columns, func(c *array.String) bool { return c.NullN() > 0 })
}

// linesOf are a batch's records as lines with so many bytes at the end of each.
func linesOf(b *record.Batch, feed int32) *record.Lines {
	l := &record.Lines{First: b.First, Columns: len(b.Columns), Ends: []int32{-feed}, Feed: feed}
	for i := range b.Records() {
		for c, col := range b.Columns {
			if c > 0 {
				l.Text = append(l.Text, ',')
			}
			l.Text = append(l.Text, col.Value(i)...)
			l.Ends = append(l.Ends, int32(len(l.Text)))
		}
		l.Text = append(l.Text, "\r\n"[2-feed:]...)
	}
	return l
}

// only is a batch without the other columns.
func only(b *record.Batch, columns []int) *record.Batch {
	out := *b
	out.Columns = append(out.Columns[:0:0], b.Columns...)
	for c := range out.Columns {
		wanted := false
		for _, w := range columns {
			wanted = wanted || w == c
		}
		if !wanted {
			out.Columns[c] = nil
		}
	}
	return &out
}
