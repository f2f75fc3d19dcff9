package cli

import (
	"fmt"
	"strconv"
	"strings"

	"twinsieve/service/summary"

	"github.com/spf13/cobra"
)

func newChain(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:   "chain SIEVE",
		Short: "Show what a sieve is made from, what is made from it, and what of it is not up to date",
		Long: `Show the chain that a sieve is part of: record sets, sieves over them, record sets made of their results, and so on. A run of a
sieve brings what stands before it up to date first.`,
		Example:           `  twinsieve chain "Settled services"`,
		Args:              exactArgs(1, "the name of a sieve"),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			chain, err := root.client().Chain(cmd.Context(), args[0])
			if err != nil {
				return fromService(err)
			}
			p := newPrinter(cmd, root.output)
			var rows [][]string
			for _, n := range chain.Nodes {
				state := "up to date"
				if n.Stale != "" {
					state = "stale: " + n.Stale
				}
				if p.form != "table" {
					rows = append(rows, []string{n.Kind, n.Name, strings.Join(n.From, ", "), strconv.Itoa(n.Number), strconv.FormatInt(n.Count, 10), n.Stale})
					continue
				}
				what, number := "record set", fmt.Sprintf("snapshot %d", n.Number)
				count := summary.Count(n.Count, "record")
				if n.Kind == "sieve" {
					what, number, count = "sieve", fmt.Sprintf("run %d", n.Number), summary.Count(n.Count, "exception")
				}
				if n.Number == 0 {
					number, count = "none yet", ""
				}
				rows = append(rows, []string{strings.Repeat("  ", n.Level) + n.Name, what, strings.Join(n.From, ", "), number, count, state})
			}
			if p.form != "table" {
				return p.rows([]string{"kind", "name", "from", "number", "count", "stale"}, rows, chain)
			}
			return p.rows([]string{"", "", "made from", "newest", "", ""}, rows, chain)
		},
	}
}
