package service

import (
	"sync"
	"time"
)

// allotment divides the memory between jobs and records that have been read. Jobs have a half of it, each that may work at once the same share, and records
// a quarter. The share that no job takes is for records, too, for they can be let go of at once when a job comes that does; but for what is made ready in it
// for handing over.
type allotment struct {
	memory  int64
	records func(bytes int64) // sets how many bytes of records stay in memory

	mu      sync.Mutex
	working int
	crowded time.Time // since when as many jobs work as may at once
}

// leastCache is how many bytes of records that have been read stay in memory at least, and forHandOvers what is left to lists that are handed over.
const (
	leastCache   = 32 << 20
	forHandOvers = 128 << 20
)

// begin says that a job begins to work. A short one takes so little that nothing is let go of for it.
func (a *allotment) begin() {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.working++; a.working == jobsAtOnce {
		a.crowded = time.Now()
		time.AfterFunc(shortJob, a.divide)
	}
}

// end says that a job works no more.
func (a *allotment) end() {
	a.mu.Lock()
	a.working--
	a.mu.Unlock()
	a.divide()
}

// divide gives the records what they may have now.
func (a *allotment) divide() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.records(a.share())
}

// forRecords is how many bytes of records may stay in memory now.
func (a *allotment) forRecords() int64 {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.share()
}

func (a *allotment) share() int64 {
	bytes := a.memory / 4
	if a.working < jobsAtOnce || time.Since(a.crowded) < shortJob {
		bytes += max(a.memory/4-forHandOvers, 0)
	}
	return max(leastCache, bytes)
}
