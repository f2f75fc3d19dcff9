package view

import "twinsieve/core/match"

// Repeated lists keys that repeat.
type Repeated struct {
	Keys  []match.RepeatedKey `json:"keys" nullable:"false" description:"The key that takes part in most pairs first."`
	Total int64               `json:"total" description:"How many keys repeat on a side."`
}
