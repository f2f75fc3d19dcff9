// Package cli is the command line: Cobra commands that speak to a running service through the client, and sift, which
// does the whole job in the process itself.
//
// Results go to standard output, progress and messages to standard error. The exit status is 0 when there are no
// exceptions, 1 when there are, 2 when the request was wrong, and 3 when the service or a file failed.
package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
)

type rootFlags struct {
	output string
	server string
}

// Run runs the command line with its arguments and returns the exit status.
func Run(ctx context.Context, args []string) int {
	root := newRoot()
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return exitClean
	}
	var f *failure
	if !errors.As(err, &f) {
		errors.As(explainCommand(err), &f) // what Cobra itself finds wrong is the request
	}
	if f.err != nil {
		if errors.Is(err, context.Canceled) {
			fmt.Fprintln(os.Stderr, "twinsieve: interrupted")
			return exitFailure
		}
		fmt.Fprintf(os.Stderr, "twinsieve: %s\n", harmless(strings.TrimSuffix(f.err.Error(), ".")))
	}
	return f.status
}

func newRoot() *cobra.Command {
	flags := &rootFlags{}
	root := &cobra.Command{
		Use:           "twinsieve",
		Short:         "Compare two record sets and give every record of both a place",
		SilenceErrors: true,
		SilenceUsage:  true,
	}
	root.PersistentFlags().StringVarP(&flags.output, "output", "o", "table", "table, json, ndjson or csv")
	root.PersistentFlags().StringVar(&flags.server, "server", "", "address of the service (default: TWINSIEVE_SERVER, or 127.0.0.1:8646)")
	root.SetFlagErrorFunc(explainOption)
	root.AddCommand(newServe(), newDemo(), newConnect(flags), newConnections(flags), newDisconnect(flags), newLoad(flags), newReload(flags), newCompute(flags), newSets(flags), newProfile(flags), newRecords(flags), newAdvise(flags), newDefine(flags), newCounts(flags), newRun(flags), newView(flags), newStack(flags), newChain(flags),
		newReport(flags), newDiagnose(flags), newTrace(flags), newNear(flags), newPair(flags), newCrosswalk(flags), newExport(flags), newSift(flags),
		newTriage(flags), newExceptions(flags), newTrend(flags), newSignoff(flags), newShare(flags), newWebhooks(flags), newSchedule(flags), newRetention(flags), newSignin(flags), newSignout(flags), newPeople(flags), newTokens(flags), newHistory(flags), newVerify(flags))
	return root
}

// exactArgs asks for n arguments, and says which.
func exactArgs(n int, which string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) != n {
			return wrongRequest("%s takes %s; %d given. See %s --help", cmd.Name(), which, len(args), cmd.CommandPath())
		}
		return nil
	}
}
