package view

import "twinsieve/core/sieve"

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
