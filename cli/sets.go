package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"

	"github.com/spf13/cobra"

	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newLoad(root *rootFlags) *cobra.Command {
	var as, delimiter string
	cmd := &cobra.Command{
		Use:   "load FILE",
		Short: "Load a file as the newest snapshot of a record set",
		Example: `  twinsieve load service-log.csv
  twinsieve load march.csv --as invoices --delimiter ";"
  zcat log.csv.gz | twinsieve load - --as service-log`,
		Args: exactArgs(1, "one file, or - for standard input"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			source, file := filepath.Base(args[0]), io.Reader(cmd.InOrStdin())
			if args[0] == "-" {
				if source = "standard input"; as == "" {
					return wrongRequest("standard input has no name; name the record set with --as")
				}
			} else {
				f, err := os.Open(args[0])
				if err != nil {
					return broken("the file cannot be read: %s", err)
				}
				defer f.Close()
				file = f
			}
			if as == "" {
				as = setName(args[0])
			}
			if delimiter == `\t` {
				delimiter = "\t"
			}
			c := root.client()
			job, err := c.Load(cmd.Context(), as, source, delimiter, file)
			result, err := wait(cmd, c, job, err)
			if err != nil {
				return err
			}
			return printSets(newPrinter(cmd, root.output), []view.Set{*result.Set}, result.Set)
		},
	}
	cmd.Flags().StringVar(&as, "as", "", "name of the record set (default: the file's name without its ending)")
	cmd.Flags().StringVar(&delimiter, "delimiter", "", "the delimiter (found where not stated; \\t for a tab)")
	return cmd
}

func newSets(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:     "sets",
		Short:   "List the record sets",
		Example: `  twinsieve sets --output json`,
		Args:    exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			list, err := root.client().Sets(cmd.Context())
			if err != nil {
				return fromService(err)
			}
			if len(list.Sets) == 0 && root.output == "table" {
				fmt.Fprintln(cmd.OutOrStdout(), "There are no record sets yet; load one with: twinsieve load FILE")
				return nil
			}
			return printSets(newPrinter(cmd, root.output), list.Sets, list)
		},
	}
}

func printSets(p *printer, sets []view.Set, value any) error {
	var rows [][]string
	for _, s := range sets {
		n := s.Snapshot
		rows = append(rows, []string{s.Name, strconv.Itoa(n.Number), p.count(n.Records), p.count(n.Rejects), strconv.Itoa(len(n.Columns)),
			n.Source, n.Created.Local().Format("2006-01-02 15:04"), n.Hash[:12]})
	}
	return p.rows([]string{"record set", "snapshot", "records", "rejects", "columns", "source", "loaded", "content"}, rows, value, 1, 2, 3, 4)
}

// count writes a number for people with its thousands apart, for programs plain.
func (p *printer) count(n int64) string {
	if p.form == "table" {
		return summary.Number(n)
	}
	return strconv.FormatInt(n, 10)
}

func newRecords(root *rootFlags) *cobra.Command {
	var limit int
	var after string
	var rejects bool
	cmd := &cobra.Command{
		Use:               "records SET",
		Short:             "Show records of a record set, or the lines that were rejected",
		Example:           "  twinsieve records service-log --limit 10\n  twinsieve records service-log --rejects",
		Args:              exactArgs(1, "the name of a record set"),
		ValidArgsFunction: root.completeSets,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			p, c := newPrinter(cmd, root.output), root.client()
			if rejects {
				page, err := c.Rejects(cmd.Context(), args[0], after, limit)
				if err != nil {
					return fromService(err)
				}
				var rows [][]string
				for _, r := range page.Rejects {
					rows = append(rows, []string{strconv.FormatInt(r.Line, 10), r.Reason, r.Text})
				}
				if err := p.rows([]string{"line", "reason", "text"}, rows, page, 0); err != nil {
					return err
				}
				p.more(page.Next)
				return nil
			}
			page, err := c.Records(cmd.Context(), args[0], after, limit)
			if err != nil {
				return fromService(err)
			}
			var rows [][]string
			for _, r := range page.Records {
				rows = append(rows, append([]string{strconv.FormatInt(r.Number, 10)}, cells(r.Cells)...))
			}
			if err := p.rows(append([]string{"record"}, page.Columns...), rows, page, 0); err != nil {
				return err
			}
			p.more(page.Next)
			return nil
		},
	}
	cmd.Flags().IntVar(&limit, "limit", 20, "how many")
	cmd.Flags().StringVar(&after, "after", "", "cursor of the next page")
	cmd.Flags().BoolVar(&rejects, "rejects", false, "show the rejected lines")
	return cmd
}

func cells(list []*string) (texts []string) {
	for _, c := range list {
		if c == nil {
			texts = append(texts, "")
		} else {
			texts = append(texts, *c)
		}
	}
	return texts
}

// more tells people how to go on.
func (p *printer) more(next string) {
	if p.form == "table" && next != "" {
		fmt.Fprintf(p.out, "there is more: --after %s\n", next)
	}
}
