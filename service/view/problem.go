package view

import "net/http"

// Problem is what went wrong, as RFC 9457 problem details: what, where, and how to mend it. It is an error, too.
type Problem struct {
	Type   string  `json:"type" description:"Kind of the problem, as a path: /problems/ and a word."`
	Title  string  `json:"title" description:"The kind of the problem in words, the same for all of its kind."`
	Status int     `json:"status" description:"HTTP status."`
	Detail string  `json:"detail" description:"What was wrong this time, and how to mend it."`
	Faults []Fault `json:"faults,omitempty" description:"The places that are wrong."`

	RetryAfter int64 `json:"retryAfter,omitempty" description:"Seconds after which to try again."`
}

// Fault is one place that is wrong.
type Fault struct {
	Where string `json:"where" description:"Path into the definition, or line of the file."`
	What  string `json:"what"`
}

// Error implements error.
func (p *Problem) Error() string { return p.Detail }

// ProblemKind is a kind of problem.
type ProblemKind struct {
	word, title string
	status      int
}

// The kinds of problems.
var (
	Invalid             = ProblemKind{"invalid-request", "The request is not valid", http.StatusBadRequest}
	BadDefinition       = ProblemKind{"invalid-definition", "The sieve's definition is not valid", http.StatusUnprocessableEntity}
	Unreadable          = ProblemKind{"unreadable-file", "The file cannot be read", http.StatusUnprocessableEntity}
	TooLarge            = ProblemKind{"too-large", "The file is too large", http.StatusRequestEntityTooLarge}
	WrongType           = ProblemKind{"wrong-content-type", "The body is of another type", http.StatusUnsupportedMediaType}
	OtherCount          = ProblemKind{"other-count", "Another number of exceptions is affected", http.StatusConflict}
	Foreign             = ProblemKind{"foreign-site", "The request comes from another site", http.StatusForbidden}
	NotFound            = ProblemKind{"not-found", "It is not there", http.StatusNotFound}
	NameTaken           = ProblemKind{"name-taken", "The name is taken", http.StatusConflict}
	DetectedDifferently = ProblemKind{"detected-differently", "The file is detected differently from last time", http.StatusConflict}
	Joins               = ProblemKind{"joins-keys", "More than two keys would become one", http.StatusConflict}
	InUse               = ProblemKind{"in-use", "It is in use", http.StatusConflict}
	Changed             = ProblemKind{"changed-meanwhile", "It has been changed meanwhile", http.StatusPreconditionFailed}
	NoVersion           = ProblemKind{"version-required", "The version to change must be named", http.StatusPreconditionRequired}
	DiskFull            = ProblemKind{"disk-full", "The disk is full", http.StatusInsufficientStorage}
	BadQuery            = ProblemKind{"query-refused", "The database refuses the query", http.StatusUnprocessableEntity}
	BadExpression       = ProblemKind{"invalid-expression", "An expression is not valid", http.StatusUnprocessableEntity}
	Unreachable         = ProblemKind{"database-unreachable", "The database cannot be read", http.StatusBadGateway}
	TooLong             = ProblemKind{"query-too-long", "The query takes too long", http.StatusGatewayTimeout}
	Cancelled           = ProblemKind{"cancelled", "It was cancelled", http.StatusConflict}
	Interrupted         = ProblemKind{"interrupted", "The service ended while it was under way", http.StatusConflict}
	BadLook             = ProblemKind{"invalid-rows", "The rows cannot be shown as asked", http.StatusUnprocessableEntity}
	Circular            = ProblemKind{"circular-chain", "A chain would bite its tail", http.StatusConflict}
	Multiplies          = ProblemKind{"multiplies", "Records would be multiplied beyond the limit", http.StatusConflict}
	SignInFirst         = ProblemKind{"sign-in", "Nobody is signed in", http.StatusUnauthorized}
	WrongPassword       = ProblemKind{"wrong-password", "The name or the password is wrong", http.StatusUnauthorized}
	NotAllowed          = ProblemKind{"not-allowed", "Your role does not allow it", http.StatusForbidden}
	Signed              = ProblemKind{"signed", "The report is signed", http.StatusLocked}
	TooOften            = ProblemKind{"too-often", "It was tried too often", http.StatusTooManyRequests}
	Failed              = ProblemKind{"failed", "The service failed", http.StatusInternalServerError}
)

// New makes a problem of the kind.
func (k ProblemKind) New(detail string, faults ...Fault) *Problem {
	return &Problem{Type: "/problems/" + k.word, Title: k.title, Status: k.status, Detail: detail, Faults: faults}
}

// After says in how many seconds to try again.
func (p *Problem) After(seconds int64) *Problem {
	p.RetryAfter = seconds
	return p
}

// Is reports whether a problem is of the kind.
func (k ProblemKind) Is(p *Problem) bool { return p != nil && p.Type == "/problems/"+k.word }
