// Package profile says what is in a record set: for each column how many values it has, which are blank, which repeat,
// how they are written and as what they read.
//
// Every figure is exact. A column is counted in one pass while its different values fit the memory that it may take;
// where they do not, it is read several times, each time for a part of the values, so that memory is bounded and the
// figures stay exact. What could only be given in part says so: see [Column].MoreShapes.
package profile

import (
	"bytes"
	"cmp"
	"context"
	"runtime"
	"slices"
	"unicode"
	"unicode/utf8"

	"github.com/shopspring/decimal"
	"golang.org/x/sync/errgroup"

	"twinsieve/core/exact"
	"twinsieve/core/record"
	"twinsieve/core/typing"
)

// Profile is what is in a record set.
type Profile struct {
	Records  int64    `json:"records"`
	Columns  []Column `json:"columns" nullable:"false"`
	Repeated int64    `json:"repeated" description:"Records that are the same as an earlier record in every cell."`
}

// Column is what is in a column.
type Column struct {
	Name         string         `json:"name"`
	Type         typing.Finding `json:"type" description:"As what its values read."`
	Nulls        int64          `json:"nulls" description:"Cells that are null in the source."`
	Empty        int64          `json:"empty" description:"Cells without text."`
	Markers      int64          `json:"markers" description:"Cells with one of the set's blank markers."`
	Distinct     int64          `json:"distinct" description:"Different values, blanks not counted."`
	Repeated     int64          `json:"repeated" description:"Records whose value another record has, too; blanks not counted."`
	Shortest     *Length        `json:"shortest,omitempty"`
	Longest      *Length        `json:"longest,omitempty"`
	Least        string         `json:"least,omitempty" description:"The least value: by size of numbers and dates, else in the order of their bytes."`
	Greatest     string         `json:"greatest,omitempty"`
	Total        string         `json:"total,omitempty" description:"The exact sum, where the values are numbers."`
	Common       []typing.Count `json:"common" nullable:"false" description:"The commonest values."`
	Shapes       []typing.Count `json:"shapes" nullable:"false" description:"The commonest shapes: A and a for a letter, 9 for a digit, other characters as they are."`
	MoreShapes   bool           `json:"moreShapes,omitempty" description:"There are more than 10,000 shapes, and counts of shapes beyond these are left out."`
	Spaces       int64          `json:"spaces" description:"Records whose value has spaces around it."`
	CaseOnly     int64          `json:"caseOnly" description:"Different values that are another value when letter case is ignored."`
	LeadingZeros int64          `json:"leadingZeros" description:"Records whose value is of digits alone and begins with zeros."`
	Histogram    []Bin          `json:"histogram" nullable:"false" description:"Records by size of numbers, by date, or else by number of characters."`
	By           string         `json:"by,omitempty" enum:"number,date,length" description:"What the histogram is by."`
}

// Blanks is the number of blank cells.
func (c *Column) Blanks() int64 { return c.Nulls + c.Empty + c.Markers }

// Length is a value and its number of characters.
type Length struct {
	Characters int    `json:"characters"`
	Text       string `json:"text" description:"The first such value in the order of their bytes, cut after 200 bytes."`
}

// Bin is a part of a histogram. A value that is its lower bound is in it; one that is its upper bound is in it only where
// whole numbers and dates are counted.
type Bin struct {
	From    string `json:"from"`
	To      string `json:"to"`
	Records int64  `json:"records"`
}

const (
	mostCommon = 10     // values and shapes that are listed
	mostShapes = 10_000 // that are counted
	textKept   = 200    // bytes of a value that is shown
	shapeKept  = 60     // characters of a shape
)

// Options are how a profile is made.
type Options struct {
	Types    map[string]typing.Type  // of columns whose type somebody has stated; the others' are found
	Workers  int                     // 0: one for each processor
	Budget   int64                   // bytes for counting different values, over all workers; 0: 256 MiB
	Progress func(done, total int64) // told of about how much is done, in cells; may be nil, and is called from several goroutines
}

// Of profiles a record set.
func Of(ctx context.Context, t record.Table, o Options) (*Profile, error) {
	if o.Workers <= 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	if o.Budget <= 0 {
		o.Budget = 256 << 20
	}
	if o.Progress == nil {
		o.Progress = func(int64, int64) {}
	}
	p := &Profile{Records: t.Records(), Columns: make([]Column, len(t.Columns()))}
	list, err := efforts(ctx, t, o.Workers)
	if err != nil {
		return nil, err
	}
	steps := newProgress(t, list, o.Progress)
	budget := o.Budget / int64(o.Workers)
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(o.Workers)
	group.Go(func() (err error) {
		p.Repeated, err = repeated(ctx, t, list, budget, steps)
		return err
	})
	for _, c := range dearestFirst(list) {
		name := t.Columns()[c]
		group.Go(func() error {
			col := &column{Column: &p.Columns[c], table: t, number: c, budget: budget, effort: list[c], steps: steps}
			col.Name = name
			col.finder = typing.NewFinder()
			if stated, ok := o.Types[name]; ok {
				col.finder = typing.NewStated(stated)
			}
			return col.profile(ctx)
		})
	}
	return p, group.Wait()
}

// dearestFirst is the order in which columns are done: so no worker waits long for another at the end.
func dearestFirst(list []effort) []int {
	columns := make([]int, len(list))
	for c := range columns {
		columns[c] = c
	}
	slices.SortStableFunc(columns, func(a, b int) int { return cmp.Compare(list[b].all(), list[a].all()) })
	return columns
}

// column is a column that is being profiled.
type column struct {
	*Column
	table  record.Table
	number int
	budget int64
	effort effort
	steps  *progress

	passed   bool // blanks have been counted
	finder   *typing.Finder
	shapes   map[string]*int64
	numbers  exact.Sum
	added    bool
	sized    bool // values have a size, as numbers and dates have
	least    bound
	greatest bound
}

// bound is the least or greatest value so far.
type bound struct {
	set    bool
	text   string
	term   exact.Term // where it is a number, unless it is too long for one
	long   *decimal.Decimal
	second int64
}

// number is the value, where it is a number.
func (b *bound) number() decimal.Decimal {
	if b.long != nil {
		return *b.long
	}
	return b.term.Decimal()
}

func (c *column) profile(ctx context.Context) error {
	c.shapes = map[string]*int64{}
	parts := parts{count: c.count, budget: c.budget, begin: func() *tally { return c.effort.room(c.budget) }}
	if err := parts.each(ctx, c.look); err != nil {
		return err
	}
	c.Type = c.finder.Find()
	c.Shapes = commonest(c.shapes)
	c.Common = append([]typing.Count{}, c.Common...)
	values := typing.NewValues(c.Type.Type)
	if err := parts.each(ctx, func(t *tally) { c.bounds(t, values) }); err != nil {
		return err
	}
	c.steps.add(c.effort.look/4, c.table.Records())
	c.Least, c.Greatest = c.least.text, c.greatest.text
	if c.added {
		c.Total = exact.Text(c.numbers.Total())
	}
	bins := newBins(c, values)
	if err := parts.each(ctx, func(t *tally) { bins.count(t, values) }); err != nil {
		return err
	}
	c.Histogram, c.By = bins.bins, bins.by
	c.steps.add(c.effort.look/4, c.table.Records())
	return nil
}

// count counts the column's values that belong to a part. full is asked after each batch, and may make the part smaller.
func (c *column) count(ctx context.Context, t *tally, p *part, full func()) error {
	for i := range c.table.Starts() {
		col, err := record.ColumnOf(ctx, c.table, i, c.number)
		if err != nil {
			return err
		}
		offsets, all := col.ValueOffsets(), col.ValueBytes()
		var hashes [foreseen]uint64
		for from := 0; from < col.Len(); from += foreseen {
			some := hashes[:min(foreseen, col.Len()-from)]
			for k := range some {
				some[k] = hash(all[offsets[from+k]:offsets[from+k+1]])
			}
			t.foresee(some)
			for k, h := range some {
				k += from
				text := all[offsets[k]:offsets[k+1]]
				switch null := col.IsNull(k); {
				case !null && len(text) > 0:
					if p.has(h, text) {
						t.add(h, text)
					}
				case c.passed:
				case !null:
					c.Empty++
				case len(text) == 0:
					c.Nulls++
				default:
					c.Markers++
				}
			}
		}
		full()
		c.steps.add(c.effort.count, int64(col.Len()))
	}
	c.passed = true
	return nil
}

// look takes what can be seen of each value for itself.
func (c *column) look(t *tally) {
	var shape, lower []byte
	folded := newTally() // values with capitals, in lower case
	fold := t.hasSmall() // where no letter is small, no two values are the same but for case
	const some = 1 << 14 // after so many values it is told how far it is
	for i := range t.entries {
		if i%some == some-1 {
			c.steps.add(c.effort.look/2*some/float64(len(t.entries)), c.table.Records())
		}
		e := &t.entries[i]
		text := t.value(e)
		c.Distinct++
		if e.records > 1 {
			c.Repeated += e.records
		}
		c.finder.Add(text, e.records)
		c.length(text)
		c.Common = common(c.Common, text, e.records)
		if hasSpaces(text) {
			c.Spaces += e.records
		}
		if leadingZero(text) {
			c.LeadingZeros += e.records
		}
		shape = appendShape(shape[:0], text)
		switch n := c.shapes[string(shape)]; {
		case n != nil:
			*n += e.records
		case len(c.shapes) < mostShapes:
			n := e.records
			c.shapes[string(shape)] = &n
		default:
			c.MoreShapes = true
		}
		if !fold || !hasCapital(text) {
			continue
		}
		if lower = appendLower(lower[:0], text); !bytes.Equal(lower, text) {
			folded.add(hash(lower), lower)
		}
	}
	for i := range folded.entries {
		e := &folded.entries[i]
		n := e.records
		if t.has(folded.value(e)) {
			n++
		}
		if n > 1 {
			c.CaseOnly += n
		}
	}
}

// appendLower appends a text in lower case.
func appendLower(dst, text []byte) []byte {
	for i, c := range text {
		switch {
		case c >= utf8.RuneSelf:
			return append(dst[:len(dst)-i], bytes.ToLower(text)...)
		case c >= 'A' && c <= 'Z':
			c += 'a' - 'A'
		}
		dst = append(dst, c)
	}
	return dst
}

// hasCapital reports whether a text may have a letter that is not lower case.
func hasCapital(text []byte) bool {
	for _, c := range text {
		if c >= 'A' && c <= 'Z' || c >= utf8.RuneSelf {
			return true
		}
	}
	return false
}

func (c *column) length(text []byte) {
	n := utf8.RuneCount(text)
	if c.Shortest == nil || n < c.Shortest.Characters || n == c.Shortest.Characters && string(text) < c.Shortest.Text {
		c.Shortest = &Length{n, cut(text)}
	}
	if c.Longest == nil || n > c.Longest.Characters || n == c.Longest.Characters && string(text) < c.Longest.Text {
		c.Longest = &Length{n, cut(text)}
	}
}

func cut(text []byte) string {
	if len(text) <= textKept {
		return string(text)
	}
	return string(bytes.ToValidUTF8(text[:textKept], nil)) + "…"
}

// common keeps the commonest values, of equally common ones the first in the order of their bytes.
func common(list []typing.Count, text []byte, records int64) []typing.Count {
	if len(list) == mostCommon {
		if last := list[mostCommon-1]; records < last.Records || records == last.Records && string(text) > last.Text {
			return list
		}
	}
	c := typing.Count{Text: cut(text), Records: records}
	at, _ := slices.BinarySearchFunc(list, c, byCount)
	list = slices.Insert(list, at, c)
	return list[:min(len(list), mostCommon)]
}

func byCount(a, b typing.Count) int {
	return cmp.Or(cmp.Compare(b.Records, a.Records), cmp.Compare(a.Text, b.Text))
}

func commonest(counts map[string]*int64) []typing.Count {
	list := make([]typing.Count, 0, len(counts))
	for text, n := range counts {
		list = append(list, typing.Count{Text: text, Records: *n})
	}
	slices.SortFunc(list, byCount)
	return slices.Clip(list[:min(len(list), mostCommon)])
}

func hasSpaces(text []byte) bool {
	first, _ := utf8.DecodeRune(text)
	last, _ := utf8.DecodeLastRune(text)
	return unicode.IsSpace(first) || unicode.IsSpace(last)
}

func leadingZero(text []byte) bool {
	return len(text) > 1 && text[0] == '0' && len(bytes.Trim(text, "0123456789")) == 0
}

// appendShape writes how a text is made: A and a for letters, 9 for digits, other characters as they are.
func appendShape(dst, text []byte) []byte {
	n := 0
	for _, r := range string(text) {
		if n++; n > shapeKept {
			return append(dst, "…"...)
		}
		switch {
		case r >= '0' && r <= '9':
			dst = append(dst, '9')
		case r >= 'a' && r <= 'z':
			dst = append(dst, 'a')
		case r < utf8.RuneSelf && (r < 'A' || r > 'Z'):
			dst = append(dst, byte(r))
		case unicode.IsUpper(r):
			dst = append(dst, 'A')
		case unicode.IsLetter(r):
			dst = append(dst, 'a')
		case unicode.IsDigit(r):
			dst = append(dst, '9')
		default:
			dst = utf8.AppendRune(dst, r)
		}
	}
	return dst
}

// bounds finds the least and greatest values and adds the numbers up.
func (c *column) bounds(t *tally, values *typing.Values) {
	numbers := c.Type.Name == typing.Integer || c.Type.Name == typing.Decimal && c.Type.Form != ""
	times := c.Type.Name == typing.Timestamp || c.Type.Name == typing.Date && c.Type.Form != ""
	c.sized = numbers || times
	for i := range t.entries {
		e := &t.entries[i]
		text := t.value(e)
		b := bound{set: true}
		switch {
		case numbers:
			plain, ok := values.Number(text)
			if !ok {
				continue
			}
			c.added = true
			if b.term, ok = exact.NewTerm(plain); ok {
				c.numbers.AddTermTimes(b.term, e.records)
			} else {
				c.numbers.AddTimes(plain, e.records)
				long := exact.Decimal(plain)
				b.long = &long
			}
		case times:
			var ok bool
			if b.second, ok = values.Seconds(text); !ok {
				continue
			}
		}
		if !c.least.set || c.before(&b, text, &c.least) {
			c.least = b
			c.least.text = cut(text)
		}
		if !c.greatest.set || c.after(&b, text, &c.greatest) {
			c.greatest = b
			c.greatest.text = cut(text)
		}
	}
}

func (c *column) order(a *bound, text []byte, b *bound) int {
	switch {
	case !c.sized:
		return bytes.Compare(text, []byte(b.text))
	case a.long != nil || b.long != nil:
		return a.number().Cmp(b.number())
	}
	return cmp.Or(a.term.Compare(b.term), cmp.Compare(a.second, b.second))
}

// Equal numbers and dates may be written differently: the text that comes first in the order of bytes is shown.
func (c *column) before(a *bound, text []byte, b *bound) bool {
	n := c.order(a, text, b)
	return n < 0 || n == 0 && string(text) < b.text
}

func (c *column) after(a *bound, text []byte, b *bound) bool {
	n := c.order(a, text, b)
	return n > 0 || n == 0 && string(text) < b.text
}
