package view

import "time"

// Role is what a person may do. Each role may do what those before it may.
type Role string

// The roles, the least first.
const (
	Reader  Role = "reader"  // reads and hands over
	Analyst Role = "analyst" // loads, defines, runs, works on exceptions and signs
	Admin   Role = "admin"   // lets people in, and keeps connections and lists
)

// Roles are all roles, the least first.
var Roles = []Role{Reader, Analyst, Admin}

// Allows reports whether a role may do what another one may.
func (r Role) Allows(needed Role) bool { return r.rank() >= needed.rank() && r.rank() > 0 }

func (r Role) rank() int {
	for i, role := range Roles {
		if r == role {
			return i + 1
		}
	}
	return 0
}

// Person is somebody who can sign in.
type Person struct {
	Name     string    `json:"name" description:"By which they sign in and are mentioned."`
	FullName string    `json:"fullName"`
	Role     Role      `json:"role" enum:"reader,analyst,admin"`
	Active   bool      `json:"active" description:"Whether they can sign in."`
	Version  int       `json:"version"`
	Waiting  bool      `json:"waiting" description:"They have not set a password yet."`
	Created  time.Time `json:"created"`
}

// People is the list of people.
type People struct {
	People []Person `json:"people" nullable:"false"`
}

// PersonChange is what can be changed of a person.
type PersonChange struct {
	FullName string `json:"fullName" required:"true"`
	Role     Role   `json:"role" required:"true" enum:"reader,analyst,admin"`
	Active   bool   `json:"active" required:"true"`
}

// NewPerson is a person to be added.
type NewPerson struct {
	Name     string `json:"name" required:"true" description:"Letters, digits, points, hyphens and underscores, 2 to 32 of them, beginning with a letter."`
	FullName string `json:"fullName,omitempty"`
	Role     Role   `json:"role" required:"true" enum:"reader,analyst,admin"`
}

// Invited is a person with the one-time link by which they set a password.
type Invited struct {
	Person Person    `json:"person"`
	Link   string    `json:"link" description:"Path of the page. It is shown once, and works once."`
	Ends   time.Time `json:"ends"`
}

// OneTime says what a one-time link is for.
type OneTime struct {
	Kind string    `json:"kind" enum:"welcome,password,entry" description:"welcome makes the first admin, password lets a person set theirs, entry signs in."`
	Name string    `json:"name,omitempty" description:"Of the person whom it is for."`
	Ends time.Time `json:"ends"`
}

// Welcome is what a one-time link is used with.
type Welcome struct {
	Name     string `json:"name,omitempty" description:"Of the first admin."`
	FullName string `json:"fullName,omitempty" description:"Of the first admin."`
	Password string `json:"password,omitempty"`
}

// SignIn is a name and a password.
type SignIn struct {
	Name     string `json:"name" required:"true"`
	Password string `json:"password" required:"true"`
}

// NewPassword changes one's own password.
type NewPassword struct {
	Old string `json:"old" required:"true"`
	New string `json:"new" required:"true"`
}

// Token lets a program act for a person.
type Token struct {
	ID      uint       `json:"id"`
	Label   string     `json:"label"`
	Created time.Time  `json:"created"`
	Expires time.Time  `json:"expires"`
	Seen    *time.Time `json:"seen,omitempty" description:"When it was used last."`
	Secret  string     `json:"secret,omitempty" description:"The token itself; only in the answer to its making."`
}

// Tokens is the list of a person's tokens.
type Tokens struct {
	Tokens []Token `json:"tokens" nullable:"false"`
}

// NewToken is a token to be made.
type NewToken struct {
	Label string `json:"label" required:"true" description:"What it is for."`
	Days  int    `json:"days,omitempty" minimum:"1" maximum:"366" description:"How long it works: 1 to 366 days, 90 where not stated."`
}

// Event is an entry of the history.
type Event struct {
	Seq     int64          `json:"seq" description:"Counted from 1, without a gap."`
	At      time.Time      `json:"at"`
	Person  string         `json:"person,omitempty" description:"Absent where the service itself did it."`
	Action  string         `json:"action"`
	Kind    string         `json:"kind" description:"Of what was changed."`
	Subject string         `json:"subject" description:"Its name."`
	Says    string         `json:"says" description:"What was done, in plain words."`
	Details map[string]any `json:"details"`
	Hash    string         `json:"hash" description:"SHA-256 over the entry and the hash of the one before."`
}

// History is a page of the history, the newest first.
type History struct {
	Events []Event `json:"events" nullable:"false"`
	Next   string  `json:"next,omitempty" description:"Cursor of the next page; absent on the last."`
}

// Verified is what checking the whole history found.
type Verified struct {
	Holds   bool   `json:"holds"`
	Entries int64  `json:"entries"`
	Newest  string `json:"newest" description:"Number and hash of the newest entry, as hand-overs state it."`
	Broken  int64  `json:"broken,omitempty" description:"The first entry that is not as it was written, or is not there."`
	Says    string `json:"says"`
}
