package view

import "time"

// NewSchedule says when a sieve runs by itself.
type NewSchedule struct {
	Cron   string `json:"cron,omitempty" description:"Five fields of cron text: minute, hour, day of the month, month, day of the week. Empty: not by the clock."`
	Zone   string `json:"zone,omitempty" description:"Time zone of the fields, such as Europe/Stockholm. A time that the clocks skip in spring does not fire on that day; one that comes twice in autumn fires once, the first time."`
	Watch  bool   `json:"watch" required:"true" description:"When files in the service's folder that its sets are loaded from have come: their size and time stand still."`
	Both   bool   `json:"both" required:"true" description:"It waits until both sides are newer than in its last run."`
	Active bool   `json:"active" required:"true"`
}

// Schedule is when a sieve runs by itself, and how that went.
type Schedule struct {
	Cron    string     `json:"cron"`
	Zone    string     `json:"zone"`
	Watch   bool       `json:"watch"`
	Both    bool       `json:"both"`
	Active  bool       `json:"active"`
	By      string     `json:"by,omitempty" description:"On whose behalf it runs: who has changed it last."`
	Version int        `json:"version" description:"For changes with If-Match; 0 where nobody has said anything yet."`
	Next    *time.Time `json:"next,omitempty" description:"When it fires next."`
	Says    string     `json:"says,omitempty" description:"How it went last, in plain words."`
	At      *time.Time `json:"at,omitempty" description:"When that was."`
}
