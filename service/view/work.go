package view

import (
	"time"

	"twinsieve/core/again"
)

// Work is what people do about an exception, from run to run.
type Work struct {
	Exception   uint         `json:"exception" description:"Names the exception in every run; 0 in runs from before exceptions were followed."`
	Version     int          `json:"version" description:"Of the work on it, for changes with If-Match."`
	Change      again.Change `json:"change" enum:"new,still-open,changed,returned,cleared,absent" description:"What has become of it since the run before."`
	Owner       string       `json:"owner,omitempty" description:"Name of a person."`
	Reason      string       `json:"reason,omitempty"`
	Opened      time.Time    `json:"opened" description:"When it was found first."`
	Amount      string       `json:"amount,omitempty" description:"What it adds on the way from the left total to the right total; absent where that cannot be read."`
	Currency    string       `json:"currency,omitempty" description:"In which currency that is. Several with commas between them where its records are of several: these are not added, and it has no amount."`
	ChangedBy   string       `json:"changedBy,omitempty" description:"Who changed it last; absent where nobody has, or a run did."`
	Comments    int          `json:"comments"`
	Attachments int          `json:"attachments"`
}

// WorkChange is what is to become of an exception, or of several. What is left out stays as it is.
type WorkChange struct {
	Status *string `json:"status,omitempty" enum:"open,in-progress,explained,settled"`
	Owner  *string `json:"owner,omitempty" description:"Name of a person; me; empty: nobody."`
	Reason *string `json:"reason,omitempty" description:"One of the list of reasons; empty: none."`
}

// BulkChange changes all exceptions of a report that are chosen, as one action that can be undone as one.
type BulkChange struct {
	WorkChange
	Count   int64    `json:"count" required:"true" minimum:"0" description:"How many exceptions the list showed that are chosen. If another number is, nothing is changed."`
	Seen    int64    `json:"seen" required:"true" minimum:"0" description:"As the page said that its author has seen: what others have changed since is in conflict."`
	Over    string   `json:"over,omitempty" enum:"skip,overwrite" description:"What becomes of exceptions that others have changed since: skip leaves them, overwrite changes them all the same; where it is not said, nothing at all is changed."`
	Entries []string `json:"entries,omitempty" description:"Ids of the entries, of those that the filter chooses; all of these where not given."`
}

// Done is an action on exceptions.
type Done struct {
	ID       uint       `json:"id"`
	Says     string     `json:"says" description:"What was done, in plain words."`
	Changed  int64      `json:"changed" description:"How many exceptions it changed. Those that were so already are not counted."`
	Kept     int64      `json:"kept" description:"Of an undoing: how many stay as they are, for they have been changed since."`
	By       string     `json:"by"`
	At       time.Time  `json:"at"`
	Undone   *time.Time `json:"undone,omitempty"`
	UndoneBy string     `json:"undoneBy,omitempty"`
}

// Actions is the list of what was done in a report, the newest first.
type Actions struct {
	Actions []Done `json:"actions" nullable:"false"`
}

// Comment is what somebody says about an exception.
type Comment struct {
	ID      uint      `json:"id"`
	By      string    `json:"by"`
	Text    string    `json:"text" description:"Plain text: markup in it is text. @ and a name mention a person."`
	Created time.Time `json:"created"`
}

// Attachment is a file that somebody has put to an exception.
type Attachment struct {
	ID      uint      `json:"id"`
	By      string    `json:"by"`
	Name    string    `json:"name"`
	Bytes   int64     `json:"bytes"`
	Hash    string    `json:"hash" description:"SHA-256 of its content."`
	Created time.Time `json:"created"`
}

// Conversation is all that was said and done about an exception, the oldest first.
type Conversation struct {
	Comments    []Comment    `json:"comments" nullable:"false"`
	Attachments []Attachment `json:"attachments" nullable:"false"`
}

// Reasons is the list of reasons that exceptions can be given.
type Reasons struct {
	Reasons []string `json:"reasons" required:"true" nullable:"false"`
}

// NewReasons replaces the list of reasons, where it is still the one that was seen.
type NewReasons struct {
	Reasons []string `json:"reasons" required:"true" nullable:"false"`
	Seen    []string `json:"seen" required:"true" nullable:"false" description:"The list that is replaced. If it is another by now, nothing is changed."`
}

// Overview is a page of exceptions over all sieves that somebody has to do something about.
type Overview struct {
	Exceptions []Pending `json:"exceptions" nullable:"false"`
	Total      int64     `json:"total"`
	Next       string    `json:"next,omitempty" description:"Cursor of the next page; absent on the last."`
	All        int64     `json:"all" description:"How many are pending altogether."`
	Mine       int64     `json:"mine"`
	Unowned    int64     `json:"unowned"`
	Mentions   int64     `json:"mentions" description:"How many mention who asks, in comments not yet seen."`
}

// Pending is an exception that somebody has to do something about.
type Pending struct {
	Sieve string `json:"sieve"`
	Run   uint   `json:"run" description:"Id of the newest run that lists it."`
	Entry Entry  `json:"entry"`
}

// SavedFilter is what a person looks for in reports again and again.
type SavedFilter struct {
	Name  string `json:"name" required:"true"`
	Query string `json:"query" required:"true" description:"The query of a report's list, as it stands in an address."`
}

// SavedFilters is the list of a person's filters.
type SavedFilters struct {
	Filters []SavedFilter `json:"filters" nullable:"false"`
}

// SignOff is how far a report is on its way to being signed.
type SignOff struct {
	State     string     `json:"state" enum:"draft,submitted,signed"`
	Version   int        `json:"version" description:"For changes with If-Match."`
	Preparer  string     `json:"preparer,omitempty" description:"Who submitted it."`
	Submitted *time.Time `json:"submitted,omitempty"`
	Reviewer  string     `json:"reviewer,omitempty" description:"Who signed it or sent it back."`
	Signed    *time.Time `json:"signed,omitempty"`
	Note      string     `json:"note,omitempty" description:"Why it was sent back or reopened, or submitted or signed although exceptions are open."`
	Open      int64      `json:"open" description:"Exceptions of the report that are open or in progress."`
	Says      string     `json:"says" description:"All of it, in one sentence."`
}

// SignStep is a step on that way.
type SignStep struct {
	Step string `json:"step" required:"true" enum:"submit,sign,send-back,reopen"`
	Note string `json:"note,omitempty" description:"Why a report is sent back or reopened, which needs a note, and why it is submitted or signed while exceptions are open, which needs one, too."`
}

// Tallies counts a report's entries by all that they can be chosen by.
type Tallies struct {
	Tallies []Tally `json:"tallies" nullable:"false"`
}

// Tally is how many entries are alike.
type Tally struct {
	Tray    string `json:"tray"`
	Change  string `json:"change"`
	Status  string `json:"status"`
	Owner   string `json:"owner"`
	Reason  string `json:"reason"`
	Entries int64  `json:"entries"`
}

// Trend is how a sieve's exceptions went, run by run, the oldest first.
type Trend struct {
	Runs []TrendRun `json:"runs" nullable:"false"`
}

// TrendRun is one run of a trend.
type TrendRun struct {
	Run     uint             `json:"run"`
	Number  int              `json:"number"`
	At      time.Time        `json:"at"`
	Trays   map[string]int64 `json:"trays" nullable:"false" description:"Exceptions by tray."`
	Ages    []int64          `json:"ages" nullable:"false" description:"Exceptions found first in this run, one run before, two, and three or more."`
	Open    int64            `json:"open" description:"Of them, those neither explained nor settled."`
	Amounts []CurrencyAmount `json:"amounts" nullable:"false" description:"What those that are open add on the way from the left total to the right one, sizes added up whatever their signs; of each currency apart."`
	Settled int64            `json:"settled" description:"Exceptions explained, settled or cleared since the run before."`
	Days    float64          `json:"days" description:"How long these took, in days: the one in the middle."`
}

// CurrencyAmount is an amount in one currency.
type CurrencyAmount struct {
	Currency string `json:"currency,omitempty" description:"Absent where the sieve has no column of currencies, or the record's is blank."`
	Amount   string `json:"amount"`
}

// ReportChange tells those who look at a report that something of it has changed.
type ReportChange struct {
	Seq        int64  `json:"seq" description:"Number of the history's entry that tells of it."`
	By         string `json:"by,omitempty"`
	Says       string `json:"says" description:"What was done, in plain words."`
	Exceptions []uint `json:"exceptions" nullable:"false" description:"Which exceptions; none where they are many, or where it is about the report as a whole."`
}
