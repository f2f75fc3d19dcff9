package view

// Chain is what a sieve is made from, and what is made from it: record sets and sieves, each behind what it is made from.
type Chain struct {
	Nodes []ChainNode `json:"nodes" nullable:"false"`
}

// ChainNode is a record set or a sieve in a chain.
type ChainNode struct {
	Kind   string   `json:"kind" enum:"set,sieve"`
	Name   string   `json:"name"`
	Level  int      `json:"level" description:"0: it is made from nothing else here."`
	From   []string `json:"from" nullable:"false" description:"Names of what it is made from: a sieve's sets, or a set's sieve or sets."`
	Number int      `json:"number" description:"Of the newest snapshot or run; 0 where there is none."`
	Run    uint     `json:"run,omitempty" description:"Of a sieve: id of its newest run."`
	Count  int64    `json:"count" description:"Records of a set, or exceptions of a sieve's newest run."`
	Stale  string   `json:"stale,omitempty" description:"Why it is not up to date; a run of what comes of it brings it there."`
}
