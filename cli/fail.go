package cli

import "fmt"

// The exit statuses of every command.
const (
	exitClean      = 0 // done, and no exceptions
	exitExceptions = 1 // done, and exceptions were found
	exitRequest    = 2 // the request was wrong
	exitFailure    = 3 // the service or a file failed
)

// failure is an error with the exit status it leads to.
type failure struct {
	status int
	err    error
}

func (f *failure) Error() string { return f.err.Error() }
func (f *failure) Unwrap() error { return f.err }

// wrongRequest says that what was asked cannot be done as asked.
func wrongRequest(format string, args ...any) error {
	return &failure{exitRequest, fmt.Errorf(format, args...)}
}

// broken says that the service or a file failed.
func broken(format string, args ...any) error {
	return &failure{exitFailure, fmt.Errorf(format, args...)}
}
