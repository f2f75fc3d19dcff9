package cli

import (
	"fmt"
	"io"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"twinsieve/service/summary"
	"twinsieve/service/view"
)

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
	var rejects, exact bool
	var out, format string
	cmd := &cobra.Command{
		Use:               "records SET",
		Short:             "Show records of a record set, or the lines that were rejected",
		Example:           "  twinsieve records service-log --limit 10\n  twinsieve records service-log --rejects --out rejects.csv\n  twinsieve records service-log --out service-log.xlsx",
		Args:              exactArgs(1, "the name of a record set"),
		ValidArgsFunction: root.completeSets,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			p, c := newPrinter(cmd, root.output), root.client()
			if out != "" {
				form, err := formatOf(format, out, exact)
				if err != nil {
					return err
				}
				export := c.ExportSet
				if rejects {
					export = c.ExportRejects
				}
				return toFile(cmd, c, out, func(w io.Writer) error { return export(cmd.Context(), args[0], form, w) })
			}
			if rejects {
				var page view.Rejects
				all, next, err := paged(after, limit, func(after string, most int) (_ []view.Reject, _ string, err error) {
					page, err = c.Rejects(cmd.Context(), args[0], after, most)
					return page.Rejects, page.Next, err
				})
				if err != nil {
					return fromService(err)
				}
				page.Rejects, page.Next = all, next
				var rows [][]string
				for _, r := range page.Rejects {
					rows = append(rows, []string{strconv.FormatInt(r.Line, 10), r.Reason, r.Text})
				}
				if err := p.rows([]string{"line", "reason", "text"}, rows, page, 0); err != nil {
					return err
				}
				p.more(cmd, page.Next)
				return nil
			}
			var page view.Records
			all, next, err := paged(after, limit, func(after string, most int) (_ []view.Record, _ string, err error) {
				page, err = c.Records(cmd.Context(), args[0], after, most)
				return page.Records, page.Next, err
			})
			if err != nil {
				return fromService(err)
			}
			page.Records, page.Next = all, next
			if err := printRecords(p, &page); err != nil {
				return err
			}
			p.more(cmd, page.Next)
			return nil
		},
	}
	wholeNumberVar(cmd.Flags(), &limit, "limit", 20, 1, mostListed, "show at most `N`")
	cmd.Flags().StringVar(&after, "after", "", "cursor of the next page")
	cmd.Flags().BoolVar(&rejects, "rejects", false, "show the rejected lines")
	cmd.Flags().StringVar(&out, "out", "", "write all records, or all rejected lines, to this file, in the format of its ending")
	exportFlags(cmd, &format, &exact)
	return cmd
}

// printRecords prints records beside their numbers. In ndjson a cell that is not there is null and an empty one a text; a table and CSV
// cannot tell these apart.
func printRecords(p *printer, page *view.Records) error {
	number := "record"
	for slices.Contains(page.Columns, number) {
		number += " number"
	}
	headings := append([]string{number}, page.Columns...)
	if p.form == "ndjson" {
		for _, r := range page.Records {
			row := []any{strconv.FormatInt(r.Number, 10)}
			for _, c := range r.Cells {
				row = append(row, c)
			}
			line, err := orderedObject(headings, row)
			if err != nil {
				return err
			}
			fmt.Fprintln(p.out, line)
		}
		return nil
	}
	var rows [][]string
	for _, r := range page.Records {
		rows = append(rows, append([]string{strconv.FormatInt(r.Number, 10)}, cells(r.Cells)...))
	}
	return p.rows(headings, rows, page, 0)
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
