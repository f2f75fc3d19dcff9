package view

import "twinsieve/service/words"

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
