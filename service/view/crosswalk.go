package view

import "time"

// Crosswalk is what people have accepted as the same in a sieve, and refused.
type Crosswalk struct {
	Sieve   string       `json:"sieve"`
	Version int          `json:"version" description:"Counts the changes; a run states the version that it used. 0: there has been none."`
	Columns [2][]string  `json:"columns" description:"The key's columns, left and right."`
	Entries []Acceptance `json:"entries" nullable:"false" description:"The newest first."`
}

// Acceptance is an entry of a crosswalk.
type Acceptance struct {
	ID      uint         `json:"id"`
	Kind    string       `json:"kind" enum:"keys,refused,records" description:"Two keys are the same; two keys are not; records that were paired by hand."`
	Holds   bool         `json:"holds" description:"It has not been taken back."`
	Left    []string     `json:"left,omitempty" description:"The left key, as it came."`
	Right   []string     `json:"right,omitempty" description:"The right key, as it came."`
	Records *[2][]Record `json:"records,omitempty" description:"The records that were paired by hand, with their numbers at the time."`
	Keys    *[2][]string `json:"keys,omitempty" description:"Of records that were paired by hand: their keys, the parts of each with · between them."`
	Reason  string       `json:"reason"`
	Score   float64      `json:"score,omitempty" description:"Of what was suggested: from 0 to 1."`
	Source  string       `json:"source" enum:"near,diagnosis,hand,import"`
	By      string       `json:"by"`
	Created time.Time    `json:"created"`
	Version int          `json:"version" description:"Of the crosswalk, from which on it holds."`
	EndedBy string       `json:"endedBy,omitempty"`
	Ended   *time.Time   `json:"ended,omitempty"`
}

// KeyPair is a left and a right key, as they came: one text for each part of the key.
type KeyPair struct {
	Left  []string `json:"left" nullable:"false"`
	Right []string `json:"right" nullable:"false"`
	Score float64  `json:"score,omitempty" description:"Of a suggestion."`
	Why   string   `json:"why,omitempty" description:"Why these two, where it is not the reason given for all."`
}

// Decision is what a person decides about keys.
type Decision struct {
	Pairs   []KeyPair `json:"pairs" required:"true" nullable:"false"`
	Accept  bool      `json:"accept" required:"true" description:"They are the same; else they are not, and are not suggested again."`
	Reason  string    `json:"reason,omitempty"`
	Source  string    `json:"source,omitempty" enum:"near,diagnosis,hand,import"`
	Confirm bool      `json:"confirm,omitempty" description:"Also where a class of more than two keys comes of it."`
}

// HandPair is records of a run that belong together, whatever their keys.
type HandPair struct {
	Left   []int64 `json:"left" required:"true" nullable:"false" description:"Numbers of left records."`
	Right  []int64 `json:"right" required:"true" nullable:"false" description:"Numbers of right records."`
	Reason string  `json:"reason,omitempty"`
}

// TriedPair is what a pairing by hand would be.
type TriedPair struct {
	Left     []Record    `json:"left" nullable:"false"`
	Right    []Record    `json:"right" nullable:"false"`
	Sums     []PairedSum `json:"sums" nullable:"false" description:"Of each compared number and balanced amount."`
	Outcomes []Outcome   `json:"outcomes" nullable:"false" description:"Of each compared field, by the totals."`
	Matched  bool        `json:"matched" description:"Every compared field agrees."`
}

// PairedSum is an amount of records that are paired by hand.
type PairedSum struct {
	Name       string `json:"name"`
	Left       string `json:"left"`
	Right      string `json:"right"`
	Difference string `json:"difference" description:"Right minus left."`
}

// Near are suggestions of what might belong together.
type Near struct {
	Run     uint        `json:"run"`
	Sieve   string      `json:"sieve"`
	Records [2]int64    `json:"records" description:"Records without a partner."`
	Looked  [2]int64    `json:"looked" description:"Of these, looked at."`
	Found   int64       `json:"found" description:"Suggestions; what was refused or accepted before is not among them."`
	Pairs   []Suggested `json:"pairs" nullable:"false" description:"The best 1,000 of them."`
}

// Suggested is a pair that might belong together.
type Suggested struct {
	Score   float64  `json:"score" description:"From 0 to 1."`
	Reasons []string `json:"reasons" nullable:"false"`
	Left    Record   `json:"left"`
	Right   Record   `json:"right"`
	Keys    KeyPair  `json:"keys" description:"The two keys, as they came."`
	Keyed   bool     `json:"keyed" description:"Both keys have a value in every part, so that they can be accepted as the same; else the two records can be paired by hand."`
}
