package store

import (
	"time"

	"twinsieve/core/again"
)

// RecordSet is a named table of records. Each load of it is a [Snapshot].
type RecordSet struct {
	ID      uint
	Name    string
	Created time.Time
}

// Snapshot is one load of a record set. It is visible once sealed, and never changes.
type Snapshot struct {
	ID          uint
	RecordSetID uint
	Number      int      // counted from 1 within the set
	Columns     []string `gorm:"serializer:json"`
	Starts      []int64  `gorm:"serializer:json"` // number of each batch's first record
	Records     int64
	Rejects     int64
	Bytes       int64 // of the source
	Hash        string
	Source      string // name of the file it came from
	Delimiter   string
	Recipe      string // JSON: where it came from and how it was read, so that it can be read again
	Findings    string // JSON: what was seen while it was read
	Created     time.Time
	Sealed      bool
}

// Profile is the profile of a sealed snapshot.
type Profile struct {
	SnapshotID uint   `gorm:"primaryKey;autoIncrement:false"`
	Body       string // JSON
}

// Chunk is one column of one batch, or, with Column [linesColumn], the batch's source lines.
type Chunk struct {
	SnapshotID uint `gorm:"primaryKey;autoIncrement:false"`
	Batch      int  `gorm:"primaryKey;autoIncrement:false"`
	Column     int  `gorm:"primaryKey;autoIncrement:false"`
	Blob       []byte
}

// linesColumn is the column number under which a batch's source lines are kept.
const linesColumn = -1

// Reject is a line of a snapshot's source that was no record.
type Reject struct {
	SnapshotID uint  `gorm:"primaryKey;autoIncrement:false"`
	Seq        int64 `gorm:"primaryKey;autoIncrement:false"` // counted from 1
	Line       int64
	Reason     string
	Text       string
}

// Connection is a database that record sets are read from.
type Connection struct {
	ID      uint
	Name    string
	Version int
	Body    string // JSON: where it is, without a secret
	Secret  []byte // the password, encrypted; empty where there is none here
	Created time.Time
	Updated time.Time
}

// Sieve is a saved definition. Its text is in its versions.
type Sieve struct {
	ID      uint
	Name    string
	Version int // the newest
	Created time.Time
	Updated time.Time
}

// SieveVersion is what a sieve said at one time. Versions never change.
type SieveVersion struct {
	SieveID    uint   `gorm:"primaryKey;autoIncrement:false"`
	Version    int    `gorm:"primaryKey;autoIncrement:false"`
	Definition string // JSON
	Created    time.Time
}

// The kinds of acceptances.
const (
	KeysAccepted    = "keys"    // two keys are the same
	KeysRefused     = "refused" // two keys are not the same, and are not suggested again
	RecordsAccepted = "records" // records that were paired by hand
)

// Acceptance is an entry of a sieve's crosswalk. It holds from its version on, up to the version in which it was ended.
type Acceptance struct {
	ID           uint
	SieveID      uint
	Kind         string
	Body         string // JSON: the two keys, or the records
	Reason       string
	Score        float64 // of a suggestion; 0: it was none
	Source       string  // near, diagnosis, hand or import
	By           string
	Version      int
	Created      time.Time
	EndedVersion int // 0: it holds
	EndedBy      string
	Ended        *time.Time
}

// Run is one execution of a sieve version over two snapshots. It is visible once sealed, and never changes.
type Run struct {
	ID       uint
	SieveID  uint
	Version  int
	Number   int    // counted from 1 within the sieve
	LeftID   uint   // snapshot
	RightID  uint   // snapshot
	Header   string // JSON: all that the report's head shows, so that it outlives snapshots and sieve
	Totals   string // JSON
	Started  time.Time
	Finished time.Time
	Sealed   bool
	Followed bool  // all exceptions that it has found show what it has found
	Here     int64 // exceptions that it has found
}

// IndexPart is a sealed part of a run's match index.
type IndexPart struct {
	RunID uint `gorm:"primaryKey;autoIncrement:false"`
	Side  int  `gorm:"primaryKey;autoIncrement:false"`
	Part  int  `gorm:"primaryKey;autoIncrement:false"`
	Blob  []byte
}

// Entry is a line of a run's report: an exception as the run has found it, or one of before that is there no more. Status, owner and reason
// are those of the exception, as they stand, or stood when the report was signed.
type Entry struct {
	RunID       uint
	Seq         int64 // place in the report, counted from 1
	Tray        string
	Side        string
	Change      string // what has become of the exception since the run before
	Status      string
	Owner       string // name of a person, or empty
	Reason      string
	ExceptionID uint // 0: of a run from before exceptions were followed
	Opened      time.Time
	Amount      string // what the exception adds on the way from the left total to the right one; empty: nothing that can be read
	Currency    string // in which that is; several with commas between them, where it has no one amount
	Size        []byte // its magnitude, as bytes that are ordered as numbers are; empty: none
	Differs     int64  // a bit for each compared field that does not agree
	KeyText     string // the key, in lower case
	BodyRun     uint   // the run and place whose body shows it
	BodySeq     int64
	Search      string // what a search looks through, in lower case

	opened string      // Opened as the data file keeps it; of an entry that has its place in a report
	print  again.Print // of what it shows; likewise
}

// The states of work on an exception.
const (
	StatusOpen       = "open"
	StatusInProgress = "in-progress"
	StatusExplained  = "explained"
	StatusSettled    = "settled"
)

// Exception is what is recognised from run to run, and worked on. One that is untouched has no row of its own, see untouched.go.
type Exception struct {
	ID          uint
	SieveID     uint
	Side        string
	Tray        string // in the run that it was last found in
	Status      string
	Owner       string
	Reason      string
	Version     int // of the work on it
	Opened      time.Time
	Presence    string     // here, cleared or absent, in the sieve's newest run
	Settled     *time.Time // since when it is explained or settled
	Amount      string
	Currency    string
	Size        []byte
	KeyText     string
	BodyRun     uint
	BodySeq     int64
	ChangedSeq  int64  // entry of the history that tells of the newest change
	ChangedBy   string // name of a person; empty: a run
	MovedRun    uint   // the last run that found other values, or nothing but a match; 0: none since there is such a column
	Comments    int
	Attachments int
}

// The states of a job.
const (
	JobQueued      = "queued"
	JobRunning     = "running"
	JobDone        = "done"
	JobFailed      = "failed"
	JobCancelled   = "cancelled"
	JobInterrupted = "interrupted" // the service ended while it was under way
)

// Job is a load, run or count that takes its time.
type Job struct {
	ID       string
	Kind     string
	Subject  string
	State    string
	Error    string // JSON, for failed jobs
	Result   string // JSON, for done jobs
	Started  time.Time
	Finished *time.Time
}
