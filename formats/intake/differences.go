package intake

import (
	"slices"
	"strconv"
	"strings"
)

// Difference is a choice that was detected otherwise than before.
type Difference struct {
	Choice string `json:"choice" description:"Name of the choice."`
	Before string `json:"before" description:"As it was; empty where there was none."`
	Now    string `json:"now" description:"As it is detected now; empty where there is none."`
}

// Say is the difference in plain words.
func (d *Difference) Say() string {
	words := map[string]string{"headerRow": "row of the column names", "header": "line of the column names", "pointer": "place of the records", "footers": "trailer lines"}
	name, now, before := words[d.Choice], d.Now, d.Before
	if name == "" {
		name = d.Choice
	}
	if now == "" {
		now = "none"
	}
	if before == "" {
		before = "none"
	}
	return name + " " + now + " (before: " + before + ")"
}

// Differences are the choices that were detected for this source otherwise than they were settled before. What was open before or is now does
// not count, for the source reads in the same way with either, nor does a sheet whose earlier one has gone. guesses are those of before;
// columns, those that were read then: where the names are the same, it does not count in which row they stand.
func (s *Source) Differences(before *Choices, guesses []Guess, columns []string) (all []Difference) {
	now := &s.settled
	detected := func(choice string) bool {
		return slices.ContainsFunc(s.guesses, func(g Guess) bool { return g.Choice == choice })
	}
	open := func(choice string) bool {
		is := func(g Guess) bool { return g.Choice == choice && g.Open }
		return slices.ContainsFunc(s.guesses, is) || slices.ContainsFunc(guesses, is)
	}
	differs := func(choice, was, is string) {
		if was != is && !open(choice) {
			all = append(all, Difference{choice, was, is})
		}
	}
	if before.Format != now.Format {
		if detected("format") {
			differs("format", before.Format, now.Format)
		}
		return all // the others are about another format
	}
	if detected("encoding") {
		differs("encoding", before.Encoding, now.Encoding)
	}
	if detected("delimiter") {
		differs("delimiter", delimiterName(before.Delimiter), delimiterName(now.Delimiter))
	}
	if detected("header") {
		differs("header", before.Header, now.Header)
	}
	if detected("sheet") && slices.Contains(s.Sheets(), before.Sheet) {
		differs("sheet", before.Sheet, now.Sheet)
	}
	if detected("headerRow") && !s.begins(columns) {
		differs("headerRow", strconv.Itoa(before.HeaderRow), strconv.Itoa(now.HeaderRow))
	}
	if detected("pointer") {
		differs("pointer", before.Pointer, now.Pointer)
	}
	if detected("footers") || now.Footers == nil {
		differs("footers", strings.Join(before.Footers, ", "), strings.Join(now.Footers, ", "))
	}
	return all
}

// begins reports whether the columns begin with those given; computed ones may follow.
func (s *Source) begins(columns []string) bool {
	n := min(len(columns), len(s.Columns()))
	return n > 0 && slices.Equal(columns[:n], s.Columns()[:n])
}

// Stated are the choices without those that were found.
func (c *Choices) Stated(found []Guess) Choices {
	out := *c
	for _, g := range found {
		switch g.Choice {
		case "packing":
			out.Packing = ""
		case "format":
			out.Format = ""
		case "encoding":
			out.Encoding = ""
		case "delimiter":
			out.Delimiter = ""
		case "header":
			out.Header = ""
		case "headerRow":
			out.HeaderRow = 0
		case "sheet":
			out.Sheet = ""
		case "pointer":
			out.Pointer = ""
		case "footers":
			out.Footers = nil
		}
	}
	return out
}
