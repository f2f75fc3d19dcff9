// Package again recognises the exceptions of earlier runs in a later one.
//
// An exception is about a record, or about records of both sides that pair and differ. It is the same exception in a later
// run where a record of the same side has the same key, or a key that the crosswalk joins with it. Keys are read as the
// later run's plan reads them, for its readings may have changed since. Where several have one key, those with identical
// content belong together first, then those whose fields are nearest. Records without a key are recognised by their content
// alone. The tray may have changed: what was missing may now differ.
//
// Where the key of a sieve is another than before, keys of then and now say little of each other: records are then recognised by their
// content first, with or without a key, and by their keys where nothing has that content.
//
// [Recognise] looks at all of them at once; a [Recogniser] does the same with any number of them. [Same] finds those that show the very same
// without looking at anything but their [Print], which is all that needs to be kept of them: mostly they are nearly all.
//
// What is not recognised has either been cleared, where its key is there and matched, or it is absent.
package again

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"iter"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"twinsieve/core/exact"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// Change is what has become of an exception from one run to the next.
type Change string

// The changes. Of those in the new run: New was never there; StillOpen is as it was; Changed is in another tray, or values that
// the sieve reads have moved; Returned was cleared or absent in between. Of those that are not: Cleared is there and matched; Absent is not
// there.
const (
	New       Change = "new"
	StillOpen Change = "still-open"
	Changed   Change = "changed"
	Returned  Change = "returned"
	Cleared   Change = "cleared"
	Absent    Change = "absent"
)

// All are the changes, in the order in which they are told.
var All = []Change{New, StillOpen, Changed, Returned, Cleared, Absent}

// Here reports whether an exception with the change is one of the run.
func (c Change) Here() bool { return c != Cleared && c != Absent }

// Mark is what an exception is recognised by.
type Mark struct {
	Tray  tray.Tray
	Sides [2]Side
	Print Print // of all that it shows

	// Of an earlier one:
	Gone   bool  // it was not there when last looked for
	Worked bool  // somebody has worked on it: of two that have become one, it is the one to go on with
	Joined bool  // it was not recognised, for its record is in what another has become: see [Join]
	Order  int64 // of those that are alike in everything the one with the least is taken; of equal ones the first
}

// Side is what a side of an exception is recognised by. The zero value is a side without a record.
type Side struct {
	Here    bool
	Key     string   // as the index knows it, of its class; "": it has none
	Content string   // the cells that both runs have; "": they tell nothing
	Fewer   []string // of one of now: the same by columns that some of before did not have
	Values  string   // what the sieve reads of them
}

// shared are the contents by which exceptions are the same: of a record without a key, or rekeyed of any.
func (s *Side) shared(rekeyed bool) iter.Seq[string] {
	return func(yield func(string) bool) {
		if !s.Here || s.Key != "" && !rekeyed || s.Content != "" && !yield(s.Content) {
			return
		}
		for _, fewer := range s.Fewer {
			if !yield(fewer) {
				return
			}
		}
	}
}

// has reports whether one of now has the content of one of before.
func (s *Side) has(content string) bool {
	return content != "" && (s.Content == content || slices.Contains(s.Fewer, content))
}

// Marker makes marks of the exceptions of a run and of those before it, all as the plan of the later run reads them. It is not for
// several goroutines at once.
type Marker struct {
	plan   *sieve.Plan
	keys   *match.Keys
	values [2][]*reading.Reader
	common [2][]int // columns of the plan that all runs have, of which values are made where the sieve reads none
	every  [2]columnSet
	fewer  [2][]columnSet // what earlier runs had, where they had not all
	text   []byte         // of the content being made
	whole  bool           // see [Marker.Whole]
	prints Printer
}

// columnSet are columns of the plan that content is made of.
type columnSet struct {
	name    string // "": they are all
	columns []int
}

// leastTelling is how many cells that are not blank content has at least that is not made of all columns: what agrees in one alone may be anything.
const leastTelling = 2

// NewMarker returns a marker for a plan. earlier are the columns of the exceptions before, of each side.
func NewMarker(plan *sieve.Plan, earlier ...[2][]string) *Marker {
	m := &Marker{plan: plan, keys: match.NewKeys(plan), whole: true}
	for _, s := range tray.Sides {
		for _, v := range plan.Values {
			m.values[s] = append(m.values[s], v.Chain[s].Reader())
		}
		for c, name := range plan.Columns[s] {
			m.every[s].columns = append(m.every[s].columns, c)
			if !slices.ContainsFunc(earlier, func(columns [2][]string) bool { return !slices.Contains(columns[s], name) }) {
				m.common[s] = append(m.common[s], c)
			}
		}
		for _, columns := range earlier {
			if set := m.setOf(s, columns[s]); len(set.columns) < len(plan.Columns[s]) && !slices.ContainsFunc(m.fewer[s], func(known columnSet) bool { return known.name == set.name }) {
				m.fewer[s] = append(m.fewer[s], set)
			}
			n := len(m.common[s])
			m.whole = m.whole && (n == len(columns[s]) || n == len(plan.Columns[s]))
		}
	}
	return m
}

// setOf are the columns of the plan that an earlier run had.
func (m *Marker) setOf(s tray.Side, earlier []string) (set columnSet) {
	for c, name := range m.plan.Columns[s] {
		if slices.Contains(earlier, name) {
			set.columns = append(set.columns, c)
			set.name += fmt.Sprintf("%d,", c)
		}
	}
	if len(set.columns) == len(m.plan.Columns[s]) {
		return m.every[s]
	}
	return set
}

// Whole reports whether content is all that was seen of a record, then or now: columns have come or gone, but not both. Otherwise two
// different records may well agree in what is left of them.
func (m *Marker) Whole() bool { return m.whole }

// Arrange puts cells that stand under columns of an earlier run under those of the plan, by name. A column that was not there
// is blank.
func (m *Marker) Arrange(s tray.Side, columns []string, cells []record.Cell) []record.Cell {
	if slices.Equal(columns, m.plan.Columns[s]) {
		return cells
	}
	out := make([]record.Cell, len(m.plan.Columns[s]))
	for c, name := range m.plan.Columns[s] {
		out[c].Null = true
		if at := slices.Index(columns, name); at >= 0 {
			out[c] = cells[at]
		}
	}
	return out
}

// Mark makes the mark of an entry of now, whose cells stand under the plan's columns. Of a group, its listed records count.
func (m *Marker) Mark(e *exception.Entry) Mark {
	mark := m.mark(e, m.every)
	for _, s := range tray.Sides {
		for _, set := range m.fewer[s] {
			if content := m.contentOf(s, e, set); content != "" {
				mark.Sides[s].Fewer = append(mark.Sides[s].Fewer, content)
			}
		}
	}
	return mark
}

// MarkBefore makes the mark of an entry of an earlier run with these columns, whose cells have been put under the plan's.
func (m *Marker) MarkBefore(e *exception.Entry, columns [2][]string) Mark {
	return m.mark(e, [2]columnSet{m.setOf(tray.Left, columns[0]), m.setOf(tray.Right, columns[1])})
}

func (m *Marker) mark(e *exception.Entry, sets [2]columnSet) Mark {
	mark := Mark{Tray: e.Tray, Print: m.prints.Of(e)}
	for _, s := range tray.Sides {
		if e.Sides[s] == nil {
			continue
		}
		side := &mark.Sides[s]
		side.Here = true
		bytes, _ := m.keys.Of(s, keyTexts(m.plan, s, e.Sides[s].Cells)) // without one it is unkeyed
		side.Key = string(bytes)
		side.Content = m.contentOf(s, e, sets[s])
		if e.Group == nil {
			side.Values = m.read(s, e.Sides[s].Cells)
			continue
		}
		var values []string
		for _, r := range e.Group.Records[s] {
			values = append(values, m.read(s, r.Cells))
		}
		slices.Sort(values)
		side.Values = strings.Join(values, "")
	}
	return mark
}

// contentOf is the content of a side of an entry.
func (m *Marker) contentOf(s tray.Side, e *exception.Entry, set columnSet) string {
	switch {
	case e.Sides[s] == nil:
		return ""
	case e.Group == nil:
		return string(m.content(set, e.Sides[s].Cells))
	}
	var contents []string
	for _, r := range e.Group.Records[s] {
		contents = append(contents, string(m.content(set, r.Cells)))
	}
	slices.Sort(contents)
	return strings.Join(contents, "")
}

// meet takes the first exception from those wanted that has the content of a record of now, by all columns or by fewer. It reports false where
// there is none.
func (m *Marker) meet(s tray.Side, cells []record.Cell, wanted map[string][]int) (int, bool) {
	take := func(content []byte) (int, bool) {
		list := wanted[string(content)]
		if len(content) == 0 || len(list) == 0 {
			return 0, false
		}
		wanted[string(content)] = list[1:]
		return list[0], true
	}
	if i, met := take(m.content(m.every[s], cells)); met {
		return i, true
	}
	for _, set := range m.fewer[s] {
		if i, met := take(m.content(set, cells)); met {
			return i, true
		}
	}
	return 0, false
}

// content writes the cells of some columns, each behind its length, so that no two different records are written alike; it is valid until the
// next is made. Where these are not all columns, it is nothing if they do not tell enough.
func (m *Marker) content(set columnSet, cells []record.Cell) []byte {
	out, filled := append(m.text[:0], set.name...), 0
	for _, c := range set.columns {
		out = appendCell(out, &cells[c])
		if cells[c].Content() != "" {
			filled++
		}
	}
	if m.text = out; set.name != "" && filled < leastTelling {
		return nil
	}
	return out
}

func appendCell(out []byte, c *record.Cell) []byte {
	text := c.Content()
	out = binary.AppendUvarint(out, uint64(len(text)))
	return append(out, text...)
}

// read writes what the sieve reads of a record: of each value its state, and its text behind its length. A sieve that reads no values of it looks at the content, as if it
// were one.
func (m *Marker) read(s tray.Side, cells []record.Cell) string {
	var out []byte
	if len(m.plan.Values) == 0 {
		var content []byte
		for _, c := range m.common[s] {
			content = appendCell(content, &cells[c])
		}
		out = binary.AppendUvarint(append(out, byte(reading.Text)), uint64(len(content)))
		return string(append(out, content...))
	}
	for i, v := range m.plan.Values {
		value := m.values[s][i].Cell([]byte(cells[v.Column[s]].Content()))
		text := value.Text
		if value.State == reading.Unreadable {
			text = []byte(cells[v.Column[s]].Content())
		}
		state := value.State
		if state.IsBlank() {
			state = reading.Blank // whether a reading has emptied it is no other value
		}
		out = append(out, byte(state))
		out = binary.AppendUvarint(out, uint64(len(text)))
		out = append(out, text...)
	}
	return string(out)
}

// split takes apart what read has written.
func split(values string) (list []string) {
	rest := []byte(values)
	for len(rest) > 0 {
		n, size := binary.Uvarint(rest[1:])
		end := 1 + size + int(n)
		list = append(list, string(rest[:1])+string(rest[1+size:end]))
		rest = rest[end:]
	}
	return list
}

// mostPairs is how many pairs of exceptions of one key are held against each other; where there are more, those with identical content
// belong together first and the rest in the order of their contents.
const mostPairs = 250_000

// Recognise says of each exception of a run which of those before it is, or -1 where it is new. Each of those before is recognised once at
// most. The answer does not depend on the order of the new ones; of those before that are alike in everything, the one with the least order is taken.
// rekeyed says that the key of the sieve is another than that of those before.
func Recognise(before, now []Mark, rekeyed bool) []int {
	type handle struct {
		side  tray.Side
		keyed bool
		text  string
	}
	handles := func(m *Mark) (list []handle) {
		for _, s := range tray.Sides {
			side := &m.Sides[s]
			if side.Here && side.Key != "" {
				list = append(list, handle{s, true, side.Key})
			}
			for content := range side.shared(rekeyed) {
				list = append(list, handle{s, false, content})
			}
		}
		return list
	}
	// Contents that are not made of all columns may be those of several records: they say only which is which where there is one of each.
	clear := func(h handle, olds, news []int) bool {
		if h.keyed || len(olds) == 1 && len(news) == 1 {
			return true
		}
		return !slices.ContainsFunc(news, func(n int) bool { return slices.Contains(now[n].Sides[h.side].Fewer, h.text) })
	}
	found, taken := make([]int, len(now)), make([]bool, len(before))
	for n := range found {
		found[n] = -1
	}
	same(before, now, func(n, b int) { found[n], taken[b] = b, true })
	known := map[handle][]int{}
	for b := range before {
		if taken[b] {
			continue
		}
		for _, h := range handles(&before[b]) {
			known[h] = append(known[h], b)
		}
	}
	groups := map[handle][]int{}
	var order []handle
	for n := range now {
		if found[n] >= 0 {
			continue
		}
		for _, h := range handles(&now[n]) {
			if len(known[h]) == 0 {
				continue
			}
			if len(groups[h]) == 0 {
				order = append(order, h)
			}
			groups[h] = append(groups[h], n)
		}
	}
	var candidates []candidate
	for _, h := range order {
		if !clear(h, known[h], groups[h]) {
			continue
		}
		candidates = append(candidates, within(before, now, known[h], groups[h])...)
	}
	slices.SortStableFunc(candidates, func(a, b candidate) int { return a.compare(b, before, now) })
	for _, c := range candidates {
		if found[c.now] < 0 && !taken[c.before] {
			found[c.now], taken[c.before] = c.before, true
		}
	}
	return found
}

// same calls back for every print that one exception of before has which was not gone, and one of the run.
func same(before, now []Mark, found func(n, b int)) {
	const several = -1
	only := map[Print]int{} // which of those before has it
	for b := range before {
		p := before[b].Print
		if before[b].Gone || p == (Print{}) {
			continue
		}
		if _, there := only[p]; there {
			only[p] = several
		} else {
			only[p] = b
		}
	}
	if len(only) == 0 {
		return
	}
	is := map[Print]int{}
	for n := range now {
		if _, there := only[now[n].Print]; !there {
			continue
		}
		if _, there := is[now[n].Print]; there {
			is[now[n].Print] = several
		} else {
			is[now[n].Print] = n
		}
	}
	for p, n := range is {
		if b := only[p]; n != several && b != several {
			found(n, b)
		}
	}
}

// within are the pairs of exceptions that share a key.
func within(before, now []Mark, olds, news []int) (list []candidate) {
	if len(olds)*len(news) <= mostPairs {
		for _, b := range olds {
			for _, n := range news {
				list = append(list, candidateOf(before, now, b, n))
			}
		}
		return list
	}
	byContent := func(of []Mark, places []int) []int {
		places = slices.Clone(places)
		slices.SortStableFunc(places, func(a, b int) int {
			return cmp.Or(compareContents(&of[a], &of[b]), cmp.Compare(of[a].Order, of[b].Order))
		})
		return places
	}
	olds, news = byContent(before, olds), byContent(now, news)
	var restOld, restNew []int
	for len(olds) > 0 && len(news) > 0 {
		switch compareContents(&before[olds[0]], &now[news[0]]) {
		case 0:
			list = append(list, candidateOf(before, now, olds[0], news[0]))
			olds, news = olds[1:], news[1:]
		case -1:
			restOld, olds = append(restOld, olds[0]), olds[1:]
		default:
			restNew, news = append(restNew, news[0]), news[1:]
		}
	}
	restOld, restNew = append(restOld, olds...), append(restNew, news...)
	for i := range min(len(restOld), len(restNew)) {
		list = append(list, candidateOf(before, now, restOld[i], restNew[i]))
	}
	return list
}

func compareContents(a, b *Mark) int {
	if c := cmp.Compare(a.Sides[0].Content, b.Sides[0].Content); c != 0 {
		return c
	}
	return cmp.Compare(a.Sides[1].Content, b.Sides[1].Content)
}

// candidate is an exception before and one of now that might be the same, and how near they are.
type candidate struct {
	before, now int
	alike       int               // 0: identical in content; 1: one side is; 2: none
	moved       int               // values that are not what they were
	apart       []decimal.Decimal // how far numbers are apart, in the order of the values
	gone        bool
	elsewhere   bool // in another tray
	idle        bool // nobody has worked on it
}

func candidateOf(before, now []Mark, b, n int) candidate {
	o, m := &before[b], &now[n]
	c := candidate{before: b, now: n, alike: 2, gone: o.Gone, elsewhere: o.Tray != m.Tray, idle: !o.Worked}
	same, shared, shape := 0, 0, true
	for _, s := range tray.Sides {
		if o.Sides[s].Here != m.Sides[s].Here {
			shape = false
			continue
		}
		if !o.Sides[s].Here {
			continue
		}
		shared++
		if m.Sides[s].has(o.Sides[s].Content) {
			same++
		}
		if o.Sides[s].Values == m.Sides[s].Values {
			continue
		}
		was, is := split(o.Sides[s].Values), split(m.Sides[s].Values)
		for i := range min(len(was), len(is)) {
			if was[i] != is[i] {
				c.moved++
				c.apart = append(c.apart, distance(was[i], is[i]))
			}
		}
		c.moved += max(len(was), len(is)) - min(len(was), len(is))
	}
	switch {
	case shape && same == shared:
		c.alike = 0
	case same > 0:
		c.alike = 1
	}
	return c
}

// distance is how far two values are apart where both are numbers, and nothing where one is none.
func distance(a, b string) decimal.Decimal {
	x, is := exact.Plain(nil, []byte(a[1:]))
	y, too := exact.Plain(nil, []byte(b[1:]))
	if !is || !too {
		return decimal.Zero
	}
	return exact.Decimal(x).Sub(exact.Decimal(y)).Abs()
}

func (a candidate) compare(b candidate, before, now []Mark) int {
	order := cmp.Or(cmp.Compare(a.alike, b.alike), cmp.Compare(a.moved, b.moved),
		slices.CompareFunc(a.apart, b.apart, func(x, y decimal.Decimal) int { return x.Cmp(y) }),
		compareTruth(a.gone, b.gone), compareTruth(a.elsewhere, b.elsewhere), compareTruth(a.idle, b.idle))
	if order != 0 || a.now == b.now && a.before == b.before {
		return order
	}
	return cmp.Or(compareContents(&now[a.now], &now[b.now]), compareContents(&before[a.before], &before[b.before]), cmp.Compare(now[a.now].Tray, now[b.now].Tray),
		cmp.Compare(before[a.before].Order, before[b.before].Order), cmp.Compare(a.before, b.before))
}

// compareTruth puts what is not before what is.
func compareTruth(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// Became says what has become of an exception that was recognised.
func Became(before, now *Mark) Change {
	switch {
	case before.Gone:
		return Returned
	case before.Tray != now.Tray:
		return Changed
	}
	for _, s := range tray.Sides {
		if before.Sides[s].Here != now.Sides[s].Here || !bytes.Equal([]byte(before.Sides[s].Values), []byte(now.Sides[s].Values)) {
			return Changed
		}
	}
	return StillOpen
}
