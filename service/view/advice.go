package view

import (
	"twinsieve/core/match"
	"twinsieve/core/sieve"
	"twinsieve/service/words"
)

// Diagnosis is why the records without a partner found none.
type Diagnosis struct {
	Sides   [2]Side  `json:"sides" description:"Left and right."`
	Records [2]int64 `json:"records" description:"Records without a partner: missing or orphaned, and unkeyed."`
	Looked  [2]int64 `json:"looked" description:"How many of them were looked at; of more than 500,000 on a side, the first."`
	Causes  []Cause  `json:"causes" nullable:"false" description:"In a fixed order; each record is counted once, under the first cause that holds for it."`
}

// Cause is one reason why records found no partner.
type Cause struct {
	ID      string            `json:"id" description:"Names it within the diagnosis, such as ignore-case@1 for the first part of the key."`
	Kind    string            `json:"kind"`
	Says    string            `json:"says" description:"The cause in words, with the number of records."`
	Records [2]int64          `json:"records"`
	Remedy  string            `json:"remedy,omitempty" description:"The change of the sieve that would remedy it; absent where there is none."`
	Applied *sieve.Definition `json:"applied,omitempty" description:"The definition with that change made."`
	Listed  []Found           `json:"listed" nullable:"false" description:"The first 200 of its records."`
}

// Found is a record without a partner, and the one that it would pair with, or that comes near.
type Found struct {
	Side    string   `json:"side" enum:"left,right"`
	Number  int64    `json:"number" description:"Counted from 1 in input order."`
	Line    int64    `json:"line,omitempty"`
	Key     []string `json:"key" nullable:"false" description:"Its key's texts before any reading."`
	Partner int64    `json:"partner,omitempty" description:"Number of the other side's record; absent where there is none."`
	Other   []string `json:"other,omitempty" description:"That record's key."`
	Looks   []string `json:"looks,omitempty" description:"Where parts of the two keys look the same and differ, the characters named."`
}

// Traces are the ways of the records that have a key.
type Traces struct {
	Run   uint     `json:"run"`
	Sieve string   `json:"sieve"`
	Asked []string `json:"asked" nullable:"false"`
	Found [2]int64 `json:"found" description:"Records of each side that have each of the texts as a part of their key."`
	Ways  []Way    `json:"ways" nullable:"false" description:"Of the first of them."`
}

// Way is the way of one record through a run.
type Way struct {
	Side   string   `json:"side" enum:"left,right"`
	Number int64    `json:"number" description:"Counted from 1 in input order."`
	Tray   string   `json:"tray"`
	Key    []string `json:"key" nullable:"false" description:"Its key's texts before any reading."`
	words.Way
	Text []string `json:"text" nullable:"false" description:"All of it, line by line."`
}

// Looked is what was found in several runs.
type Looked struct {
	Runs []Traces `json:"runs" nullable:"false" description:"One for each run that was looked through: the newest of each sieve."`
}

// Repeated lists keys that repeat.
type Repeated struct {
	Keys  []match.RepeatedKey `json:"keys" nullable:"false" description:"The key that takes part in most pairs first."`
	Total int64               `json:"total" description:"How many keys repeat on a side."`
}

// Advice is what could make two records of two sets the same.
type Advice struct {
	Sets    [2]string    `json:"sets" description:"Left and right."`
	Records [2]int64     `json:"records"`
	Looked  [2]int64     `json:"looked" description:"How many of them were looked at; of large sets a sample that is the same on both sides."`
	Pairs   []PairAdvice `json:"pairs" nullable:"false" description:"Pairs of columns, the best first."`
	Keys    []KeyAdvice  `json:"keys" nullable:"false" description:"Keys of one pair or several, the best first."`
}

// PairAdvice is a pair of columns whose values are the same in part.
type PairAdvice struct {
	Part   sieve.KeyPart     `json:"part" description:"The pair as a part of a key, with the readings that it needs."`
	Shared int64             `json:"shared" description:"Different values on both sides."`
	Sides  [2]ColumnEvidence `json:"sides" description:"Left and right."`
}

// ColumnEvidence is what one column of a pair is like.
type ColumnEvidence struct {
	Column   string  `json:"column"`
	Type     string  `json:"type" description:"As which its values read."`
	Distinct int64   `json:"distinct" description:"Different values."`
	Unique   int64   `json:"unique" description:"Values that one record has."`
	Blank    int64   `json:"blank" description:"Records without a value."`
	Found    float64 `json:"found" description:"Share of its different values that the other side has, too."`
}

// KeyAdvice is a key that could make two records the same.
type KeyAdvice struct {
	Key      []sieve.KeyPart `json:"key" nullable:"false"`
	Relation string          `json:"relation" enum:"one to one,one to many,many to one,many to many"`
	Says     string          `json:"says" description:"The evidence in words."`
	Agrees   string          `json:"agrees" description:"How far what it pairs agrees in other columns."`
	Warnings []string        `json:"warnings" nullable:"false" description:"What to beware of."`
	Distinct [2]int64        `json:"distinct" description:"Different keys of each side."`
	Repeated [2]int64        `json:"repeated" description:"Keys that more than one record of the side has."`
	Shared   int64           `json:"shared" description:"Different keys on both sides."`
	Partner  [2]int64        `json:"partner" description:"Records whose key is on the other side."`
	Product  int64           `json:"product" description:"Rows of the inner comparison."`
}

// ReadingPlace names one reading of a definition.
type ReadingPlace struct {
	Of      string `json:"of" required:"true" enum:"key,compare"`
	Part    int    `json:"part" required:"true" description:"Which part of the key, or which compared field, counted from 0."`
	Reading int    `json:"reading" required:"true" description:"Which of its readings, counted from 0; -1 for all of them together."`
}

// ReadingEffect is what a reading does, held against the same definition without it.
type ReadingEffect struct {
	Sides [2]SideEffect   `json:"sides" description:"Left and right."`
	Pairs [2]PairedCounts `json:"pairs" description:"Without it, and with it."`
}

// SideEffect is what a reading does to the values of a column.
type SideEffect struct {
	Column     string       `json:"column"`
	Values     int64        `json:"values" description:"Cells that are not blank."`
	Changed    int64        `json:"changed" description:"Of these, read as another text."`
	Emptied    int64        `json:"emptied" description:"Left without a text."`
	Unreadable int64        `json:"unreadable" description:"Not read any more."`
	Distinct   [2]int64     `json:"distinct" description:"Different texts, before and after."`
	Collided   int64        `json:"collided" description:"Texts that stand for more than one text from before."`
	Samples    []ReadSample `json:"samples" nullable:"false" description:"The first values that are changed."`
	Collisions []Collision  `json:"collisions" nullable:"false" description:"Values that were different and become one; those of most texts first."`
}

// ReadSample is a value before and after a reading.
type ReadSample struct {
	Cell    string    `json:"cell" description:"As it came."`
	Before  ReadValue `json:"before"`
	After   ReadValue `json:"after"`
	Records int64     `json:"records"`
}

// ReadValue is a value as read.
type ReadValue struct {
	State string `json:"state" enum:"text,blank,emptied,unreadable"`
	Text  string `json:"text"`
}

// Collision is a text that stands for texts that were different.
type Collision struct {
	After  string   `json:"after"`
	Before []string `json:"before" nullable:"false" description:"The first few."`
	Texts  int64    `json:"texts"`
}

// PairedCounts is what pairs.
type PairedCounts struct {
	Keys    int64    `json:"keys" description:"Different keys on both sides."`
	Rows    int64    `json:"rows" description:"Rows of the inner comparison."`
	Records [2]int64 `json:"records" description:"Records with a partner."`
	Matched int64    `json:"matched"`
}
