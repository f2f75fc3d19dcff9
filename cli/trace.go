package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newTrace(root *rootFlags) *cobra.Command {
	var run, record string
	cmd := &cobra.Command{
		Use:   "trace SIEVE [KEY PART]...",
		Short: "Say why a record is where it is",
		Long: `Say why a record is where it is: where it came from, what each reading made of its key, which filter it met, who else
carries the key, its tray and the rule that decided, and the nearest keys on the other side.

Records that have each of the key parts given are traced, in whatever way either side writes them.`,
		Example: `  twinsieve trace "Berth billing" MW-4417
  twinsieve trace "Berth billing" mw-4417 2031-03-05 PIL
  twinsieve trace "Berth billing" --record left-17`,
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			if run == "" {
				if len(args) == 0 {
					return wrongRequest("say which sieve's newest run is meant, or which run with --run")
				}
				run, args = args[0], args[1:]
			}
			if (len(args) == 0) == (record == "") {
				return wrongRequest("say what is to be traced: the parts of a key, or a record with --record left-17")
			}
			head, err := findRun(cmd, c, run)
			if err != nil {
				return err
			}
			var traces view.Traces
			if record != "" {
				traces, err = c.TraceRecord(cmd.Context(), head.ID, record)
			} else {
				traces, err = c.Trace(cmd.Context(), head.ID, args)
			}
			if err != nil {
				return fromService(err)
			}
			return printTraces(newPrinter(cmd, root.output), &head, &traces)
		},
	}
	cmd.Flags().StringVar(&run, "run", "", "the run: the number of its report, or a sieve for its newest")
	cmd.Flags().StringVar(&record, "record", "", "one record, by its side and number: left-17")
	return cmd
}

func printTraces(p *printer, head *view.Run, t *view.Traces) error {
	if p.form != "table" {
		var rows [][]string
		for _, w := range t.Ways {
			rows = append(rows, []string{w.Side, fmt.Sprint(w.Number), w.Tray, strings.Join(w.Text, "\n")})
		}
		return p.rows([]string{"side", "record", "tray", "trace"}, rows, t)
	}
	if len(t.Ways) == 0 {
		fmt.Fprintf(p.out, "No record of %s or %s has %s in its key.\n", head.Sides[0].Set, head.Sides[1].Set, strings.Join(t.Asked, " and "))
		return &failure{status: exitExceptions}
	}
	for i, w := range t.Ways {
		if i > 0 {
			fmt.Fprintln(p.out)
		}
		for n, line := range w.Text {
			if line = oneLine(line); n == 0 {
				line = p.bold(line)
			}
			fmt.Fprintln(p.out, line)
		}
	}
	if all := t.Found[0] + t.Found[1]; all > int64(len(t.Ways)) {
		fmt.Fprintf(p.out, "\n%d of %s; give more parts of the key to see others\n", len(t.Ways), summary.Number(all)+" records")
	}
	return nil
}
