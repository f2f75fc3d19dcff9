package cli

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/core/again"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newRun(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:               "run SIEVE",
		Short:             "Run a sieve over the newest snapshots of its record sets",
		Example:           `  twinsieve run "Berth billing"`,
		Args:              exactArgs(1, "the name of a sieve"),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			job, err := c.Run(cmd.Context(), args[0])
			result, err := wait(cmd, c, job, err)
			if err != nil {
				return err
			}
			run, err := c.RunHead(cmd.Context(), result.Run)
			if err != nil {
				return fromService(err)
			}
			return printRun(newPrinter(cmd, root.output), &run, true)
		},
	}
}

// printRun prints the head of a report. With status, exceptions make the exit status 1.
func printRun(p *printer, run *view.Run, status bool) error {
	switch p.form {
	case "json":
		if err := p.json(run); err != nil {
			return err
		}
	case "table":
		fmt.Fprintf(p.out, "%s, run %d (report %d), %s\n", run.Sieve, run.Number, run.ID, run.Finished.Local().Format("2006-01-02 15:04"))
		for _, s := range run.Sides {
			fmt.Fprintf(p.out, "  %s, snapshot %d of %s, content %s\n", s.Set, s.Snapshot, s.Source, s.Hash[:12])
			if s.Carried > 0 {
				fmt.Fprintf(p.out, "    and %s carried from earlier runs\n", summary.Count(s.Carried, "open record"))
			}
			for _, h := range s.Held {
				fmt.Fprintf(p.out, "    %s\n", heldLine(&h))
			}
		}
		if run.By != "" {
			fmt.Fprintf(p.out, "  run by %s\n", run.By)
		}
		if since := run.Since; since != nil {
			var parts []string
			for _, c := range again.All {
				parts = append(parts, fmt.Sprintf("%s %s", p.count(since.Counts[c]), strings.ReplaceAll(string(c), "-", " ")))
			}
			fmt.Fprintf(p.out, "  since run %d: %s\n", since.Number, strings.Join(parts, ", "))
			if since.Retired > 0 {
				fmt.Fprintf(p.out, "  retired: %s of the absent, which the sieve's new key cannot produce\n", summary.Number(since.Retired))
			}
		}
		fmt.Fprintln(p.out)
		names := run.Definition.SideNames()
		p.summary(&run.Summary, names[0], names[1])
	default:
		var rows [][]string
		for _, t := range run.Summary.Trays {
			rows = append(rows, []string{t.Tray.String(), strconv.FormatInt(t.Records[0], 10), strconv.FormatInt(t.Records[1], 10)})
		}
		if err := p.rows([]string{"tray", "left", "right"}, rows, run); err != nil {
			return err
		}
	}
	if status && run.Summary.Exceptions > 0 {
		return &failure{status: exitExceptions}
	}
	return nil
}

// findRun finds a run by its id, or the newest run of a sieve by its name, or, for an empty text, the newest of all.
func findRun(cmd *cobra.Command, c *client.Client, text string) (view.Run, error) {
	if id, err := strconv.ParseUint(text, 10, 32); err == nil {
		run, err := c.RunHead(cmd.Context(), uint(id))
		return run, fromService(err)
	}
	after := ""
	for {
		page, err := c.Runs(cmd.Context(), after, 100)
		if err != nil {
			return view.Run{}, fromService(err)
		}
		for _, run := range page.Runs {
			if text == "" || run.Sieve == text {
				return run, nil
			}
		}
		if after = page.Next; after == "" {
			break
		}
	}
	if text == "" {
		return view.Run{}, wrongRequest("there are no runs yet; run a sieve with: twinsieve run SIEVE")
	}
	return view.Run{}, wrongRequest("there is no run of a sieve %q; twinsieve report --list lists the runs", text)
}

func newReport(root *rootFlags) *cobra.Command {
	q := client.Query{}
	var list bool
	cmd := &cobra.Command{
		Use:   "report [RUN | SIEVE]",
		Short: "Show the report of a run: its verdict, trays and balance, or the entries of a tray",
		Example: `  twinsieve report
  twinsieve report "Berth billing" --tray differing
  twinsieve report 3 --search "MW-04417"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c, p := root.client(), newPrinter(cmd, root.output)
			if list {
				return listRuns(cmd, c, p)
			}
			run, err := findRun(cmd, c, strings.Join(args, ""))
			if err != nil {
				return err
			}
			if !narrowed(&q) {
				return printRun(p, &run, true)
			}
			var page view.Entries
			all, next, err := paged(q.After, q.Limit, func(after string, most int) (_ []view.Entry, _ string, err error) {
				one := q
				one.After, one.Limit = after, most
				page, err = c.Entries(cmd.Context(), run.ID, one)
				return page.Entries, page.Next, err
			})
			if err != nil {
				return fromService(err)
			}
			page.Entries, page.Next = all, next
			if err := printEntries(p, &run, &page); err != nil {
				return err
			}
			p.more(cmd, page.Next)
			if run.Summary.Exceptions > 0 {
				return &failure{status: exitExceptions}
			}
			return nil
		},
	}
	chooseFlags(cmd, &q)
	orderFlags(cmd, &q)
	wholeNumberVar(cmd.Flags(), &q.Limit, "limit", 20, 1, mostListed, "show at most `N` entries")
	cmd.Flags().StringVar(&q.After, "after", "", "cursor of the next page")
	cmd.Flags().BoolVar(&list, "list", false, "list the runs")
	return cmd
}

func listRuns(cmd *cobra.Command, c *client.Client, p *printer) error {
	page, err := c.Runs(cmd.Context(), "", 100)
	if err != nil {
		return fromService(err)
	}
	var rows [][]string
	for _, r := range page.Runs {
		rows = append(rows, []string{strconv.FormatUint(uint64(r.ID), 10), r.Sieve, strconv.Itoa(r.Number), p.count(r.Summary.Exceptions),
			fmt.Sprintf("%s/%d", r.Sides[0].Set, r.Sides[0].Snapshot), fmt.Sprintf("%s/%d", r.Sides[1].Set, r.Sides[1].Snapshot), r.Finished.Local().Format("2006-01-02 15:04")})
	}
	return p.rows([]string{"report", "sieve", "run", "exceptions", "left", "right", "finished"}, rows, page, 0, 2, 3)
}

// printEntries prints entries with their key, the compared values of both sides, and the reason. "–" stands where there
// is no partner, "(blank)" where a value is blank.
func printEntries(p *printer, run *view.Run, page *view.Entries) error {
	headings := []string{"tray", "key"}
	plan, err := run.Definition.Compile(run.Sides[0].Columns, run.Sides[1].Columns)
	if err != nil {
		return broken("%w", err)
	}
	for _, f := range run.Definition.Compare {
		l, r := f.On()
		if l == r {
			names := [2]string{run.Sides[0].Set, run.Sides[1].Set}
			if names[0] == names[1] {
				names = [2]string{"left", "right"}
			}
			l, r = names[0]+"."+l, names[1]+"."+r
		}
		headings = append(headings, l, r)
	}
	worked := len(page.Entries) > 0 && page.Entries[0].Work != nil
	headings = append(headings, "reason")
	if worked {
		headings = append(headings, "since then", "status", "owner", "entry")
	}
	var rows [][]string
	for i := range page.Entries {
		e := &page.Entries[i]
		row := []string{e.Tray.String(), strings.Join(e.Key, " · ")}
		if p.form == "table" {
			row = []string{glyphs[e.Tray] + " " + e.Tray.String(), shownEntry(e)}
		}
		for i, f := range plan.Fields {
			v := plan.Values[f.Value]
			for s, r := range [2]*view.Record{e.Left, e.Right} {
				cell := shownCell(p, r, v.Column[s])
				if e.Group != nil && e.Fields[i].Totals != nil { // what was compared is the total of several records
					if cell = e.Fields[i].Totals[s]; p.form == "table" {
						cell = "Σ " + cell
					}
				}
				row = append(row, cell)
			}
		}
		row = append(row, e.Reason)
		if worked {
			row = append(row, e.SaysChange(), e.Status, e.Work.Owner, e.ID)
		}
		rows = append(rows, row)
	}
	if err := p.rows(headings, rows, page); err != nil {
		return err
	}
	if p.form == "table" && page.Total >= 0 {
		fmt.Fprintf(p.out, "%s of %s\n", p.count(int64(len(page.Entries))), p.count(page.Total))
	}
	return nil
}

// shownEntry names an entry for people: by its key, or a reject by its line.
func shownEntry(e *view.Entry) string {
	if e.Reject != nil {
		return fmt.Sprintf("%s line %d: %s", e.Side, e.Reject.Line, e.Reject.Text)
	}
	return shownKey(e.Key)
}

// shownKey writes a key for people. A part without text would not be seen.
func shownKey(key []string) string {
	shown := slices.Clone(key)
	for i, part := range shown {
		switch strings.TrimSpace(part) {
		case part:
			if part == "" {
				shown[i] = "(blank)"
			}
		case "": // spaces, which would not be seen
			shown[i] = strings.Repeat("␣", utf8.RuneCountInString(part))
		}
	}
	return strings.Join(shown, " · ")
}

func shownCell(p *printer, r *view.Record, column int) string {
	switch {
	case p.form != "table" && r == nil:
		return ""
	case r == nil:
		return "–"
	case r.Cells[column] == nil || *r.Cells[column] == "":
		if p.form == "table" {
			return "(blank)"
		}
		return ""
	}
	return *r.Cells[column]
}

// documents are the formats of a whole report, beside those of lists.
var documents = []string{"html", "pdf"}

func newExport(root *rootFlags) *cobra.Command {
	q := client.Query{}
	look := &lookFlags{}
	var out, format string
	var exact bool
	cmd := &cobra.Command{
		Use:   "export [RUN | SIEVE]",
		Short: "Hand over a report's entries, or the rows of a comparison, as a file",
		Example: `  twinsieve export "Berth billing" --out exceptions.xlsx
  twinsieve export 3 --tray missing > missing.csv
  twinsieve export "Berth billing" --out report.pdf
  twinsieve export "Berth billing" --comparison full --no-partner "(no partner)" --out all.xlsx`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			c := root.client()
			form, err := formatOf(format, out, exact, documents...)
			if err != nil {
				return err
			}
			if look.comparison != "" {
				if narrowed(&q) {
					return wrongRequest("--comparison hands over rows, and --tray, --search and the like choose entries of the report; leave out one of them")
				}
				if slices.Contains(documents, form.Name) {
					return wrongRequest("rows are not handed over as %s; a report is. Leave out --comparison", form.Name)
				}
				return exportRows(cmd, c, look, args, out, form)
			}
			if name := look.stray(cmd); name != "" {
				return wrongRequest("--%s is about the rows of a comparison; state which with --comparison", name)
			}
			run, err := findRun(cmd, c, strings.Join(args, ""))
			if err != nil {
				return err
			}
			return toFile(cmd, c, out, func(w io.Writer) error { return c.Export(cmd.Context(), run.ID, q, form, w) })
		},
	}
	chooseFlags(cmd, &q)
	cmd.Flags().StringVar(&out, "out", "", "the file to write, in the format of its ending (default: standard output)")
	exportFlags(cmd, &format, &exact, documents...)
	look.add(cmd, root)
	return cmd
}
