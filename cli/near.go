package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newNear(root *rootFlags) *cobra.Command {
	var least float64
	var accept, refuse, reason string
	var show int
	cmd := &cobra.Command{
		Use:   "near [RUN | SIEVE]",
		Short: "Suggest records without a partner that might belong together, and accept or refuse that they do",
		Long: `Suggest records without a partner that might belong together, each with a score and its reasons; the best come first.

Accepted pairs go into the sieve's crosswalk: from the next run on their keys are the same. Refused ones are not suggested
again. Either is taken back with twinsieve crosswalk --take-back.`,
		Example: `  twinsieve near "Berth billing"
  twinsieve near "Berth billing" --accept 1-3,5 --reason "the pilot's handwriting"
  twinsieve near "Berth billing" --least 0.9 --accept all
  twinsieve near "Berth billing" --refuse 4`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			if accept != "" && refuse != "" {
				return wrongRequest("--accept and --refuse are two decisions; give one of them at a time")
			}
			c := root.client()
			run, err := findRun(cmd, c, strings.Join(args, ""))
			if err != nil {
				return err
			}
			job, err := c.Near(cmd.Context(), run.ID, least)
			result, err := wait(cmd, c, job, err)
			if err != nil {
				return err
			}
			p := newPrinter(cmd, root.output)
			if accept+refuse != "" {
				return decideNear(cmd, c, p, &run, result.Near, accept+refuse, accept != "", reason)
			}
			return printNear(p, &run, result.Near, show)
		},
	}
	cmd.Flags().Float64Var(&least, "least", 0, "the least score of a suggestion, from 0 to 1 (default 0.75)")
	cmd.Flags().StringVar(&accept, "accept", "", "accept these suggestions, by their numbers: 1-3,5 or all")
	cmd.Flags().StringVar(&refuse, "refuse", "", "refuse these suggestions: 4 or all")
	cmd.Flags().StringVar(&reason, "reason", "", "why, for who looks at it later")
	wholeNumberVar(cmd.Flags(), &show, "show", 20, 0, 1000, "show at most `N` suggestions")
	return cmd
}

func printNear(p *printer, run *view.Run, n *view.Near, show int) error {
	pairs := n.Pairs
	if p.form == "table" {
		pairs = pairs[:min(show, len(pairs))]
	}
	var rows [][]string
	for i, s := range pairs {
		hand := ""
		if !s.Keyed {
			hand = "; by hand"
		}
		rows = append(rows, []string{strconv.Itoa(i + 1), fmt.Sprintf("%.2f", s.Score), strconv.FormatInt(s.Left.Number, 10), shownKey(s.Keys.Left), strconv.FormatInt(s.Right.Number, 10), shownKey(s.Keys.Right), strings.Join(s.Reasons, ", ") + hand})
	}
	if err := p.rows([]string{"#", "score", "left", "key", "right", "key", "why"}, rows, n, 0, 1, 2, 4); err != nil || p.form != "table" {
		return err
	}
	fmt.Fprintf(p.out, "%s of %s among %s and %s records without a partner\n", summary.Number(int64(len(pairs))), summary.Count(n.Found, "suggestion"), summary.Number(n.Records[0]), summary.Number(n.Records[1]))
	if len(pairs) > 0 {
		fmt.Fprintf(p.out, "accept them with --accept 1,2 or --accept all; what says by hand has a key without a value, and is paired with: twinsieve pair %q --left N --right N\n", run.Sieve)
	}
	return nil
}

// chosen reads numbers such as 1-3,5 or all, of so many.
func chosen(text string, all int) (list []int, err error) {
	if text == "all" {
		for i := range all {
			list = append(list, i)
		}
		return list, nil
	}
	for _, part := range strings.Split(text, ",") {
		from, to, ranged := strings.Cut(strings.TrimSpace(part), "-")
		if !ranged {
			to = from
		}
		first, err1 := strconv.Atoi(from)
		last, err2 := strconv.Atoi(to)
		if err1 != nil || err2 != nil || first < 1 || last < first || last > all {
			return nil, wrongRequest("%q names no suggestions; there are 1 to %d, written as 1-3,5 or all", part, all)
		}
		for n := first; n <= last; n++ {
			list = append(list, n-1)
		}
	}
	slices.Sort(list)
	return slices.Compact(list), nil
}

func decideNear(cmd *cobra.Command, c *client.Client, p *printer, run *view.Run, n *view.Near, which string, accept bool, reason string) error {
	list, err := chosen(which, len(n.Pairs))
	if err != nil {
		return err
	}
	d := view.Decision{Accept: accept, Reason: reason, Source: "near"}
	left := 0
	for _, i := range list {
		if s := n.Pairs[i]; s.Keyed || !accept {
			d.Pairs = append(d.Pairs, s.Keys)
		} else {
			left++
		}
	}
	if len(d.Pairs) == 0 {
		return wrongRequest("none of these has a key on both sides; pair their records by hand: twinsieve pair %q --left N --right N", run.Sieve)
	}
	crosswalk, err := c.Decide(cmd.Context(), run.Sieve, d)
	if err != nil {
		return fromService(err)
	}
	if p.form != "table" {
		return p.json(crosswalk)
	}
	fmt.Fprintf(p.out, "%s %s; the crosswalk of %s is at version %d\n", summary.Count(int64(len(d.Pairs)), "suggestion"), map[bool]string{true: "accepted", false: "refused"}[accept], run.Sieve, crosswalk.Version)
	if left > 0 {
		fmt.Fprintf(p.out, "%s left out, for a key without a value cannot be the same as another; pair those records by hand\n", summary.Count(int64(left), "suggestion"))
	}
	if accept {
		fmt.Fprintf(p.out, "they pair from the next run on: twinsieve run %q\n", run.Sieve)
	}
	return nil
}
