package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/core/sieve"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newAdvise(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:   "advise LEFT RIGHT",
		Short: "Say which columns of two record sets could make two records the same, with the evidence",
		Example: `  twinsieve advise service-log invoices
  twinsieve advise service-log invoices --output json`,
		Args: exactArgs(2, "two record sets: the left one, which says what should be there, and the right one"),
		ValidArgsFunction: func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
			return root.completeSets(cmd, args, typed)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			job, err := c.Advise(cmd.Context(), args[0], args[1])
			result, err := wait(cmd, c, job, err)
			if err != nil {
				return err
			}
			return printAdvice(newPrinter(cmd, root.output), result.Advice)
		},
	}
}

func printAdvice(p *printer, a *view.Advice) error {
	if p.form != "table" {
		var rows [][]string
		for _, k := range a.Keys {
			rows = append(rows, []string{sieve.Definition{Key: k.Key}.KeyNames(), k.Relation, k.Says, strings.Join(k.Warnings, "; ")})
		}
		return p.rows([]string{"key", "relation", "evidence", "warnings"}, rows, a)
	}
	if len(a.Pairs) == 0 {
		fmt.Fprintf(p.out, "No column of %s has values that a column of %s has: nothing makes two of their records the same.\n", a.Sets[0], a.Sets[1])
		return nil
	}
	if a.Looked != a.Records {
		fmt.Fprintf(p.out, "looked at a sample of %s and %s records\n", summary.Number(a.Looked[0]), summary.Number(a.Looked[1]))
	}
	var rows [][]string
	for _, pair := range a.Pairs {
		row := []string{pair.Part.Columns.String(), readingsText(pair.Part)}
		for _, s := range pair.Sides {
			row = append(row, fmt.Sprintf("%.0f %%", 100*s.Found), summary.Number(s.Distinct), summary.Number(s.Unique), summary.Number(s.Blank))
		}
		rows = append(rows, row)
	}
	p.table([]string{"columns", "readings", "found left", "different", "unique", "blank", "found right", "different", "unique", "blank"}, rows, 2, 3, 4, 5, 6, 7, 8, 9)
	if len(a.Keys) == 0 {
		fmt.Fprintln(p.out, "\nno key is proposed: no pair of columns has values on both sides")
	}
	for i, k := range a.Keys {
		fmt.Fprintf(p.out, "\n%s\n", p.bold(fmt.Sprintf("key %d: %s", i+1, sieve.Definition{Key: k.Key}.KeyNames())))
		fmt.Fprintf(p.out, "  %s\n  %s\n", k.Says, k.Agrees)
		for _, w := range k.Warnings {
			fmt.Fprintf(p.out, "  beware: %s\n", w)
		}
		if i == 0 {
			var options []string
			for _, part := range k.Key {
				options = append(options, "--key "+strconv.Quote(pairText(part)))
			}
			fmt.Fprintf(p.out, "  take it: twinsieve counts --left %s --right %s %s\n", a.Sets[0], a.Sets[1], strings.Join(options, " "))
		}
	}
	return nil
}

// pairText is a key part as the option --key takes it.
func pairText(part sieve.KeyPart) string {
	l, r := part.On()
	text := l
	if r != l {
		text += "=" + r
	}
	if readings := readingsText(part); readings != "" {
		text += ": " + readings
	}
	return text
}

func readingsText(part sieve.KeyPart) string {
	var texts []string
	for _, r := range part.Readings {
		texts = append(texts, r.String())
	}
	return strings.Join(texts, ", ")
}
