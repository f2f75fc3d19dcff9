package cli

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/service/summary"
)

// entriesText counts the entries of a list, which may not have been counted.
func entriesText(n int64) string {
	if n < 0 {
		return "not counted"
	}
	return summary.Count(n, "entry")
}

func newShare(root *rootFlags) *cobra.Command {
	q := client.Query{}
	var days int
	var list bool
	var revoke uint
	cmd := &cobra.Command{
		Use:   "share [RUN | SIEVE]",
		Short: "Make a link by which others, who need not sign in, read a report; list and revoke such links",
		Example: `  twinsieve share "Berth billing" --days 14
  twinsieve share 4 --tray missing
  twinsieve share 4 --list
  twinsieve share 4 --revoke 2`,
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
			switch {
			case revoke > 0:
				return fromService(c.RevokeShare(cmd.Context(), run.ID, revoke))
			case list:
				links, err := c.Shares(cmd.Context(), run.ID)
				if err != nil {
					return fromService(err)
				}
				var rows [][]string
				for _, s := range links.Shares {
					rows = append(rows, []string{strconv.FormatUint(uint64(s.ID), 10), s.Says, s.By, s.Created.Local().Format("2006-01-02"), s.Ends.Local().Format("2006-01-02")})
				}
				return newPrinter(cmd, root.output).rows([]string{"link", "shows", "by", "made", "ends"}, rows, links, 0)
			}
			q.Limit = 1
			page, err := c.Entries(cmd.Context(), run.ID, q)
			if err != nil {
				return fromService(err)
			}
			s, err := c.Share(cmd.Context(), run.ID, q, days, page.Total)
			if err != nil {
				return fromService(err)
			}
			fmt.Fprintf(cmd.ErrOrStderr(), "Link %d shows %s (%s) until %s, and is not shown again:\n", s.ID, s.Says, entriesText(page.Total), s.Ends.Local().Format("2006-01-02"))
			if q.Narrows() {
				fmt.Fprintln(cmd.ErrOrStderr(), "It lists only these entries; above them it shows the head of the whole run: its counts, balance, definition and file names.")
			}
			s.Link = serverAddress(root.server) + s.Link
			if root.output == "table" {
				fmt.Fprintln(cmd.OutOrStdout(), s.Link)
				return nil
			}
			row := []string{strconv.FormatUint(uint64(s.ID), 10), s.Link, s.Says, s.Ends.UTC().Format(time.RFC3339)}
			return newPrinter(cmd, root.output).rows([]string{"link", "address", "shows", "ends"}, [][]string{row}, s)
		},
	}
	chooseFlags(cmd, &q)
	f := cmd.Flags()
	wholeNumberVar(f, &days, "days", 0, 1, 366, "how long the link works: 1 to 366 days (default 30)")
	f.BoolVar(&list, "list", false, "list the links that work")
	wholeNumberVar(f, &revoke, "revoke", 0, 1, 0, "revoke link `N`")
	cmd.MarkFlagsMutuallyExclusive("list", "revoke", "days")
	return cmd
}
