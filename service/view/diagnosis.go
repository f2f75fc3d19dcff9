package view

import "twinsieve/core/sieve"

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
	Doubt   string            `json:"doubt,omitempty" description:"Why the remedy should not be taken without looking: its pairs do not agree in most other columns."`
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
