package advise

import (
	"cmp"
	"context"
	"slices"

	"golang.org/x/sync/errgroup"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// typed is how many records the types of columns are found in.
const typed = 20_000

type adviser struct {
	most    int64
	sampled bool // not all records are looked at
	tables  [2]record.Table
	columns [2][]column
	hashed  [mostParts][2][]uint64 // of each record's key, of the parts that are being judged up to one; 0: it has none
	out     *Advice
}

// column is a column with its values in one form, so that values that mean the same are the same.
type column struct {
	name   string
	found  typing.Finding
	form   string   // of a date: its layout
	doubt  []string // of a date that can be read in several ways: all its layouts
	hashes []uint64 // of each record's value in that form; 0: blank
	sorted []uint64 // the different ones
}

func (a *adviser) types(ctx context.Context, s tray.Side) error {
	names := a.tables[s].Columns()
	finders := make([]*typing.Finder, len(names))
	for i := range finders {
		finders[i] = typing.NewFinder()
	}
	for n, start := range a.tables[s].Starts() {
		if start >= typed {
			break
		}
		b, err := a.tables[s].Batch(ctx, n)
		if err != nil {
			return err
		}
		for c, col := range b.Columns {
			for i := range b.Records() {
				if col.IsValid(i) && len(col.Value(i)) > 0 {
					finders[c].Add([]byte(col.Value(i)), 1)
				}
			}
		}
	}
	for c, name := range names {
		found := finders[c].Find()
		a.columns[s] = append(a.columns[s], column{name: name, found: found, form: found.Form})
	}
	return nil
}

// settleDates gives columns whose dates can be read in two ways the layout in which more of their days are days of a column of the
// other side; the first where that does not tell. It is a proposal: the advice says that the column could be read otherwise.
func (a *adviser) settleDates(ctx context.Context) error {
	for _, s := range tray.Sides {
		for i := range a.columns[s] {
			c := &a.columns[s][i]
			if c.found.Name != typing.Date || c.form != "" || len(c.found.Ambiguous) == 0 {
				continue
			}
			// Digits that read as a date and as a number are taken for dates only if the other side has such days.
			most, dates := -1, 0
			for _, t := range c.found.Ambiguous {
				if t.Name == typing.Date {
					dates++
				}
			}
			if dates < len(c.found.Ambiguous) {
				most = 0
			}
			for _, t := range c.found.Ambiguous {
				if t.Name != typing.Date {
					continue
				}
				days, err := a.days(ctx, s, i, t.Form)
				if err != nil {
					return err
				}
				for o, other := range a.columns[s.Other()] {
					n := 0
					if other.found.Name == typing.Date && other.found.Form != "" {
						theirs, err := a.days(ctx, s.Other(), o, other.found.Form)
						if err != nil {
							return err
						}
						for day := range days {
							if theirs[day] {
								n++
							}
						}
					}
					if n > most {
						most, c.form = n, t.Form
					}
				}
				if dates > 1 {
					c.doubt = append(c.doubt, t.Form)
				}
			}
		}
	}
	return nil
}

// days are the different days of a column's first records, read in a layout.
func (a *adviser) days(ctx context.Context, s tray.Side, at int, layout string) (map[string]bool, error) {
	chain, err := reading.Compile(reading.MustParse("trim", "date "+layout), s, nil)
	if err != nil {
		return nil, err
	}
	r, days := chain.Reader(), map[string]bool{}
	for n, start := range a.tables[s].Starts() {
		if start >= typed {
			break
		}
		col, err := record.ColumnOf(ctx, a.tables[s], n, at)
		if err != nil {
			return nil, err
		}
		for i := range col.Len() {
			if col.IsNull(i) {
				continue
			}
			if v := r.Cell([]byte(col.Value(i))); v.State == reading.Text {
				days[string(v.Text)] = true
			}
		}
	}
	return days, nil
}

// ladder are readings that make texts alike, each added to those before it.
var ladder = []string{"trim", "single-spaces", "ignore-case", "drop-accents", "drop-zeros-in-digit-runs"}

// readings are what brings a column's values into the form in which they are held against others.
func (c *column) readings(rungs int) []reading.Reading {
	var texts []string
	switch {
	case c.found.Name == typing.Date && c.form != "":
		texts = []string{"trim", "date " + c.form}
	case c.found.Name == typing.Decimal && c.found.Form != "":
		texts = []string{"trim", "number " + c.found.Form}
	default:
		texts = ladder[:rungs]
	}
	return reading.MustParse(texts...)
}

func (c *column) isText() bool {
	return !(c.found.Name == typing.Date && c.form != "" || c.found.Name == typing.Decimal && c.found.Form != "")
}

// hasher hashes the column's values in its form.
func (c *column) hasher() *hasher {
	chain, err := reading.Compile(c.readings(len(ladder)), tray.Left, nil)
	if err != nil {
		panic("advise: " + err.Error())
	}
	return &hasher{reader: chain.Reader()}
}

// load reads all columns of both sides. Of sides with too many records it keeps those whose value in the best pair of columns is
// in a sample that is the same on both sides.
func (a *adviser) load(ctx context.Context) error {
	keep, at := ^uint64(0), [2]int{}
	if largest := max(a.out.Records[0], a.out.Records[1]); largest > a.most {
		var err error
		if at, err = a.sampleColumns(ctx); err != nil {
			return err
		}
		keep = keep / uint64(largest) * uint64(a.most)
		a.sampled = true
	}
	group, ctx := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		group.Go(func() error { return a.loadSide(ctx, s, at[s], keep) })
	}
	return group.Wait()
}

// loadSide reads all columns of a side, of the records whose value of column at has a hash up to keep.
func (a *adviser) loadSide(ctx context.Context, s tray.Side, at int, keep uint64) error {
	columns := a.columns[s]
	hashers := make([]*hasher, len(columns))
	for c := range columns {
		hashers[c] = columns[c].hasher()
	}
	var rows []int // of a batch, that are looked at
	for n := range a.tables[s].Starts() {
		b, err := a.tables[s].Batch(ctx, n)
		if err != nil {
			return err
		}
		rows = rows[:0]
		for i := range b.Records() {
			if !a.sampled || hashers[at].of(b.Columns[at], i) <= keep {
				rows = append(rows, i)
			}
		}
		a.out.Looked[s] += int64(len(rows))
		for c, col := range b.Columns {
			hashes := slices.Grow(columns[c].hashes, len(rows))
			for _, i := range rows {
				hashes = append(hashes, hashers[c].of(col, i))
			}
			columns[c].hashes = hashes
		}
	}
	for c := range columns {
		col := &columns[c]
		col.sorted = slices.Clone(col.hashes)
		slices.Sort(col.sorted)
		shown := Column{Name: col.name, Layouts: col.doubt, Type: typing.Type{Name: col.found.Name, Form: col.form}.String()}
		for i := 0; i < len(col.sorted); {
			end := i
			for end < len(col.sorted) && col.sorted[end] == col.sorted[i] {
				end++
			}
			switch {
			case col.sorted[i] == 0:
				shown.Blank += int64(end - i)
			case end-i == 1:
				shown.Unique++
			}
			i = end
		}
		col.sorted = slices.Compact(col.sorted)
		if len(col.sorted) > 0 && col.sorted[0] == 0 {
			col.sorted = col.sorted[1:]
		}
		shown.Distinct = int64(len(col.sorted))
		a.out.Columns[s] = append(a.out.Columns[s], shown)
	}
	return nil
}

// sketch is how many of a column's least hashes stand for it.
const sketch = 4096

// sampleColumns finds the pair of columns to sample by: the one that shares most different values.
func (a *adviser) sampleColumns(ctx context.Context) (at [2]int, err error) {
	var least [2][][]uint64
	group, within := errgroup.WithContext(ctx)
	for _, s := range tray.Sides {
		group.Go(func() (err error) {
			least[s], err = a.leastOf(within, s)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return at, err
	}
	best := -1
	for l := range least[0] {
		for r := range least[1] {
			if n := shared(least[0][l], least[1][r]); n > best {
				best, at = n, [2]int{l, r}
			}
		}
	}
	return at, nil
}

// leastOf are the least hashes of each column of a side, ascending.
func (a *adviser) leastOf(ctx context.Context, s tray.Side) ([][]uint64, error) {
	least := make([][]uint64, len(a.columns[s]))
	hashers := make([]*hasher, len(least))
	for c := range hashers {
		hashers[c] = a.columns[s][c].hasher()
	}
	for n := range a.tables[s].Starts() {
		b, err := a.tables[s].Batch(ctx, n)
		if err != nil {
			return nil, err
		}
		for c, col := range b.Columns {
			list := least[c]
			for i := range b.Records() {
				h := hashers[c].of(col, i)
				if h == 0 || len(list) == sketch && h >= list[sketch-1] {
					continue
				}
				if place, found := slices.BinarySearch(list, h); !found {
					list = slices.Insert(list, place, h)
					list = list[:min(len(list), sketch)]
				}
			}
			least[c] = list
		}
	}
	return least, nil
}

// shared counts what two ascending lists have in common.
func shared(a, b []uint64) (n int) {
	for i, j := 0, 0; i < len(a) && j < len(b); {
		switch c := cmp.Compare(a[i], b[j]); {
		case c < 0:
			i++
		case c > 0:
			j++
		default:
			n++
			i++
			j++
		}
	}
	return n
}
