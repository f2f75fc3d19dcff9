package view

import (
	"time"

	"twinsieve/core/expression"
	"twinsieve/core/profile"
	"twinsieve/core/typing"
	"twinsieve/formats/intake"
)

// Upload is a file that has been sent and waits to be loaded.
type Upload struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	Bytes int64  `json:"bytes"`
}

// SourceRef names what a record set is read from: an upload, a file, a table or query of a connection, or a stack of several
// of these.
type SourceRef struct {
	Place
	Stack  []Stacked `json:"stack,omitempty" description:"Several sources, one under another, as one record set: columns are aligned by name."`
	Origin string    `json:"origin,omitempty" description:"Name of the column that says which source of the stack a record came from; origin where not stated."`
	Common bool      `json:"common,omitempty" description:"Of a stack: columns that not all sources have are left out; else they are blank where a source has them not."`
}

// Empty reports whether the reference names nothing.
func (r *SourceRef) Empty() bool { return r.Place == Place{} && len(r.Stack) == 0 }

// Stacked is one source of a stack.
type Stacked struct {
	Place
	Label   string          `json:"label" description:"What the column of the origin says of its records."`
	Choices *intake.Choices `json:"choices,omitempty" description:"What is stated about how it is read; as of all of the stack where not stated."`
	ReadAs  *intake.Choices `json:"readAs,omitempty" description:"How it was read: what was stated, and what was detected; set by the service."`

	Rename map[string]string `json:"rename,omitempty" description:"Columns that are named otherwise in the stack, by their names in the source."`
}

// ResultRef names rows of a sieve's run as a source.
type ResultRef struct {
	Sieve string `json:"sieve" description:"Name of the sieve."`
	ID    uint   `json:"id,omitempty" description:"Its number, by which it is found also under another name; set by the service."`
	Run   uint   `json:"run,omitempty" description:"The run that the rows are of this time; the newest, and a new one where that is stale, where not stated."`
	Look  Look   `json:"look" description:"Which rows, and how."`
}

// Place names one source: an upload, a file, a table or query of a connection, another record set, or rows of a run.
type Place struct {
	Set    string     `json:"set,omitempty" description:"Another record set, of which the newest snapshot is read."`
	Result *ResultRef `json:"result,omitempty" description:"Rows of a sieve's run."`

	Upload     string `json:"upload,omitempty" description:"Id of an upload."`
	Path       string `json:"path,omitempty" description:"File in the folder that the service may read."`
	Connection string `json:"connection,omitempty" description:"Connection to a database."`
	Table      string `json:"table,omitempty" description:"Its table or view that is read."`
	Query      string `json:"query,omitempty" description:"Or the query whose rows are read."`
}

// Recipe is where a snapshot came from and how it was read, so that its set can be loaded again.
type Recipe struct {
	Source  SourceRef       `json:"source"`
	Choices intake.Choices  `json:"choices" description:"What is stated about how it is read. It is kept for the next load; everything else is detected each time."`
	ReadAs  *intake.Choices `json:"readAs,omitempty" description:"How it was read: what was stated, and what was detected. In a request, what a preview has shown: where something else is detected now, nothing is loaded."`
	Control *Control        `json:"control,omitempty"`
	Strict  bool            `json:"strict,omitempty" description:"Any reject refuses the load."`
	New     bool            `json:"new,omitempty" description:"The record set must be a new one: if there is one of this name, nothing is loaded."`
	Most    int64           `json:"mostRejects,omitempty" description:"More rejects than this refuse the load; 0: any number is taken."`
}

// Control are the figures that a sender states.
type Control struct {
	Count   *int64          `json:"count,omitempty" description:"Records that there should be."`
	Totals  []ControlTotal  `json:"totals,omitempty" description:"Totals that there should be."`
	Trailer *ControlTrailer `json:"trailer,omitempty" description:"Where a trailer line states them."`
}

// ControlTotal is a total that a sender states.
type ControlTotal struct {
	Column string `json:"column"`
	Total  string `json:"total" description:"A number, exactly."`
}

// ControlTrailer is where a trailer line states figures: in cells, counted from 1, or between places, which are characters of the line
// counted from 1.
type ControlTrailer struct {
	Starts string `json:"starts" description:"What the trailer line begins with."`
	Count  int    `json:"count,omitempty" description:"Its cell with the count; 0: none."`
	Total  int    `json:"total,omitempty" description:"Its cell with a total; 0: none."`
	Column string `json:"column,omitempty" description:"Column of which that is the total."`

	CountAt string `json:"countAt,omitempty" description:"Instead of a cell, the places of the count, as in 9-14."`
	TotalAt string `json:"totalAt,omitempty" description:"Instead of a cell, the places of the total."`
}

// Held is a control figure, and what was found.
type Held struct {
	What   string `json:"what" description:"What was stated: records, or the total of a column."`
	Stated string `json:"stated"`
	Found  string `json:"found"`
	From   string `json:"from" description:"Who stated it: typed in, or a line of the source."`
	Holds  bool   `json:"holds"`
	Why    string `json:"why,omitempty" description:"What keeps it from being held."`
}

// Findings is what was seen while a snapshot was read.
type Findings struct {
	Guesses []intake.Guess  `json:"guesses" nullable:"false" description:"What was found about the file rather than chosen."`
	Footers []intake.Footer `json:"footers" nullable:"false" description:"The first lines that were recognised as footers or left out at the end."`
	Footed  int64           `json:"footed" description:"The number of such lines."`
	Totals  []intake.Footer `json:"likeTotals,omitempty" description:"Last records that look like a total of the others, and were taken as records."`
	Merged  int64           `json:"merged,omitempty" description:"Merged areas of a sheet whose cells but the first were read as blank."`
	Filled  int64           `json:"filled,omitempty" description:"Lines with fewer cells than there are columns, which were filled with blanks."`
	Held    []Held          `json:"held" nullable:"false" description:"The control figures, and whether they hold."`
	Types   []typing.Type   `json:"types" nullable:"false" description:"As what the first records of each column read; the profile has all."`
	Same    string          `json:"same,omitempty" description:"An earlier snapshot with the same content."`

	Origins []typing.Count `json:"origins,omitempty" description:"Of a stack: records by origin."`
	Unequal []UnequalPart  `json:"unequal,omitempty" description:"Of a stack: the sources that do not have the same columns as the others."`
	Parents []Parent       `json:"parents,omitempty" description:"Of a record set made from others: what it was made from."`
	Run     uint           `json:"run,omitempty" description:"Of the rows of a run: its id."`

	Uncomputed []expression.Failures `json:"uncomputed,omitempty" description:"Cells of computed columns that could not be computed."`
	Lost       []intake.Lost         `json:"lost,omitempty" description:"Computed columns that could not be this time, and why."`
}

// UnequalPart is a source of a stack that does not have the same columns as the others.
type UnequalPart struct {
	Label   string   `json:"label"`
	Missing []string `json:"missing" nullable:"false" description:"Columns of the stack that it does not have: its records are blank there."`
	Left    []string `json:"left" nullable:"false" description:"Columns of its own that the stack leaves out."`
}

// Parent is a snapshot that another was made from.
type Parent struct {
	Set      string `json:"set"`
	Snapshot int    `json:"snapshot"`
	Hash     string `json:"hash"`
}

// TriedColumns are computed columns as they would be.
type TriedColumns struct {
	Given   []string      `json:"given" nullable:"false" description:"The columns that they can be computed from."`
	Columns []TriedColumn `json:"columns" nullable:"false"`
	Looked  int64         `json:"looked" description:"Records that were looked at."`
}

// TriedColumn is a computed column as it would be.
type TriedColumn struct {
	expression.Column
	Wrong    string               `json:"wrong,omitempty" description:"What is wrong with it."`
	At       int                  `json:"at,omitempty" description:"Character of the expression at which it is wrong, counted from 1."`
	Cells    []*string            `json:"cells" nullable:"false" description:"Its first cells; a null is blank."`
	Failures *expression.Failures `json:"failures,omitempty" description:"Those among the records that were looked at."`
}

// Functions is what an expression can call.
type Functions struct {
	Functions []expression.Function `json:"functions" nullable:"false"`
}

// Preview is how a file would be read.
type Preview struct {
	Name     string          `json:"name"`
	Bytes    int64           `json:"bytes"`
	Choices  intake.Choices  `json:"choices" description:"The choices with everything that was found."`
	Guesses  []intake.Guess  `json:"guesses" nullable:"false" description:"What was found rather than chosen."`
	Sheets   []string        `json:"sheets" nullable:"false" description:"Sheets of a workbook."`
	Columns  []PreviewColumn `json:"columns" nullable:"false"`
	Records  []Record        `json:"records" nullable:"false" description:"The first records."`
	Looked   int64           `json:"looked" description:"Records that were looked at."`
	Whole    bool            `json:"whole" description:"These are all."`
	Rejects  []Reject        `json:"rejects" nullable:"false" description:"The first rejects among what was looked at."`
	Rejected int64           `json:"rejected" description:"The number of rejects among what was looked at."`
	Footers  []intake.Footer `json:"footers" nullable:"false"`
	Merged   int64           `json:"merged,omitempty" description:"Merged areas of a sheet whose cells but the first would be read as blank; counted where all records were looked at."`
	Parts    []PreviewPart   `json:"parts" nullable:"false" description:"The sources of a stack; none of any other source."`
	Blanks   []typing.Count  `json:"blanks" nullable:"false" description:"Values that may stand for blanks, and how many cells have them; they are values unless declared as blank markers."`
}

// PreviewPart is one source of a stack.
type PreviewPart struct {
	Label   string   `json:"label"`
	Read    string   `json:"read" description:"How it would be read, in plain words."`
	Missing []string `json:"missing" nullable:"false" description:"Columns of the stack that it has not, which are blank in its records."`
	Left    []string `json:"left" nullable:"false" description:"Columns of its own that the stack leaves out."`
	Columns []string `json:"columns" nullable:"false" description:"Its columns, as it names them."`
	Records int64    `json:"records" description:"Of a record set, how many it has; -1 where that is not known before it is read."`
}

// PreviewColumn is a column of a file, and as what the values looked at read.
type PreviewColumn struct {
	Name string         `json:"name"`
	Type typing.Finding `json:"type"`
}

// Profile is what is in a snapshot.
type Profile struct {
	Set      string           `json:"set"`
	Snapshot int              `json:"snapshot"`
	Rejects  int64            `json:"rejects"`
	Profile  *profile.Profile `json:"profile,omitempty" description:"Absent until it has been made."`
}

// Changes is what is different between a set's newest snapshot and the one before.
type Changes struct {
	From    int           `json:"from" description:"Number of the earlier snapshot; 0 where there is none."`
	To      int           `json:"to"`
	Records [2]int64      `json:"records" description:"Records before and after."`
	Rejects [2]int64      `json:"rejects" description:"Rejects before and after."`
	New     []string      `json:"new" nullable:"false" description:"Columns that were not there."`
	Gone    []string      `json:"gone" nullable:"false" description:"Columns that are not there any more."`
	Renamed []Renamed     `json:"renamed" nullable:"false" description:"Columns that are gone and new, and look like one that was renamed."`
	Retyped []Retyped     `json:"retyped" nullable:"false" description:"Columns whose values read as another type."`
	Same    bool          `json:"same" description:"The content is the same."`
	Sieves  []SieveEffect `json:"sieves" nullable:"false" description:"The sieves over the set, and whether they can still run."`
}

// Renamed is a column that seems to have another name now.
type Renamed struct {
	Before string `json:"before"`
	After  string `json:"after"`
}

// Retyped is a column whose values read as another type now.
type Retyped struct {
	Column string `json:"column"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// SieveEffect is what a change of a record set means for a sieve.
type SieveEffect struct {
	Sieve  string  `json:"sieve"`
	Runs   bool    `json:"runs" description:"It can run."`
	Faults []Fault `json:"faults" nullable:"false" description:"Why it cannot."`
}

// Snapshots lists the snapshots of a record set, the newest first.
type Snapshots struct {
	Snapshots []Snapshot `json:"snapshots" nullable:"false"`
}

// FolderFile is a file in the folder that the service may read.
type FolderFile struct {
	Path     string    `json:"path"`
	Bytes    int64     `json:"bytes"`
	Modified time.Time `json:"modified"`
}

// Folder is the folder that the service may read.
type Folder struct {
	Allowed bool         `json:"allowed" description:"There is such a folder."`
	Files   []FolderFile `json:"files" nullable:"false"`
}
