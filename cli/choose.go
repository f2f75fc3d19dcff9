package cli

import (
	"github.com/spf13/cobra"

	"twinsieve/client"
)

// chooseFlags are the options by which the exceptions of a report are chosen.
func chooseFlags(cmd *cobra.Command, q *client.Query) {
	f := cmd.Flags()
	f.StringVar(&q.Tray, "tray", "", "only the entries of this tray, or of several with commas between (default: all exceptions)")
	f.StringVar(&q.Search, "search", "", "only the entries that hold each of these words in some cell")
	f.StringSliceVar(&q.Change, "change", nil, "only what has become this since the run before: new, still-open, changed, returned, cleared, absent")
	f.StringSliceVar(&q.Status, "status", nil, "only exceptions of this status: open, in-progress, explained, settled")
	f.StringVar(&q.Owner, "owner", "", "only exceptions of this person; me, or nobody")
	f.StringVar(&q.Reason, "reason", "", "only exceptions with this reason; or none")
	f.StringVar(&q.Differs, "differs", "", "only pairs that do not agree in this compared field, named by its left column")
	f.StringVar(&q.In, "in", "", "only exceptions whose amount is in this currency; none: in no one currency")
	f.StringVar(&q.AtLeast, "at-least", "", "only exceptions whose amount is at least so large, whatever its sign")
	f.StringVar(&q.AtMost, "at-most", "", "only exceptions whose amount is at most so large, whatever its sign")
}

// orderFlags are the options of the order of what was chosen.
func orderFlags(cmd *cobra.Command, q *client.Query) {
	cmd.Flags().StringVar(&q.Sort, "sort", "", "by place, key, amount, tray, status, owner or age (default: place)")
	cmd.Flags().BoolVar(&q.Desc, "desc", false, "the greatest first")
}

// narrowed reports whether anything is chosen of a report, but for its page.
func narrowed(q *client.Query) bool {
	return q.Tray != "" || q.Search != "" || len(q.Change) > 0 || len(q.Status) > 0 || q.Owner != "" || q.Reason != "" || q.Differs != "" || q.AtLeast != "" || q.AtMost != "" || q.In != "" || q.Sort != "" || q.Desc
}
