// Package paper hands a whole report over as a document: a workbook with a sheet for each tray, a page that stands alone, or a PDF.
//
// A [Document] is plain data, the same for all of them; it is drawn up by who knows the report. Texts are always texts: markup in
// them is shown, and a text that a spreadsheet would run is not run.
package paper

import (
	"fmt"
	"strings"

	"twinsieve/core/exact"
)

// Document is all that a hand-over of a report says.
type Document struct {
	Title    string // of the sieve and its run
	Verdict  string
	Signed   string // how far the report is on its way to being signed, in a sentence
	Frozen   bool   // it is signed
	Facts    []Fact // who, when, over what, by which definition
	SinceRun string // which run was before; empty where there was none
	Since    []Fact // what has become of the exceptions since then
	Trays    []Tray
	Balances []Balance
	Notes    []string // what else a reader should know
	Sections []Section
	History  string // newest entry of the history
	Made     string // when the document was made, and by whom
}

// Fact is something that is known, and what it is about.
type Fact struct{ Name, Text string }

// Tray is a tray's line.
type Tray struct {
	Name    string
	Records [2]string // by side; empty where the tray has no such side
	Amounts [2]string
	Lines   string // of the report
}

// Balance is the way from an amount's left total to its right total.
type Balance struct {
	Name   string
	Closes string
	Steps  []Step // the first is the left total and the last the right total
}

// Step is a step on that way.
type Step struct {
	Label  string
	Change string // exact, in plain form
	Fill   string // name of the colour
	Total  bool
}

// Section is the entries of a tray.
type Section struct {
	Tray    string
	Columns []Column
	Rows    [][]string
	All     int64 // how many there are; more than Rows where not all are listed
}

// Column is a column of a section.
type Column struct {
	Name   string
	Side   string // left, right or neither
	Number bool
	Wide   bool // its texts are long
}

// Omitted says how many entries of a section are not listed.
func (s Section) Omitted() int64 { return s.All - int64(len(s.Rows)) }

// colours are those of the sides and trays, as the console shows them by day.
var colours = map[string][3]int{
	"left": {0x0b, 0x7a, 0x75}, "right": {0xa8, 0x56, 0x0a}, "matched": {0x52, 0x63, 0x6d}, "differing": {0x6a, 0x3f, 0xbf}, "grey": {0x7b, 0x85, 0x7f}, "line": {0xc4, 0xca, 0xc1},
}

func hex(name string) string {
	c := colours[name]
	return fmt.Sprintf("#%02x%02x%02x", c[0], c[1], c[2])
}

// Grouped is [exact.Grouped] with the minus sign of print.
func Grouped(plain string, places int) string {
	return strings.Replace(exact.Grouped(plain, places), "-", "−", 1)
}
