package cli

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/pflag"

	"twinsieve/core/similar"
	"twinsieve/service/summary"
)

// Options whose value has a range or a list refuse everything else when the command line is read, before anything is done.

// What options take that more than one command has.
var (
	alignments  = []string{"position", "name"}
	repeatRules = []string{"pair", "totals", "refuse-left", "refuse-right", "refuse-both"}
	roles       = []string{"reader", "analyst", "admin"}
	kinds       = []string{"set", "sieve", "run", "exception", "person", "connection", "reasons", "webhook"} // of things in the audit trail
)

// mostWorkers is how many processors can be asked for.
const mostWorkers = 1024

// wholeNumber is an option that takes a whole number within a range.
type wholeNumber[T int | int64 | uint] struct {
	to          *T
	least, most int64
}

// wholeNumberVar adds such an option. most of 0 means that there is no upper bound. usage names the value in back-quotes.
func wholeNumberVar[T int | int64 | uint](f *pflag.FlagSet, to *T, name string, value T, least, most int64, usage string) {
	if *to = value; most == 0 {
		most = math.MaxInt64
	}
	f.Var(&wholeNumber[T]{to, least, most}, name, usage)
}

// String implements [pflag.Value].
func (v *wholeNumber[T]) String() string {
	if v.to == nil || *v.to == 0 {
		return ""
	}
	return fmt.Sprint(*v.to)
}

// Type implements [pflag.Value].
func (v *wholeNumber[T]) Type() string { return "N" }

// Set implements [pflag.Value].
func (v *wholeNumber[T]) Set(text string) error {
	n, err := strconv.ParseInt(text, 10, 64)
	switch {
	case err != nil:
		return fmt.Errorf("takes a whole number, not %q", text)
	case n < v.least && v.most == math.MaxInt64:
		return fmt.Errorf("takes a whole number from %d on, not %d", v.least, n)
	case n < v.least || n > v.most:
		return fmt.Errorf("takes %s to %s, not %d", summary.Number(v.least), summary.Number(v.most), n)
	}
	*v.to = T(n)
	return nil
}

// checkedText is an option whose text is checked where it is given.
type checkedText struct {
	to    *string
	kind  string // what the help calls it
	check func(text string) error
}

// String implements [pflag.Value].
func (v *checkedText) String() string {
	if v.to == nil {
		return ""
	}
	return *v.to
}

// Type implements [pflag.Value].
func (v *checkedText) Type() string { return v.kind }

// Set implements [pflag.Value].
func (v *checkedText) Set(text string) error {
	if err := v.check(text); err != nil {
		return err
	}
	*v.to = text
	return nil
}

// oneOfVar adds an option that takes one of a list of words.
func oneOfVar(f *pflag.FlagSet, to *string, name, value string, list []string, usage string) {
	*to = value
	f.Var(&checkedText{to, "WORD", func(text string) error { return checkWord(text, list) }}, name, usage)
}

// checkWord refuses a word that is not in a list, and suggests the nearest.
func checkWord(text string, list []string) error {
	if slices.Contains(list, text) {
		return nil
	}
	suggestion := ""
	if near, ok := similar.Suggest(text, list); ok {
		suggestion = fmt.Sprintf("did you mean %q? ", near)
	}
	return fmt.Errorf("does not take %q; %swrite one of %s", text, suggestion, strings.Join(list, ", "))
}

// someOf is an option that takes several of a list of words, with commas between them, or given more than once.
type someOf struct {
	to   *[]string
	list []string
}

// someOfVar adds such an option.
func someOfVar(f *pflag.FlagSet, to *[]string, name string, list []string, usage string) {
	f.Var(&someOf{to, list}, name, usage)
}

// String implements [pflag.Value].
func (v *someOf) String() string {
	if v.to == nil {
		return ""
	}
	return strings.Join(*v.to, ",")
}

// Type implements [pflag.Value].
func (v *someOf) Type() string { return "WORD,…" }

// Set implements [pflag.Value].
func (v *someOf) Set(text string) error {
	for _, word := range strings.Split(text, ",") {
		word = strings.TrimSpace(word)
		if err := checkWord(word, v.list); err != nil {
			return err
		}
		*v.to = append(*v.to, word)
	}
	return nil
}

// durationOf is an option that takes a time of at least so long.
type durationOf struct {
	to    *time.Duration
	least time.Duration
}

// durationVar adds such an option.
func durationVar(f *pflag.FlagSet, to *time.Duration, name string, value, least time.Duration, usage string) {
	*to = value
	f.Var(&durationOf{to, least}, name, usage)
}

// String implements [pflag.Value].
func (v *durationOf) String() string {
	if v.to == nil || *v.to == 0 {
		return ""
	}
	return v.to.String()
}

// Type implements [pflag.Value].
func (v *durationOf) Type() string { return "TIME" }

// Set implements [pflag.Value].
func (v *durationOf) Set(text string) error {
	d, err := time.ParseDuration(text)
	if err != nil || d < v.least {
		return fmt.Errorf("takes a time of at least %s, such as 90s or 10m, not %q", v.least, text)
	}
	*v.to = d
	return nil
}
