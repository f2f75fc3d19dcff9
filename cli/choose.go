package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/core/exact"
)

// What exceptions can be chosen and sorted by.
var (
	changes  = []string{"new", "still-open", "changed", "returned", "cleared", "absent"}
	statuses = []string{"open", "in-progress", "explained", "settled"}
	trays    = []string{"differing", "missing", "orphaned", "surplus", "unkeyed", "reject", "matched", "excluded"}
	sorts    = []string{"place", "key", "amount", "tray", "status", "owner", "age"}
)

// checkTrays refuses names of which one is not a tray's.
func checkTrays(text string) error {
	for _, name := range strings.Split(text, ",") {
		if err := checkWord(name, trays); err != nil {
			return err
		}
	}
	return nil
}

// checkSize refuses what is not an amount without its sign.
func checkSize(text string) error {
	if plain, ok := exact.Plain(nil, []byte(text)); !ok || plain[0] == '-' {
		return fmt.Errorf("takes an amount of zero or more such as 1200.50, not %q", text)
	}
	return nil
}

// chooseFlags are the options by which the exceptions of a report are chosen.
func chooseFlags(cmd *cobra.Command, q *client.Query) {
	f := cmd.Flags()
	f.Var(&checkedText{&q.Tray, "tray", checkTrays}, "tray", "only the entries of this `tray`, or of several with commas between them (default: all exceptions)")
	f.StringVar(&q.Search, "search", "", "only the entries that hold each of these words in some cell")
	someOfVar(f, &q.Change, "change", changes, "only exceptions with this change since the previous run: "+strings.Join(changes, ", "))
	someOfVar(f, &q.Status, "status", statuses, "only exceptions of this status: "+strings.Join(statuses, ", "))
	f.StringVar(&q.Owner, "owner", "", "only exceptions of this person; me, or nobody")
	f.StringVar(&q.Reason, "reason", "", "only exceptions with this reason; or none")
	f.StringVar(&q.Differs, "differs", "", "only pairs that do not agree in this compared field, named by its left column")
	f.StringVar(&q.In, "in", "", "only exceptions whose amount is in this currency; none: in no one currency")
	f.Var(&checkedText{&q.AtLeast, "amount", checkSize}, "at-least", "only exceptions whose `amount` is at least so large, whatever its sign")
	f.Var(&checkedText{&q.AtMost, "amount", checkSize}, "at-most", "only exceptions whose `amount` is at most so large, whatever its sign")
}

// orderFlags are the options of the order of what was chosen.
func orderFlags(cmd *cobra.Command, q *client.Query) {
	oneOfVar(cmd.Flags(), &q.Sort, "sort", "", sorts, "sort by "+strings.Join(sorts, ", ")+" (default place)")
	cmd.Flags().BoolVar(&q.Desc, "desc", false, "the greatest first")
}

// narrowed reports whether anything is chosen of a report, but for its page.
func narrowed(q *client.Query) bool {
	return q.Tray != "" || q.Search != "" || len(q.Change) > 0 || len(q.Status) > 0 || q.Owner != "" || q.Reason != "" || q.Differs != "" || q.AtLeast != "" || q.AtMost != "" || q.In != "" || q.Sort != "" || q.Desc
}
