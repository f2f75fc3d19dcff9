package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/service/view"
)

func newReload(root *rootFlags) *cobra.Command {
	asDetected := false
	cmd := &cobra.Command{
		Use:   "reload SET [FILE …]",
		Short: "Load a record set again with the same choices, and say what changed",
		Long: `Load a record set again with the choices of its newest snapshot, and say what changed: records, columns, types, and which
sieves that touches. A set that came from a file that was sent takes the new file, and one that was stacked all of them; one
from the service's folder or from a database is read from there again.

What was stated about the file is kept; its encoding, delimiter, header, trailer lines and so on are detected again. Where
they come out differently from last time, the command says so and loads nothing, unless --as-detected is given.`,
		Example:           "  twinsieve reload service-log april.csv\n  twinsieve reload invoices\n  twinsieve reload invoices april.csv --as-detected",
		Args:              cobra.MinimumNArgs(1),
		ValidArgsFunction: root.completeSets,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			source, drop, err := loadedAgain(cmd, c, args[0], args[1:])
			if err != nil {
				return err
			}
			job, err := c.Reload(cmd.Context(), args[0], source, asDetected)
			result, err := wait(cmd, c, job, err)
			if err != nil {
				drop(err)
				return reloadFault(err, args)
			}
			changes, err := c.Changes(cmd.Context(), args[0])
			if err != nil {
				return fromService(err)
			}
			p := newPrinter(cmd, root.output)
			if p.form == "table" {
				p.uncomputed(cmd, &result.Set.Snapshot)
				p.changes(&changes)
			} else if err := p.rows([]string{"what", "before", "after"}, changeRows(&changes), changes); err != nil {
				return err
			}
			return p.held(&result.Set.Snapshot)
		},
	}
	cmd.Flags().BoolVar(&asDetected, "as-detected", false, "load the file even if it is detected differently from last time")
	return cmd
}

// reloadFault says of what keeps a set from being loaded again how to go on.
func reloadFault(err error, args []string) error {
	problem := new(view.Problem)
	switch {
	case !errors.As(err, &problem):
	case view.DetectedDifferently.Is(problem):
		return wrongRequest("%s To load it as it is detected now, give --as-detected", problem.Detail)
	case len(args) == 2 && slices.ContainsFunc(problem.Faults, func(f view.Fault) bool { return f.Where == "choices.invalidBytes" }):
		return wrongRequest("%s To reject them, now and from now on: twinsieve load %s --as %q --invalid-bytes reject", problem.Detail, args[1], args[0])
	}
	return err
}

// loadedAgain sends the files that a set is loaded from again: as a stack, where it is one. drop forgets them.
func loadedAgain(cmd *cobra.Command, c *client.Client, set string, files []string) (source view.SourceRef, drop func(error), err error) {
	drop = func(error) {}
	if len(files) == 0 {
		return source, drop, nil
	}
	before, err := c.Set(cmd.Context(), set)
	if err != nil {
		return source, drop, fromService(err)
	}
	if r := before.Snapshot.Recipe; len(files) > 1 || r != nil && len(r.Source.Stack) > 0 {
		l := &loading{}
		drop, err = l.sendAll(cmd, c, files, &source)
		return source, drop, err
	}
	place, gone, err := sendFile(cmd, c, files[0])
	return view.SourceRef{Place: place}, func(error) { gone() }, err
}

func changeRows(c *view.Changes) (rows [][]string) {
	row := func(what, before, after string) { rows = append(rows, []string{what, before, after}) }
	row("snapshot", fmt.Sprint(c.From), fmt.Sprint(c.To))
	row("records", fmt.Sprint(c.Records[0]), fmt.Sprint(c.Records[1]))
	row("rejects", fmt.Sprint(c.Rejects[0]), fmt.Sprint(c.Rejects[1]))
	for _, r := range c.Renamed {
		row("column renamed", r.Before, r.After)
	}
	for _, n := range c.New {
		row("column new", "", n)
	}
	for _, n := range c.Gone {
		row("column gone", n, "")
	}
	for _, r := range c.Retyped {
		row("type of "+r.Column, r.Before, r.After)
	}
	for _, s := range c.Sieves {
		state := "runs"
		if !s.Runs {
			var faults []string
			for _, f := range s.Faults {
				faults = append(faults, f.Where+": "+f.What)
			}
			state = "cannot run: " + strings.Join(faults, "; ")
		}
		row("sieve "+s.Sieve, "", state)
	}
	return rows
}

// changes prints what is different, what changed first.
func (p *printer) changes(c *view.Changes) {
	if c.Same {
		fmt.Fprintln(p.out, "the content is the same as before")
	}
	p.table([]string{"", "before", "after"}, changeRows(c))
}
