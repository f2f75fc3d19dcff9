// Package view holds what the service answers with: plain data, the same for the interface, its clients and the console.
package view

import (
	"time"

	"twinsieve/core/again"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
)

// Set is a record set.
type Set struct {
	Name     string   `json:"name"`
	Snapshot Snapshot `json:"snapshot" description:"The newest snapshot."`
}

// Snapshot is one load of a record set.
type Snapshot struct {
	Number   int       `json:"number" description:"Counted from 1 within the set."`
	Columns  []string  `json:"columns" nullable:"false"`
	Records  int64     `json:"records"`
	Rejects  int64     `json:"rejects" description:"Lines of the source that were no records."`
	Bytes    int64     `json:"bytes" description:"Size of the source."`
	Hash     string    `json:"hash" description:"SHA-256 of the columns and cells."`
	Source   string    `json:"source" description:"Name of the file it came from."`
	Read     string    `json:"read" description:"How it was read, in plain words."`
	Recipe   *Recipe   `json:"recipe,omitempty" description:"Where it came from and how it was read; absent for snapshots from before this was kept."`
	Findings Findings  `json:"findings" description:"What was seen while it was read."`
	Created  time.Time `json:"created"`
}

// Sets is the list of record sets.
type Sets struct {
	Sets []Set `json:"sets" nullable:"false"`
}

// Records is a page of a snapshot's records.
type Records struct {
	Snapshot int      `json:"snapshot" description:"Number of the snapshot that they are of."`
	Columns  []string `json:"columns" nullable:"false"`
	Records  []Record `json:"records" nullable:"false"`
	Next     string   `json:"next,omitempty" description:"Cursor of the next page; absent on the last."`
}

// Record is a record as it came.
type Record struct {
	Number  int64     `json:"number" description:"Counted from 1 in input order."`
	Line    int64     `json:"line,omitempty" description:"Line of the source on which it starts."`
	Run     int64     `json:"run,omitempty" description:"Number of the run that it is carried from; absent where it is the snapshot's own."`
	Cells   []*string `json:"cells" nullable:"false" description:"A null is a null of the source; an empty text is an empty cell."`
	Markers []int     `json:"markers,omitempty" description:"Indexes of the cells that are blank markers, and so are blank."`
}

// Rejects is a page of a snapshot's rejected lines.
type Rejects struct {
	Snapshot int      `json:"snapshot" description:"Number of the snapshot that they are of."`
	Rejects  []Reject `json:"rejects" nullable:"false"`
	Total    int64    `json:"total"`
	Next     string   `json:"next,omitempty" description:"Cursor of the next page; absent on the last."`
}

// Reject is a line that was no record.
type Reject struct {
	Line   int64  `json:"line"`
	Reason string `json:"reason"`
	Text   string `json:"text" description:"The line as it stands, cut after 1,000 bytes."`
}

// Sieve is a saved sieve.
type Sieve struct {
	Version    int              `json:"version"`
	Definition sieve.Definition `json:"definition"`
	Updated    time.Time        `json:"updated"`
	Sentence   string           `json:"sentence" description:"What pairs with what, in words."`
}

// Sieves is the list of sieves.
type Sieves struct {
	Sieves []Sieve `json:"sieves" nullable:"false"`
}

// Readings is the list of readings that exist.
type Readings struct {
	Readings []reading.Kind `json:"readings" nullable:"false"`
}

// Counts are what a definition would give, over the newest snapshots of its record sets.
type Counts struct {
	Sides   [2]Side         `json:"sides" description:"Left and right."`
	Summary summary.Summary `json:"summary"`

	Sentence string   `json:"sentence" description:"What pairs with what, in words."`
	Warnings []string `json:"warnings" nullable:"false" description:"What a person should look at before a run."`
	Repeated Repeated `json:"repeated" description:"The keys that repeat most."`
	Selves   int64    `json:"selves" description:"Records that pair with themselves, where a set is compared with itself."`
}

// Side is one side of a match: which snapshot of which record set.
type Side struct {
	Set      string   `json:"set"`
	Snapshot int      `json:"snapshot"`
	Hash     string   `json:"hash"`
	Source   string   `json:"source"`
	Records  int64    `json:"records" description:"Of the snapshot."`
	Carried  int64    `json:"carried,omitempty" description:"Open records of earlier runs that the run has carried in, behind those of the snapshot."`
	Rejects  int64    `json:"rejects"`
	Columns  []string `json:"columns" nullable:"false"`
	Held     []Held   `json:"held" nullable:"false" description:"Control figures of the sender, and whether they hold."`
}

// Run is one execution of a sieve: the head of its report.
type Run struct {
	ID         uint             `json:"id"`
	Number     int              `json:"number" description:"Counted from 1 within the sieve."`
	Sieve      string           `json:"sieve"`
	Version    int              `json:"version" description:"Version of the sieve."`
	Definition sieve.Definition `json:"definition"`
	Sides      [2]Side          `json:"sides" description:"Left and right."`
	Summary    summary.Summary  `json:"summary"`
	Started    time.Time        `json:"started"`
	Finished   time.Time        `json:"finished"`
	Sentence   string           `json:"sentence" description:"What pairs with what, in words."`
	By         string           `json:"by,omitempty" description:"Who ran it; absent where the service did."`
	State      string           `json:"state" enum:"draft,submitted,signed" description:"How far its report is on its way to being signed."`
	Since      *Since           `json:"since,omitempty" description:"What has become of the exceptions of before; absent in a sieve's first run."`
}

// Since says what has become of a sieve's exceptions since its run before.
type Since struct {
	Run    uint                   `json:"run" description:"Id of the run before."`
	Number int                    `json:"number" description:"Its number within the sieve."`
	Counts map[again.Change]int64 `json:"counts" nullable:"false" description:"How many are new, still-open, changed, returned, cleared and absent."`

	Retired int64 `json:"retired,omitempty" description:"Of the absent ones, those that were closed for good because the sieve's key has changed so that it cannot produce them."`
}

// Runs is a page of runs, the newest first.
type Runs struct {
	Runs []Run  `json:"runs" nullable:"false"`
	Next string `json:"next,omitempty" description:"Cursor of the next page; absent on the last."`
}

// Entry is one line of a report: a pair, or a record without a partner.
type Entry struct {
	ID     string    `json:"id" description:"Names the entry within its run."`
	Tray   tray.Tray `json:"tray"`
	Side   string    `json:"side" description:"Side of a record without a partner: left or right; both for pairs."`
	Status string    `json:"status,omitempty" enum:"open,in-progress,explained,settled" description:"Of exceptions."`
	Key    []string  `json:"key" nullable:"false" description:"The key's texts before any reading."`
	Reason string    `json:"reason" description:"Why it is in its tray."`
	Left   *Record   `json:"left,omitempty" description:"Absent where there is no partner on the left."`
	Right  *Record   `json:"right,omitempty" description:"Absent where there is no partner on the right."`
	Fields []Outcome `json:"fields,omitempty" description:"Outcome of each compared field, for pairs."`
	Steps  []string  `json:"steps" nullable:"false" description:"How it came to be where it is, step by step."`
	Group  *Group    `json:"group,omitempty" description:"Where totals are compared and the key has more than one record: all of them."`
	Joined bool      `json:"joined,omitempty" description:"The two keys are read as different ones, and are the same by the crosswalk."`

	Accepted *Acceptance `json:"accepted,omitempty" description:"Of records that were paired by hand: by whom and why."`

	Reject *Reject `json:"reject,omitempty" description:"Of a line of a side's source that is no record: the line. It has no tray; reject stands there."`

	Work *Work `json:"work,omitempty" description:"Of exceptions: what people do about it."`
}

// Group is the records of a key that are compared by their totals.
type Group struct {
	Records [2]int64    `json:"records" description:"How many there are on each side."`
	Listed  [2][]Record `json:"listed" description:"The first 100 of each side."`
}

// Outcome is how one compared field came out in a pair.
type Outcome struct {
	Left       int    `json:"left" description:"Index of the left column."`
	Right      int    `json:"right" description:"Index of the right column."`
	Agrees     bool   `json:"agrees"`
	Difference string `json:"difference,omitempty" description:"Right minus left: a number, days for dates, or seconds for times."`

	Totals *[2]string `json:"totals,omitempty" description:"Of a group's field that is summed: each side's total."`
}

// Entries is a page of a report's entries.
type Entries struct {
	Entries []Entry `json:"entries" nullable:"false"`
	Total   int64   `json:"total" description:"How many entries the filter chooses; -1 where that was not counted."`
	Seen    int64   `json:"seen" description:"Number of the newest entry of the history when the page was read; a change of several exceptions says with it what its author has seen."`
	Next    string  `json:"next,omitempty" description:"Cursor of the next page; absent on the last."`
}

// Job is something that takes its time.
type Job struct {
	ID       string     `json:"id"`
	Kind     string     `json:"kind" enum:"load,run,count,profile,compute,diagnose,advise,near,preview"`
	Subject  string     `json:"subject" description:"What it is about: a record set or a sieve."`
	State    string     `json:"state" enum:"queued,running,done,failed,cancelled,interrupted"`
	Stage    string     `json:"stage,omitempty" description:"What is being done just now."`
	Done     int64      `json:"done" description:"How much of the stage is done."`
	Total    int64      `json:"total" description:"How much the stage has; 0 when not known."`
	Fraction float64    `json:"fraction" description:"Of the whole job, by the time that it takes: from 0 to 1."`
	Rate     float64    `json:"rate" description:"Units of the stage a second."`
	Left     float64    `json:"left" description:"Seconds left of the whole job, roughly; 0 where that cannot be said."`
	Problem  *Problem   `json:"problem,omitempty" description:"Of failed, cancelled and interrupted jobs."`
	Result   *JobResult `json:"result,omitempty" description:"Of jobs that are done."`
	Started  time.Time  `json:"started"`
	Finished *time.Time `json:"finished,omitempty"`
}

// Ended reports whether nothing more will happen to the job.
func (j *Job) Ended() bool { return j.State != "queued" && j.State != "running" }

// JobResult is what a job has brought about.
type JobResult struct {
	Set    *Set    `json:"set,omitempty" description:"Of a load, a profile or computed columns."`
	Run    uint    `json:"run,omitempty" description:"Of a run: its id."`
	Counts *Counts `json:"counts,omitempty" description:"Of a count."`

	Diagnosis *Diagnosis `json:"diagnosis,omitempty" description:"Of a diagnosis."`
	Advice    *Advice    `json:"advice,omitempty" description:"Of an advice."`
	Near      *Near      `json:"near,omitempty" description:"Of a search for near matches."`

	Effect *ReadingEffect `json:"effect,omitempty" description:"Of a reading that was tried."`

	Whole  *WholeCounts `json:"whole,omitempty" description:"Of a count of set logic."`
	Totals *Totals      `json:"totals,omitempty" description:"Of totals of rows."`
}

// Jobs is the list of jobs, the newest first.
type Jobs struct {
	Jobs []Job `json:"jobs" nullable:"false"`
}

// Health says that the service is there.
type Health struct {
	Status string `json:"status"`
}
