package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newPair(root *rootFlags) *cobra.Command {
	var pair view.HandPair
	var take bool
	cmd := &cobra.Command{
		Use:   "pair [RUN | SIEVE]",
		Short: "Pair records by hand, whatever their keys: also several with several",
		Long: `Pair records by hand, whatever their keys: also several with several, as three invoices that one payment settles.

What they would be is shown: the sums of both sides and their difference. With --accept it is so from the next run on, for as
long as records of this content are there and have no other partner; comparisons go on to follow keys.`,
		Example: `  twinsieve pair "Invoice payments" --left 17,203,204 --right 12
  twinsieve pair "Invoice payments" --left 17,203,204 --right 12 --accept --reason "one transfer for three invoices"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			run, err := findRun(cmd, c, strings.Join(args, ""))
			if err != nil {
				return err
			}
			tried, err := c.TryPair(cmd.Context(), run.ID, pair)
			if err != nil {
				return fromService(err)
			}
			p := newPrinter(cmd, root.output)
			if !take {
				return printTriedPair(p, &run, &tried)
			}
			crosswalk, err := c.PairByHand(cmd.Context(), run.ID, pair)
			if err != nil {
				return fromService(err)
			}
			if p.form != "table" {
				return p.json(crosswalk)
			}
			fmt.Fprintf(p.out, "paired by hand; the crosswalk of %s is at version %d, and the next run uses it: twinsieve run %q\n", run.Sieve, crosswalk.Version, run.Sieve)
			return nil
		},
	}
	cmd.Flags().Int64SliceVar(&pair.Left, "left", nil, "numbers of left records")
	cmd.Flags().Int64SliceVar(&pair.Right, "right", nil, "numbers of right records")
	cmd.Flags().BoolVar(&take, "accept", false, "accept that they belong together")
	cmd.Flags().StringVar(&pair.Reason, "reason", "", "why, for who looks at it later")
	return cmd
}

func printTriedPair(p *printer, run *view.Run, t *view.TriedPair) error {
	if p.form == "json" {
		return p.json(t)
	}
	var rows [][]string
	for _, s := range t.Sums {
		rows = append(rows, []string{s.Name, s.Left, s.Right, s.Difference})
	}
	if len(rows) == 0 && p.form == "table" {
		fmt.Fprintln(p.out, "the sieve names no amounts, so nothing is added up; name some under amounts, or compare a field as decimal")
	} else if err := p.rows([]string{"sum", run.Sides[0].Set, run.Sides[1].Set, "difference"}, rows, t, 1, 2, 3); err != nil || p.form != "table" {
		return err
	}
	verdict := "every compared field agrees: they would be matched"
	if !t.Matched {
		var differ []string
		for _, o := range t.Outcomes {
			if !o.Agrees {
				differ = append(differ, run.Sides[0].Columns[o.Left])
			}
		}
		verdict = "they would be differing, in " + strings.Join(differ, ", ")
	}
	fmt.Fprintf(p.out, "%s and %s; %s\naccept with --accept\n", summary.Count(int64(len(t.Left)), "left record"), summary.Count(int64(len(t.Right)), "right record"), verdict)
	return nil
}
