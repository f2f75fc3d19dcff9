package cli

import (
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"twinsieve/service/view"
)

func newRetention(root *rootFlags) *cobra.Command {
	var r view.Retention
	var remove bool
	cmd := &cobra.Command{
		Use:   "retention",
		Short: "List the runs and snapshots that nothing refers to and a rule lets go; --remove removes them",
		Long: `List the runs and snapshots that nothing refers to and a rule lets go; --remove removes them.

The newest of each sieve and record set stay in any case, and so do exceptions, what people have done about them, and reports that are
submitted or signed.`,
		Example: `  twinsieve retention --newest 12
  twinsieve retention --days 400 --remove`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			gone, err := c.Removable(cmd.Context(), r)
			if err == nil && remove {
				gone, err = c.Remove(cmd.Context(), view.Removal{Retention: r, List: gone.List})
			}
			if err != nil {
				return fromService(err)
			}
			var rows [][]string
			p := newPrinter(cmd, root.output)
			for _, run := range gone.Runs {
				rows = append(rows, []string{"run", fmt.Sprintf("%s, run %d", run.Sieve, run.Number), run.Finished.Local().Format("2006-01-02 15:04"), strconv.FormatInt(run.Bytes>>10, 10)})
			}
			for _, s := range gone.Snapshots {
				rows = append(rows, []string{"snapshot", fmt.Sprintf("%s, snapshot %d", s.Set, s.Number), s.Created.Local().Format("2006-01-02 15:04"), strconv.FormatInt(s.Bytes>>10, 10)})
			}
			if err := p.rows([]string{"what", "which", "from", "KB"}, rows, gone, 3); err != nil || p.form != "table" {
				return err
			}
			fmt.Fprintln(p.out, gone.Says)
			return nil
		},
	}
	wholeNumberVar(cmd.Flags(), &r.Newest, "newest", 0, 1, 0, "keep the newest `N` of each sieve and record set")
	wholeNumberVar(cmd.Flags(), &r.Days, "days", 0, 1, 0, "keep those of the last `N` days")
	cmd.Flags().BoolVar(&remove, "remove", false, "remove what is listed")
	return cmd
}
