package view

import "time"

// Retention says what is kept of runs and snapshots, beside the newest of each sieve and record set, which always is. What is both too many
// and too old, or either, goes.
type Retention struct {
	Newest int `json:"newest,omitempty" minimum:"1" description:"So many of each sieve and set are kept; any number where not stated."`
	Days   int `json:"days,omitempty" minimum:"1" description:"Those that are not older than so many days are kept; of any age where not stated."`
}

// Removal removes what a rule lets go, where that is still what was listed.
type Removal struct {
	Retention
	List string `json:"list" required:"true" description:"What is removed: the list that POST /retention/tried gave for this rule. If the rule selects anything else by now, nothing is removed."`
}

// Removable is what a rule lets go.
type Removable struct {
	List      string              `json:"list" description:"Identifies exactly these runs and snapshots. A removal states it."`
	Runs      []RemovableRun      `json:"runs" nullable:"false"`
	Snapshots []RemovableSnapshot `json:"snapshots" nullable:"false"`
	Bytes     int64               `json:"bytes" description:"Room that it takes, roughly."`
	Says      string              `json:"says" description:"What goes, in one sentence."`
}

// RemovableRun is a run that goes.
type RemovableRun struct {
	Run      uint      `json:"run"`
	Sieve    string    `json:"sieve"`
	Number   int       `json:"number"`
	Finished time.Time `json:"finished"`
	Bytes    int64     `json:"bytes"`
}

// RemovableSnapshot is a snapshot that goes.
type RemovableSnapshot struct {
	Set     string    `json:"set"`
	Number  int       `json:"number"`
	Created time.Time `json:"created"`
	Records int64     `json:"records"`
	Bytes   int64     `json:"bytes"`
}
