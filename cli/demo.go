package cli

import (
	"bytes"
	"context"
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
	c := client.New(address, "")
	link, err := enter(demo.People[0])
	if err != nil {
		return err
	}
	if _, err := c.Enter(ctx, link, view.Welcome{}); err != nil {
		return fromService(err)
	}
	run, err := fillDemo(ctx, c, scenario)
	if err != nil {
		return err
	}
	if err := c.SignOut(ctx); err != nil {
		return fromService(err)
	}
	fmt.Fprintf(out, "%s\n\n", run.Summary.Verdict)
	for _, p := range demo.People {
		if link, err = enter(p); err != nil {
			return err
		}
		fmt.Fprintf(out, "Enter once as %-11s %-9s %s%s?then=/reports/%d\n", p.FullName+",", p.Role+":", address, link, run.ID)
	}
	fmt.Fprintf(out, "\nTwin Sieve listens on %s\nThe report is at       %s/reports/%d\nInterrupt with Ctrl-C; the data stays, and the next demo goes on with it.\n", address, address, run.ID)
	return nil
}

// fillDemo loads the demo's record sets and runs its sieves, where that has not been done yet. It returns the run to look at.
func fillDemo(ctx context.Context, c *client.Client, scenario *demo.Scenario) (run view.Run, err error) {
	runs, err := c.Runs(ctx, "", 100)
	if err != nil {
		return run, fromService(err)
	}
	if len(runs.Runs) == 0 {
		for _, set := range []struct {
			name, file string
			text       []byte
		}{{demo.ServiceLog, demo.ServiceLogFile, scenario.ServiceLog}, {demo.Invoices, demo.InvoicesFile, scenario.Invoices}, {demo.Receipts, demo.ReceiptsFile, scenario.Receipts}} {
			job, err := c.LoadFile(ctx, set.name, set.file, bytes.NewReader(set.text), view.Recipe{})
			if err == nil {
				_, err = c.Wait(ctx, job, nil)
			}
			if err != nil {
				return run, fromService(err)
			}
		}
		for _, text := range [][]byte{demo.Payments, demo.Billing} {
			if err := defineAndRun(ctx, c, text); err != nil {
				return run, err
			}
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
		if err := defineAndRun(ctx, c, demo.Settled); err != nil {
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
	job, err := c.Run(ctx, d.Name)
	if err == nil {
		_, err = c.Wait(ctx, job, nil)
	}
	return fromService(err)
}
