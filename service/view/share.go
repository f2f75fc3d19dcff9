package view

import "time"

// NewShare is a link to be made, by which others, who need not sign in, read a report.
type NewShare struct {
	Days  int   `json:"days,omitempty" minimum:"1" maximum:"366" description:"How long it works: 1 to 366 days; 30 by default."`
	Count int64 `json:"count" required:"true" minimum:"-1" description:"The total of the list that it is made from (-1 where the list has not counted). If it is another number now, no link is made."`
}

// Share is such a link.
type Share struct {
	ID      uint      `json:"id"`
	By      string    `json:"by"`
	Says    string    `json:"says" description:"Which entries it shows."`
	Created time.Time `json:"created"`
	Ends    time.Time `json:"ends"`
	Link    string    `json:"link,omitempty" description:"Path of its page; only in the answer to its making."`
}

// Shares is the list of the links to a report that work.
type Shares struct {
	Shares []Share `json:"shares" nullable:"false"`
}

// Shared is the head of a report as a link shows it.
type Shared struct {
	Run     Run       `json:"run"`
	SignOff SignOff   `json:"signOff"`
	Says    string    `json:"says" description:"Which entries the link shows."`
	Ends    time.Time `json:"ends"`
}
