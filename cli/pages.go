package cli

import (
	"fmt"

	"github.com/spf13/cobra"
)

// pageMost is how many of something the service gives at a time.
const pageMost = 1000

// mostListed is the most that a command lists in one go, all of it in memory; whatever is larger is written to a file with --out.
const mostListed = 1_000_000

// paged gathers as many of something as are asked for, page by page. A page is asked for by its cursor and how many it has at most, and
// gives the cursor of the next one, empty behind the last.
func paged[T any](after string, limit int, page func(after string, most int) (items []T, next string, err error)) (all []T, next string, err error) {
	all = []T{}
	for {
		items, next, err := page(after, min(limit-len(all), pageMost))
		if err != nil {
			return nil, "", err
		}
		if all = append(all, items...); next == "" || len(all) >= limit {
			return all, next, nil
		}
		after = next
	}
}

// more tells people how to go on where there is more than what was listed. A program that reads the list is told beside it, too.
func (p *printer) more(cmd *cobra.Command, next string) {
	if next == "" {
		return
	}
	to := p.out
	if p.form != "table" {
		to = cmd.ErrOrStderr()
	}
	fmt.Fprintf(to, "there is more: --after %s\n", next)
}
