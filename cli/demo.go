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
			return s.run(cmd.Context(), cmd.ErrOrStderr(), func(address string) error {
				return fillDemo(cmd.Context(), cmd.OutOrStdout(), address, scenario)
			})
		},
	}
	s.flags(cmd, "marrowick-data")
	cmd.Flags().StringVar(&files, "files", "", "only write the demo's files into this folder")
	cmd.Flags().Uint64Var(&seed, "seed", 0, "another demo of the same kind")
	return cmd
}

// fillDemo loads the demo's record sets and runs its sieves, where that has not been done yet.
func fillDemo(ctx context.Context, out io.Writer, address string, scenario *demo.Scenario) error {
	c := client.New(address)
	runs, err := c.Runs(ctx, "", 100)
	if err != nil {
		return fromService(err)
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
				return fromService(err)
			}
		}
		for _, text := range [][]byte{demo.Payments, demo.Billing} {
			if err := runDemo(ctx, c, text); err != nil {
				return err
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
			return fromService(err)
		}
		if err := runDemo(ctx, c, demo.Settled); err != nil {
			return err
		}
		if runs, err = c.Runs(ctx, "", 100); err != nil {
			return fromService(err)
		}
	}
	run := runs.Runs[0]
	for _, r := range runs.Runs {
		if r.Sieve == "Berth billing" {
			run = r
			break
		}
	}
	fmt.Fprintf(out, "%s\n\nTwin Sieve listens on %s\nThe report is at       %s/reports/%d\nInterrupt with Ctrl-C; the data stays, and the next demo goes on with it.\n", run.Summary.Verdict, address, address, run.ID)
	return nil
}

func runDemo(ctx context.Context, c *client.Client, text []byte) error {
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
