package service

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"twinsieve/core/exact"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/typing"
	"twinsieve/formats/delimited"
	"twinsieve/formats/fixed"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
)

// control holds a snapshot against what its sender stated while it is read. A nil control holds nothing.
type control struct {
	stated  view.Control
	records int64
	sums    []*columnSum
}

// columnSum is the total of a column, read with a point and with a comma, for which it is written with is only known
// when all of it has been read.
type columnSum struct {
	column string
	index  int
	finder *typing.Finder
	forms  [2]exact.Sum
	unread [2]int64
	first  [2]string // value that could not be read
	buffer []byte
}

var controlForms = [2]string{typing.Point, typing.Comma}

func newControl(stated *view.Control) (*control, error) {
	if stated == nil {
		return nil, nil
	}
	for i, t := range stated.Totals {
		if _, ok := readTotal(t.Total); !ok {
			what := fmt.Sprintf("%q is no number; write one such as 1204.50", t.Total)
			return nil, view.Invalid.New("The control total of "+t.Column+": "+what+".", view.Fault{Where: fmt.Sprintf("control.totals[%d]", i), What: what})
		}
	}
	if stated.Count != nil && *stated.Count < 0 {
		return nil, view.Invalid.New("The control count is negative.", view.Fault{Where: "control.count", What: "it is negative"})
	}
	if what := badTrailer(stated.Trailer); what != "" {
		return nil, view.Invalid.New("The control figures' trailer line: "+what+".", view.Fault{Where: "control.trailer", What: what})
	}
	return &control{stated: *stated}, nil
}

// badTrailer says what is wrong with where a trailer line states figures, "" where nothing is.
func badTrailer(t *view.ControlTrailer) string {
	if t == nil {
		return ""
	}
	counted, totalled := t.Count != 0 || t.CountAt != "", t.Total != 0 || t.TotalAt != ""
	if t.Starts == "" || !counted && !totalled || t.Count < 0 || t.Total < 0 || totalled != (t.Column != "") {
		return "say what the trailer line begins with, and which of its cells has the count, or the total and of which column"
	}
	if t.Count != 0 && t.CountAt != "" || t.Total != 0 && t.TotalAt != "" {
		return "a figure stands in a cell or between places; state one of the two"
	}
	for _, places := range []string{t.CountAt, t.TotalAt} {
		if _, _, ok := fixed.Places(places); places != "" && !ok {
			return fmt.Sprintf("%q are not places; write the first and the last character, such as 9-14", places)
		}
	}
	return ""
}

// readTotal is the plain form of a stated total, written with a point or with a comma.
func readTotal(text string) (string, bool) {
	for _, form := range controlForms {
		if plain, ok := reading.Number(nil, []byte(strings.TrimSpace(text)), form == typing.Comma); ok {
			return string(plain), true
		}
	}
	return "", false
}

// begin finds the columns that are to be added up.
func (c *control) begin(columns []string) error {
	if c == nil {
		return nil
	}
	var names []string
	for _, t := range c.stated.Totals {
		names = append(names, t.Column)
	}
	if t := c.stated.Trailer; t != nil && t.Column != "" {
		names = append(names, t.Column)
	}
	for _, name := range names {
		at := slices.Index(columns, name)
		if at < 0 {
			what := fmt.Sprintf("there is no column %q; there are %s", name, strings.Join(columns, ", "))
			return view.Invalid.New("The control figures: "+what+".", view.Fault{Where: "control", What: what})
		}
		c.sums = append(c.sums, &columnSum{column: name, index: at, finder: typing.NewFinder()})
	}
	return nil
}

func (c *control) add(b *record.Batch) {
	if c == nil {
		return
	}
	c.records += int64(b.Records())
	for _, s := range c.sums {
		col := b.Columns[s.index]
		for i := range col.Len() {
			if text := col.Value(i); text != "" && col.IsValid(i) {
				s.add([]byte(strings.TrimSpace(text)))
			}
		}
	}
}

func (s *columnSum) add(text []byte) {
	s.finder.Add(text, 1)
	for f, form := range controlForms {
		plain, ok := reading.Number(s.buffer[:0], text, form == typing.Comma)
		if !ok {
			if s.unread[f]++; s.unread[f] == 1 {
				s.first[f] = string(text)
			}
			continue
		}
		s.forms[f].Add(plain)
		s.buffer = plain
	}
}

// total is the column's total in the form that reads more of its values, and why it is not known where it is not.
func (s *columnSum) total() (total, why string) {
	f := 0
	if s.unread[1] < s.unread[0] || s.unread[0] == s.unread[1] && s.finder.Find().Form == typing.Comma {
		f = 1
	}
	if s.unread[f] > 0 {
		return exact.Text(s.forms[f].Total()), fmt.Sprintf("%d values of the column are no numbers, such as %q", s.unread[f], s.first[f])
	}
	a, b := exact.Text(s.forms[0].Total()), exact.Text(s.forms[1].Total())
	if s.unread[0] == 0 && s.unread[1] == 0 && a != b {
		return a, fmt.Sprintf("the column's values read with a decimal point and with a comma, and come to %s or %s", a, b)
	}
	return exact.Text(s.forms[f].Total()), ""
}

// held says what was stated, what was found, and whether they are the same. It is asked when everything has been read.
func (c *control) held(src *intake.Source) []view.Held {
	held := []view.Held{}
	if c == nil {
		return held
	}
	count := func(stated, from string) {
		found := number(c.records)
		held = append(held, view.Held{What: "records", Stated: stated, Found: found, From: from, Holds: stated == found})
	}
	total := func(column, stated, from string) {
		at := slices.IndexFunc(c.sums, func(s *columnSum) bool { return s.column == column })
		found, why := c.sums[at].total()
		plain, ok := readTotal(stated)
		if !ok {
			plain = stated
		}
		held = append(held, view.Held{What: "total of " + column, Stated: plain, Found: found, From: from, Holds: plain == found && why == "", Why: why})
	}
	if c.stated.Count != nil {
		count(number(*c.stated.Count), "typed in")
	}
	for _, t := range c.stated.Totals {
		total(t.Column, t.Total, "typed in")
	}
	if t := c.stated.Trailer; t != nil {
		text, line, ok := trailer(src, t.Starts)
		if !ok {
			return append(held, view.Held{What: "trailer line", Stated: t.Starts, From: "the source", Why: fmt.Sprintf("no footer of the source begins with %q", t.Starts)})
		}
		from := "line " + number(line)
		cells := trailerCells(src, text)
		figure := func(cell int, places string) string {
			if first, last, ok := fixed.Places(places); ok {
				return strings.TrimSpace(fixed.Between(text, first, last))
			}
			if cell > len(cells) {
				return ""
			}
			return strings.TrimSpace(cells[cell-1])
		}
		if t.Count > 0 || t.CountAt != "" {
			stated := figure(t.Count, t.CountAt)
			if plain, ok := exact.Plain(nil, []byte(stated)); ok {
				stated = string(plain)
			}
			count(stated, from)
		}
		if t.Column != "" {
			total(t.Column, figure(t.Total, t.TotalAt), from)
		}
	}
	return held
}

func number(n int64) string { return strconv.FormatInt(n, 10) }

// trailer finds the footer that begins with a text.
func trailer(src *intake.Source, starts string) (text string, line int64, ok bool) {
	for _, f := range src.Footers() {
		if strings.HasPrefix(f.Text, starts) {
			return f.Text, f.Line, true
		}
	}
	return "", 0, false
}

// trailerCells takes a trailer line apart as the source's records are taken apart.
func trailerCells(src *intake.Source, text string) []string {
	switch choices := src.Settled(); choices.Format {
	case intake.Spreadsheet:
		return strings.Split(text, "\t")
	case intake.Delimited:
		return delimited.Cells(text, choices.Delimiter[0], choices.NoQuotes)
	}
	return strings.Fields(text)
}
