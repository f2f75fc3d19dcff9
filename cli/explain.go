package cli

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/core/sieve"
	"twinsieve/formats/intake"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// What is wrong is found where a definition is compiled and a file is opened, and is said by its place there: key[0].left. Whoever wrote
// options knows these, so each error is told with the option that it is about.

// explaining lets a command say its errors by an explanation.
func explaining(cmd *cobra.Command, explain func(error) error) {
	run := cmd.RunE
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if err := run(cmd, args); err != nil {
			return explain(err)
		}
		return nil
	}
}

// faultOf is the place that an error is about, and what is wrong there; nothing where it names none.
func faultOf(err error) (where, what string) {
	problem, own, choice, unread := new(view.Problem), new(sieve.Error), new(intake.ChoiceError), new(summary.UnreadError)
	switch {
	case errors.As(err, &unread):
		return unread.Where, unread.What
	case errors.As(err, &own):
		return own.Where, own.What
	case errors.As(err, &choice):
		return "choices." + choice.Choice, choice.What
	case errors.As(err, &problem) && len(problem.Faults) == 1:
		return problem.Faults[0].Where, problem.Faults[0].What
	}
	return "", ""
}

var numberedPlace = regexp.MustCompile(`^(key|compare|amounts|lookups)(?:\[(\d+)\])?`)

// explain says of something wrong in a definition which option it is in.
func (f *definitionFlags) explain(err error) error {
	where, what := faultOf(err)
	option := ""
	switch {
	case where == "where.left" || where == "where.right":
		option = "--" + strings.TrimPrefix(where, "where.") + "-where"
		if f.where == [2]string{} {
			return err
		}
	case strings.HasPrefix(where, "currency") && f.currency != "":
		option = fmt.Sprintf("--currency %q", f.currency)
	case where == "repeats" && f.repeats != "":
		option = "--repeats " + f.repeats
	default:
		m := numberedPlace.FindStringSubmatch(where)
		if m == nil {
			return err
		}
		n, _ := strconv.Atoi(m[2]) // digits, or nothing
		given := map[string]struct {
			option string
			texts  []string
			before int
		}{"key": {"--key", f.keys, f.before.key}, "compare": {"--compare", f.compares, f.before.compare}, "amounts": {"--amount", f.amounts, f.before.amounts}, "lookups": {"--lookup", f.lookups, f.before.lookups}}[m[1]]
		if n -= given.before; n < 0 || n >= len(given.texts) {
			return err
		}
		option = fmt.Sprintf("%s %q", given.option, given.texts[n])
	}
	return wrongRequest("%s: %s", option, what)
}

// explain says of a choice that cannot be followed which option made it.
func (c *choiceFlags) explain(err error) error {
	where, what := faultOf(err)
	if choice, ok := strings.CutPrefix(where, "choices."); ok {
		return wrongRequest("--%s%s: %s", c.prefix, optionOf(choice), what)
	}
	return err
}

// optionOf is the option by which a choice is made.
func optionOf(choice string) string {
	switch choice {
	case "footers", "types", "blanks":
		return strings.TrimSuffix(choice, "s")
	case "computed":
		return "compute"
	}
	option := ""
	for _, c := range choice {
		if c >= 'A' && c <= 'Z' {
			option += "-"
		}
		option += strings.ToLower(string(c))
	}
	return option
}
