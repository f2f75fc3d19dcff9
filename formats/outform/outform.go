// Package outform writes rows in every format that results are handed over in.
//
// Cells are texts or nulls. Where a format knows numbers, the cells of columns that are said to hold numbers are written as
// numbers if that changes none of their digits, and as text otherwise. A text that a spreadsheet would run as a formula is
// made harmless where people open files with spreadsheets: in CSV and TSV an apostrophe is set before it; in workbooks it
// is stored as text, which is never run. A row is written at a time; memory does not grow with their number, but for Parquet
// and Arrow, which hold some thousand rows.
package outform

import (
	"fmt"
	"io"
	"strings"

	"twinsieve/core/record"
)

// The formats.
const (
	CSV         = "csv"
	TSV         = "tsv"
	Spreadsheet = "xlsx"
	JSON        = "json"
	NDJSON      = "ndjson"
	Parquet     = "parquet"
	Arrow       = "arrow"
)

// Names are the formats that can be stated.
var Names = []string{CSV, TSV, Spreadsheet, JSON, NDJSON, Parquet, Arrow}

// Column is a column of what is written.
type Column struct {
	Name   string
	Number bool // its cells hold numbers
}

// Options are how rows are written.
type Options struct {
	Exact bool // for programs: nothing is set before texts that a spreadsheet would run

	// Stated is what the file says about itself beside its rows, as names and values, in the formats that have a place for it: the metadata of
	// Parquet and Arrow, the description of a workbook.
	Stated [][2]string
}

// Writer writes rows. After an error, nothing more can be written.
type Writer interface {
	// Write writes a row, which has a cell for every column.
	Write(cells []record.Cell) error
	// Close writes what is left to be written. It does not close what is written to.
	Close() error
}

// New begins to write to w in a format.
func New(format string, w io.Writer, columns []Column, opts Options) (Writer, error) {
	switch format {
	case CSV, TSV:
		return newDelimited(w, format == TSV, columns, opts)
	case Spreadsheet:
		return newSpreadsheet(w, columns, opts)
	case JSON, NDJSON:
		return newJSON(w, format == NDJSON, columns)
	case Parquet:
		return newParquet(w, columns, opts)
	case Arrow:
		return newArrow(w, columns, opts)
	}
	return nil, fmt.Errorf("%q is not a format that is written; write one of %s", format, strings.Join(Names, ", "))
}

// MediaType is a format's media type.
func MediaType(format string) string {
	return map[string]string{
		CSV: "text/csv; charset=utf-8", TSV: "text/tab-separated-values; charset=utf-8", JSON: "application/json", NDJSON: "application/x-ndjson",
		Spreadsheet: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		Parquet:     "application/vnd.apache.parquet", Arrow: "application/vnd.apache.arrow.stream",
	}[format]
}

// plainNumber reports whether a text is a number that programs write back as it is: digits without needless zeros in
// front, perhaps with a minus and a point between digits. It says how many digits count and how many are behind the point.
func plainNumber(text string) (significant, behind int, ok bool) {
	rest := strings.TrimPrefix(text, "-")
	whole, fraction, point := strings.Cut(rest, ".")
	if whole == "" || point && fraction == "" || len(whole) > 1 && whole[0] == '0' || strings.Trim(whole, "0123456789") != "" || strings.Trim(fraction, "0123456789") != "" {
		return 0, 0, false
	}
	if len(text) != len(rest) && strings.Trim(rest, "0.") == "" {
		return 0, 0, false // minus zero
	}
	return len(strings.TrimLeft(whole+fraction, "0")), len(fraction), true
}
