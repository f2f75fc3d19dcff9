package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/core/expression"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newCompute(root *rootFlags) *cobra.Command {
	var drop []string
	var look, functions bool
	cmd := &cobra.Command{
		Use:   "compute SET [NAME=EXPRESSION …]",
		Short: "Compute columns of a record set from its others",
		Long: `Compute columns of a record set from those of its source. They stand behind them in a new snapshot, and can be key parts and
compared fields like any other column. A column of a name that is there is computed anew. Reloading computes them again.
Without an expression, the computed columns are listed. --functions says what an expression can call.`,
		Example: `  twinsieve compute receipts "signed=zero(debit) - zero(credit)"
  twinsieve compute service-log "call=part(call_no, \"/\", 1)" "ref=call_no + \"-\" + service_code" --look
  twinsieve compute service-log --drop ref`,
		Args: func(cmd *cobra.Command, args []string) error {
			if !functions && len(args) == 0 {
				return wrongRequest("compute takes a record set and expressions. See twinsieve compute --help")
			}
			return nil
		},
		ValidArgsFunction: root.completeSets,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			p := newPrinter(cmd, root.output)
			if functions {
				var rows [][]string
				for _, f := range expression.Functions() {
					rows = append(rows, []string{f.Form, f.Meaning})
				}
				return p.rows([]string{"function", "meaning"}, rows, view.Functions{Functions: expression.Functions()})
			}
			return compute(cmd, root, p, args[0], args[1:], drop, look)
		},
	}
	cmd.Flags().StringArrayVar(&drop, "drop", nil, "a computed column that is not wanted any more")
	cmd.Flags().BoolVar(&look, "look", false, "say what the columns would be, and compute nothing")
	cmd.Flags().BoolVar(&functions, "functions", false, "list what an expression can call")
	return cmd
}

func compute(cmd *cobra.Command, root *rootFlags, p *printer, name string, columns, drop []string, look bool) error {
	api := root.client()
	set, err := api.Set(cmd.Context(), name)
	if err != nil {
		return fromService(err)
	}
	var all []expression.Column
	if set.Snapshot.Recipe != nil {
		all = slices.Clone(set.Snapshot.Recipe.Choices.Computed)
	}
	find := func(name string) int {
		return slices.IndexFunc(all, func(c expression.Column) bool { return c.Name == name })
	}
	for _, gone := range drop {
		at := find(gone)
		if at < 0 {
			return wrongRequest("--drop %s: the record set %q has no computed column of that name", gone, name)
		}
		all = slices.Delete(all, at, at+1)
	}
	for _, text := range columns {
		c, err := parseColumn("the column", text)
		if err != nil {
			return err
		}
		if at := find(c.Name); at >= 0 {
			all[at] = c
		} else {
			all = append(all, c)
		}
	}
	if look || len(columns)+len(drop) == 0 {
		tried, err := api.TryColumns(cmd.Context(), name, all)
		if err != nil {
			return fromService(err)
		}
		return printTried(p, name, &tried)
	}
	job, err := api.Compute(cmd.Context(), name, all)
	result, err := wait(cmd, api, job, err)
	if err != nil {
		return err
	}
	if err := printSets(p, []view.Set{*result.Set}, result.Set); err != nil {
		return err
	}
	p.uncomputed(cmd, &result.Set.Snapshot)
	return nil
}

// parseColumn reads NAME=EXPRESSION.
func parseColumn(what, text string) (expression.Column, error) {
	name, formula, ok := strings.Cut(text, "=")
	if name = strings.TrimSpace(name); !ok || name == "" || strings.TrimSpace(formula) == "" {
		return expression.Column{}, wrongRequest("%s %q is not NAME=EXPRESSION; write one such as \"signed=zero(debit) - zero(credit)\"", what, text)
	}
	return expression.Column{Name: name, Expression: strings.TrimSpace(formula)}, nil
}

// uncomputed tells people which cells could not be computed.
func (p *printer) uncomputed(cmd *cobra.Command, s *view.Snapshot) {
	for _, f := range s.Findings.Uncomputed {
		fmt.Fprintf(cmd.ErrOrStderr(), "the column %s could not be computed for %s, the first on line %d: %s\n", f.Column, summary.Count(f.Records, "record"), f.Line, f.Why)
	}
	for _, l := range s.Findings.Lost {
		fmt.Fprintf(cmd.ErrOrStderr(), "the column %s was left out, for it cannot be computed now: %s\n", l.Column, l.Why)
	}
}

func printTried(p *printer, set string, tried *view.TriedColumns) error {
	if len(tried.Columns) == 0 && p.form == "table" {
		fmt.Fprintf(p.out, "The record set %s has no computed columns. It has %s.\n", set, strings.Join(tried.Given, ", "))
		return nil
	}
	var rows [][]string
	for _, c := range tried.Columns {
		first := strings.Join(cells(c.Cells), ", ")
		if c.Wrong != "" {
			first = "✗ " + c.Wrong
			if c.At > 0 {
				first = fmt.Sprintf("✗ at character %d: %s", c.At, c.Wrong)
			}
		} else if c.Failures != nil {
			first += fmt.Sprintf(" (%s of the first %d cannot be computed: %s)", summary.Count(c.Failures.Records, "record"), tried.Looked, c.Failures.Why)
		}
		rows = append(rows, []string{c.Name, c.Expression, first})
	}
	return p.rows([]string{"column", "expression", "first cells"}, rows, tried)
}
