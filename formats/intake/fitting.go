package intake

import (
	"fmt"
	"slices"
	"strings"
)

// Not every choice says something about every format: a sheet is one of a workbook, a delimiter divides cells of delimited text. A
// choice that would be ignored is refused, so that nobody believes that it was followed.

// fitting are the choices that say something about files of each format.
var fitting = map[string][]string{
	Delimited:   {"packing", "encoding", "delimiter", "noQuotes", "header", "skipFirst", "skipLast", "footers", "shortRows", "invalidBytes"},
	Fixed:       {"packing", "encoding", "layout", "skipFirst", "skipLast", "footers", "invalidBytes"},
	JSON:        {"packing", "encoding", "pointer", "footers", "invalidBytes"},
	NDJSON:      {"packing", "encoding", "footers", "invalidBytes"},
	Spreadsheet: {"header", "headerRow", "headerRows", "merged", "footers", "sheet"},
	Parquet:     {},
	Arrow:       {},
}

// formatWords name the formats in a sentence.
var formatWords = map[string]string{Delimited: "delimited text", Fixed: "fixed-width text", JSON: "a JSON document", NDJSON: "JSON lines", Spreadsheet: "a workbook", Parquet: "a Parquet file", Arrow: "an Arrow file"}

// madeChoice is a choice about files, and how to take it back.
type madeChoice struct {
	name string
	made bool
	drop func()
}

func (c *Choices) aboutFiles() []madeChoice {
	return []madeChoice{
		{"packing", c.Packing != "" && c.Packing != NotPacked, func() { c.Packing = "" }},
		{"encoding", c.Encoding != "", func() { c.Encoding = "" }},
		{"delimiter", c.Delimiter != "", func() { c.Delimiter = "" }},
		{"noQuotes", c.NoQuotes, func() { c.NoQuotes = false }},
		{"header", c.Header != "", func() { c.Header = "" }},
		{"headerRow", c.HeaderRow != 0, func() { c.HeaderRow = 0 }},
		{"headerRows", c.Headers != 0, func() { c.Headers = 0 }},
		{"merged", c.Merged != "", func() { c.Merged = "" }},
		{"skipFirst", c.SkipFirst != 0, func() { c.SkipFirst = 0 }},
		{"skipLast", c.SkipLast != 0, func() { c.SkipLast = 0 }},
		{"footers", len(c.Footers) > 0, func() { c.Footers = nil }},
		{"shortRows", c.ShortRows != "", func() { c.ShortRows = "" }},
		{"invalidBytes", c.InvalidBytes != "", func() { c.InvalidBytes = "" }},
		{"sheet", c.Sheet != "", func() { c.Sheet = "" }},
		{"pointer", c.Pointer != "", func() { c.Pointer = "" }},
		{"layout", c.Layout != "", func() { c.Layout = "" }},
	}
}

// checkFitting refuses choices that say nothing about a file of the format that has been settled. Those of a recipe that was kept when
// they were still ignored are dropped.
func (c *Choices) checkFitting(kept bool) error {
	for _, m := range c.aboutFiles() {
		if !m.made || slices.Contains(fitting[c.Format], m.name) {
			continue
		}
		if kept {
			m.drop()
			continue
		}
		var of []string
		for _, format := range Formats {
			if slices.Contains(fitting[format], m.name) {
				of = append(of, formatWords[format])
			}
		}
		return &ChoiceError{m.name, fmt.Sprintf("this is read as %s, about which it says nothing; it is for %s. Leave it out, or give another format", formatWords[c.Format], strings.Join(of, ", "))}
	}
	return nil
}

// CheckStacked refuses choices, made for all sources of a stack, that say nothing about any of them. formats are those of the sources;
// those of rows are empty.
func (c *Choices) CheckStacked(formats []string) error {
	for _, m := range c.aboutFiles() {
		if m.made && !slices.ContainsFunc(formats, func(f string) bool { return slices.Contains(fitting[f], m.name) }) {
			return &ChoiceError{m.name, "it says nothing about any source of this stack; leave it out"}
		}
	}
	return nil
}
