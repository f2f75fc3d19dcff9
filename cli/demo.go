package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/core/comparison"
	"twinsieve/demo"
	"twinsieve/formats/sievefile"
	"twinsieve/service"
	"twinsieve/service/view"
)

func newDemo() *cobra.Command {
	s := &serving{}
	var files string
	var seed uint64
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Run a service with the demo: the port of Marrowick's service log and invoices",
		Long: `Run a service with the demo: the port of Marrowick's service log against the pilot station's invoices.

The demo's record sets are loaded, its sieve is saved and run, and the service goes on until it is interrupted. With
--files nothing is served: the demo's files are only written, with a statement of what was planted in them.`,
		Example: `  twinsieve demo
  twinsieve demo --files ./marrowick`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			scenario := demo.New(demo.Options{Seed: seed})
			if files != "" {
				if err := scenario.Write(files); err != nil {
					return broken("the demo's files cannot be written: %s", err)
				}
				fmt.Fprintf(cmd.OutOrStdout(), "written to %s: %s, %s, %s and %s\n", files, demo.ServiceLogFile, demo.InvoicesFile, demo.BillingFile, demo.PlantedFile)
				return nil
			}
			if err := s.settle(cmd); err != nil {
				return err
			}
			return s.run(cmd.Context(), cmd.ErrOrStderr(), func(address string, v *service.Service) error {
				return runDemo(cmd.Context(), cmd.OutOrStdout(), address, v, scenario)
			})
		},
	}
	s.flags(cmd, "marrowick-data")
	cmd.Flags().StringVar(&files, "files", "", "only write the demo's files into this folder")
	cmd.Flags().Uint64Var(&seed, "seed", 0, "another demo of the same kind")
	return cmd
}

// runDemo fills the demo, and prints where its report is and how its people enter.
func runDemo(ctx context.Context, out io.Writer, address string, v *service.Service, scenario *demo.Scenario) error {
	enter := func(p demo.Person) (string, error) {
		link, err := v.EntryLink(ctx, view.NewPerson{Name: p.Name, FullName: p.FullName, Role: view.Role(p.Role)})
		if err != nil {
			return "", broken("%w", err)
		}
		return link, nil
	}
	var people []*client.Client
	for _, p := range demo.People {
		link, err := enter(p)
		if err != nil {
			return err
		}
		c := client.New(address, "")
		if _, err := c.Enter(ctx, link, view.Welcome{}); err != nil {
			return fromService(err)
		}
		people = append(people, c)
	}
	run, err := fillDemo(ctx, people, scenario)
	if err != nil {
		return err
	}
	for _, c := range people {
		if err := c.SignOut(ctx); err != nil {
			return fromService(err)
		}
	}
	fmt.Fprintf(out, "%s\n\n", run.Summary.Verdict)
	for _, p := range demo.People {
		link, err := enter(p)
		if err != nil {
			return err
		}
		fmt.Fprintf(out, "Enter once as %-11s %-9s %s%s?then=/reports/%d\n", p.FullName+",", p.Role+":", address, link, run.ID)
	}
	fmt.Fprintf(out, "\nTwin Sieve listens on %s\nThe report is at       %s/reports/%d\nInterrupt with Ctrl-C; the data stays, and the next demo goes on with it.\n", address, address, run.ID)
	return nil
}

// fillDemo loads the demo's record sets and runs its sieves, where that has not been done yet. It returns the run to look at.
func fillDemo(ctx context.Context, people []*client.Client, scenario *demo.Scenario) (run view.Run, err error) {
	c := people[0]
	runs, err := c.Runs(ctx, "", 100)
	if err != nil {
		return run, fromService(err)
	}
	if len(runs.Runs) == 0 {
		load := func(name, file string, text []byte) error {
			job, err := c.LoadFile(ctx, name, file, bytes.NewReader(text), view.Recipe{})
			if err == nil {
				_, err = c.Wait(ctx, job, nil)
			}
			return fromService(err)
		}
		err := errors.Join(load(demo.ServiceLog, demo.ServiceLogFile, scenario.ServiceLog), load(demo.Invoices, demo.InvoicesFile, scenario.Invoices),
			load(demo.Receipts, demo.ReceiptsFile, scenario.Receipts), load(demo.Deposits, demo.DepositsFile, scenario.Deposits),
			load(demo.Statement, demo.StatementFile, scenario.Statement))
		if err != nil {
			return run, err
		}
		for _, text := range [][]byte{demo.Payments, demo.Billing} {
			if err := defineAndRun(ctx, c, text); err != nil {
				return run, err
			}
		}
		// The month comes again, corrected, and then with the next month in it; in between, people work on what was found.
		for n, round := range scenario.Later {
			if err := workInDemo(ctx, people, n); err != nil {
				return run, fromService(err)
			}
			if err := errors.Join(load(demo.ServiceLog, demo.ServiceLogFile, round.ServiceLog), load(demo.Invoices, demo.InvoicesFile, round.Invoices)); err != nil {
				return run, err
			}
			if err := runAgain(ctx, c, "Berth billing"); err != nil {
				return run, err
			}
		}
		if err := workInDemo(ctx, people, len(scenario.Later)); err != nil {
			return run, fromService(err)
		}
		// A chain of three sets: the invoices that have a service in the log become a record set, which is held against the bank's
		// receipts.
		logged := view.ResultRef{Sieve: "Berth billing", Look: view.Look{Comparison: string(comparison.RightSemi)}}
		job, err := c.Load(ctx, demo.Logged, view.Recipe{Source: view.SourceRef{Place: view.Place{Result: &logged}}})
		if err == nil {
			_, err = c.Wait(ctx, job, nil)
		}
		if err != nil {
			return run, fromService(err)
		}
		if err := errors.Join(defineAndRun(ctx, c, demo.Settled), defineAndRun(ctx, c, demo.Agents)); err != nil {
			return run, err
		}
		// The agents' next month has nothing of the month before: what is open of that is carried into it.
		next := scenario.NextDeposits
		if err := errors.Join(load(demo.Deposits, demo.DepositsFile, next.Deposits), load(demo.Statement, demo.StatementFile, next.Statement)); err != nil {
			return run, err
		}
		if err := runAgain(ctx, c, "Agents' deposits"); err != nil {
			return run, err
		}
		if runs, err = c.Runs(ctx, "", 100); err != nil {
			return run, fromService(err)
		}
	}
	run = runs.Runs[0]
	for _, r := range runs.Runs {
		if r.Sieve == "Berth billing" {
			run = r
			break
		}
	}
	return run, nil
}

func defineAndRun(ctx context.Context, c *client.Client, text []byte) error {
	d, err := sievefile.Read(text)
	if err != nil {
		return err
	}
	if _, err := c.CreateSieve(ctx, d); err != nil {
		return fromService(err)
	}
	return runAgain(ctx, c, d.Name)
}

func runAgain(ctx context.Context, c *client.Client, sieve string) error {
	job, err := c.Run(ctx, sieve)
	if err == nil {
		_, err = c.Wait(ctx, job, nil)
	}
	return fromService(err)
}

// workInDemo does in the newest billing report what its people do there after a round: take some exceptions on, explain small ones, settle
// others, and speak about one.
func workInDemo(ctx context.Context, people []*client.Client, round int) error {
	c := people[0]
	runs, err := c.Runs(ctx, "", 1)
	if err != nil {
		return err
	}
	run := runs.Runs[0].ID
	do := func(q client.Query, status, owner, reason string) error {
		page, err := c.Entries(ctx, run, q)
		if err != nil || len(page.Entries) == 0 {
			return err
		}
		change := view.BulkChange{Seen: page.Seen}
		for _, e := range page.Entries {
			change.Entries = append(change.Entries, e.ID)
		}
		change.Count = int64(len(change.Entries))
		change.Status = &status
		if owner != "" {
			change.Owner = &owner
		}
		if reason != "" {
			change.Reason = &reason
		}
		_, err = c.ChangeEntries(ctx, run, q, change)
		return err
	}
	tam, ines := demo.People[1].Name, demo.People[0].Name
	if err := errors.Join(
		do(client.Query{Tray: "differing", AtMost: "1", Limit: 100}, "explained", tam, "rounding"),
		do(client.Query{Tray: "surplus", Status: []string{"open"}, Limit: 3}, "in-progress", tam, "billed twice"),
		do(client.Query{Tray: "missing", Status: []string{"open"}, Sort: "amount", Desc: true, Limit: 4}, "in-progress", ines, ""),
		do(client.Query{Tray: "unkeyed", Status: []string{"open"}, Limit: 2}, "explained", ines, "keying mistake"),
	); err != nil {
		return err
	}
	page, err := c.Entries(ctx, run, client.Query{Tray: "differing", Search: "tug", Status: []string{"open"}, Sort: "amount", Desc: true, Limit: 1})
	if err != nil || len(page.Entries) == 0 || round > 0 && page.Entries[0].Work.Comments > 0 {
		return err
	}
	for n, text := range demo.Conversation {
		if _, err := people[n%2].Comment(ctx, run, page.Entries[0].ID, text); err != nil {
			return err
		}
	}
	return nil
}
