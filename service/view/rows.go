package view

import (
	"twinsieve/core/comparison"
	"twinsieve/core/sieve"
)

// Look says which rows of a comparison are looked at, and how.
type Look struct {
	Comparison string               `json:"comparison" yaml:"comparison" required:"true" enum:"full,inner,left,right,left-semi,right-semi,left-anti,right-anti,full-anti,separate,cross,by-position,union,union-all,intersect,intersect-all,except,except-all"`
	Swap       bool                 `json:"swap,omitempty" yaml:"swap,omitempty" description:"The sides are exchanged; nothing saved is changed."`
	Kept       string               `json:"kept,omitempty" yaml:"kept,omitempty" enum:"left,right,inner,full" description:"Of separate: what is kept; full where not stated."`
	Side       string               `json:"side,omitempty" yaml:"side,omitempty" enum:"left,right" description:"Of separate, and of what is dropped: whose table it is; left where not stated."`
	Dropped    bool                 `json:"dropped,omitempty" yaml:"dropped,omitempty" description:"Instead of the rows, the records of the side that are in none of them."`
	Tray       string               `json:"tray,omitempty" yaml:"tray,omitempty" enum:"matched,differing,missing,orphaned,surplus,unkeyed,excluded" description:"Instead of the comparison's rows, what lies in a tray: pairs side by side, or records of the side."`
	Fill       bool                 `json:"fill,omitempty" yaml:"fill,omitempty" description:"Of by-position: the shorter side is filled."`
	Align      comparison.Alignment `json:"align,omitzero" yaml:"align,omitempty" description:"Of set logic: which columns are held against each other."`
	Columns    []comparison.Chosen  `json:"columns,omitempty" yaml:"columns,omitempty" description:"The columns shown, in this order; all where none is named."`
	Prefix     *[2]string           `json:"prefix,omitempty" yaml:"prefix,omitempty" description:"What stands before columns that both sides have, left and right; the sets' names where not stated."`
	Where      string               `json:"where,omitempty" yaml:"where,omitempty" description:"Expression over the comparison's columns: only rows for which it holds."`
	Sort       []SortBy             `json:"sort,omitempty" yaml:"sort,omitempty" description:"Columns that rows are sorted by, the first counts most."`
	Labels     *Labels              `json:"labels,omitempty" yaml:"labels,omitempty" description:"What a hand-over writes where there is nothing."`
	Confirm    bool                 `json:"confirm,omitempty" yaml:"-" description:"Also where it multiplies records beyond the limit."`
	Partners   []int64              `json:"partners,omitempty" yaml:"-" description:"Of separate: only partners of these records of the other side, by their numbers."`
	Carried    string               `json:"carried,omitempty" yaml:"carried,omitempty" description:"Of separate: a filter over the other side's columns; only partners of records for which it holds."`
}

// SortBy is a column that rows are sorted by.
type SortBy struct {
	Column      string `json:"column" yaml:"column"`
	Descending  bool   `json:"descending,omitempty" yaml:"descending,omitempty"`
	BlanksFirst bool   `json:"blanksFirst,omitempty" yaml:"blanksFirst,omitempty"`
	As          string `json:"as,omitempty" yaml:"as,omitempty" description:"The type that it is sorted by, as: decimal comma; as what its values read where not stated."`
}

// Labels are what a hand-over writes where there is nothing to write.
type Labels struct {
	NoPartner string `json:"noPartner,omitempty" yaml:"noPartner,omitempty"`
	Blank     string `json:"blank,omitempty" yaml:"blank,omitempty"`
}

// Ask names a match, and how its rows are looked at: that of a run, or of a definition, which need not be saved.
type Ask struct {
	Run        uint              `json:"run,omitempty" description:"Id of a run."`
	Definition *sieve.Definition `json:"definition,omitempty" description:"Or a definition, over the newest snapshots."`
	Look       Look              `json:"look" required:"true"`
}

// Rows is a page of rows. Where they have to be made ready first there is only a job: follow it, then ask again.
type Rows struct {
	Job *Job `json:"job,omitempty" description:"What makes them ready; then nothing else is here."`

	All       []RowColumn              `json:"all" nullable:"false" description:"All columns that the rows have."`
	Columns   []RowColumn              `json:"columns" nullable:"false" description:"Those that are shown."`
	Rows      []Row                    `json:"rows" nullable:"false"`
	Snapshots [2]int                   `json:"snapshots" description:"Numbers of the left and the right snapshot that the rows are of."`
	First     int64                    `json:"first" description:"Number of rows before the page."`
	Total     int64                    `json:"total" description:"Rows altogether."`
	Count     comparison.Count         `json:"count" description:"What the comparison has, without a filter."`
	Left      *LeftOut                 `json:"left,omitempty" description:"What a filter has left out."`
	Sentence  string                   `json:"sentence" description:"What is kept, in plain words."`
	Warnings  []string                 `json:"warnings" nullable:"false"`
	Aligned   []comparison.AlignedPair `json:"aligned,omitempty" description:"Of set logic: the columns that are held against each other, and as what."`
}

// RowColumn is a column of rows.
type RowColumn struct {
	Name   string `json:"name"`
	Column string `json:"column" description:"What it is called where it has not been given another name."`
	Side   string `json:"side" enum:"left,right,both,presence"`
	Type   string `json:"type" description:"As what its values read."`
	Number bool   `json:"number"`
}

// Row is a row of a comparison.
type Row struct {
	Left    int64     `json:"left,omitempty" description:"Number of the left record in it; absent where it has none."`
	Right   int64     `json:"right,omitempty" description:"Number of the right record in it; absent where it has none."`
	Cells   []*string `json:"cells" nullable:"false" description:"A null is a null of the source, or there is no record of the column's side."`
	Markers []int     `json:"markers,omitempty" description:"Indexes of the cells that are blank markers, and so are blank."`
}

// LeftOut is what a filter has left out.
type LeftOut struct {
	Rows      int64  `json:"rows"`
	Lonely    int64  `json:"lonely" description:"Of these, rows without a partner."`
	Undecided int64  `json:"undecided" description:"Of these, rows for which it could not be decided."`
	Why       string `json:"why,omitempty" description:"Why it could not for the first of them."`
}

// Totals are the sums of number columns over all rows.
type Totals struct {
	Columns []ColumnTotal `json:"columns" nullable:"false"`
}

// ColumnTotal is the sum of a number column.
type ColumnTotal struct {
	Column     string `json:"column"`
	Sum        string `json:"sum"`
	Values     int64  `json:"values"`
	Blank      int64  `json:"blank" description:"Cells counted as zero."`
	Unreadable int64  `json:"unreadable" description:"Cells in no sum."`
}

// WholeCounts are the counts of set logic.
type WholeCounts struct {
	Counts    []comparison.Count       `json:"counts" nullable:"false"`
	Aligned   []comparison.AlignedPair `json:"aligned" nullable:"false" description:"The columns that are held against each other, and as what."`
	Misfits   []string                 `json:"misfits" nullable:"false" description:"Why they cannot be; then there are no counts."`
	Suggested []comparison.AlignedPair `json:"suggested" nullable:"false" description:"The columns that the sieve itself names."`
	Unread    [2]int64                 `json:"unread" description:"Values of each side that cannot be read as their type, and are compared as their text."`
}

// TriedFilter is what is said of a filter while it is written.
type TriedFilter struct {
	Wrong   string   `json:"wrong,omitempty" description:"What is wrong with it."`
	At      int      `json:"at,omitempty" description:"Character at which it is wrong, counted from 1."`
	Columns []string `json:"columns" nullable:"false" description:"The columns that it can name."`
	Types   []string `json:"types" nullable:"false" description:"As what the values of each read."`
}
