package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/core/exact"
	"twinsieve/core/tray"
	"twinsieve/formats/sievefile"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newView(root *rootFlags) *cobra.Command {
	f := &lookFlags{}
	var from int64
	var limit int
	var totals bool
	var save string
	cmd := &cobra.Command{
		Use:   "view [RUN | SIEVE | FILE" + sievefile.Ending + "]",
		Short: "Look at the rows of a comparison: of a run, or of a sieve that is not saved",
		Long: `Look at the rows of a comparison. A run is named by its number; a sieve's name stands for its newest run. A sieve file, or the
options of a sieve, are compared over the newest snapshots without a run, and nothing is saved.

– stands where there is no partner, (blank) where a value is blank. With --save, the rows become a record set, which can be a
side of another sieve; a run of that one brings the whole chain up to date.`,
		Example: `  twinsieve view "Berth billing" --comparison left-anti --columns call_no,service_date,amount_due --sort "amount_due desc"
  twinsieve view "Berth billing" --comparison inner --where 'number(Amount) > number(amount_due)' --totals
  twinsieve view berth-billing.sieve.yaml --comparison full --swap
  twinsieve view "Berth billing" --comparison intersect --pair service_code=Svc --pair "amount_due=Amount: as decimal"
  twinsieve view "Berth billing" --comparison inner --columns "Invoice,call_no,amount_due as due" --save billed-services`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			a, err := f.ask(cmd, c, args)
			if err != nil {
				return err
			}
			if save != "" {
				return saveRows(cmd, c, newPrinter(cmd, root.output), a, save)
			}
			bar := newProgress(cmd.ErrOrStderr())
			rows, err := rowsOf(from, limit, func(first int64, most int) (view.Rows, error) {
				return c.Rows(cmd.Context(), a, first, most, bar.tell)
			})
			bar.done()
			if err != nil {
				return lookFailed(err)
			}
			var sums *view.Totals
			if totals {
				job, err := c.RowTotals(cmd.Context(), a)
				result, err := wait(cmd, c, job, err)
				if err != nil {
					return err
				}
				sums = result.Totals
			}
			return printRows(newPrinter(cmd, root.output), &rows, sums)
		},
	}
	f.add(cmd, root)
	wholeNumberVar(cmd.Flags(), &from, "from", 0, 0, 0, "start after the first `N` rows")
	wholeNumberVar(cmd.Flags(), &limit, "limit", 20, 1, mostListed, "show at most `N` rows")
	cmd.Flags().BoolVar(&totals, "totals", false, "add up the number columns of all rows")
	cmd.Flags().StringVar(&save, "save", "", "make a record set of this name of all rows")
	return cmd
}

// rowsOf gathers rows behind the first so many, page by page. Where a record set has been loaded again meanwhile, so that pages would be of
// two snapshots, that is said instead.
func rowsOf(from int64, limit int, page func(first int64, most int) (view.Rows, error)) (view.Rows, error) {
	rows, err := page(from, min(limit, pageMost))
	for err == nil && len(rows.Rows) < limit && from+int64(len(rows.Rows)) < rows.Total {
		var next view.Rows
		if next, err = page(from+int64(len(rows.Rows)), min(limit-len(rows.Rows), pageMost)); err != nil {
			break
		}
		if next.Snapshots != rows.Snapshots || next.Total != rows.Total || len(next.Rows) == 0 {
			return rows, wrongRequest("the rows have changed while they were read, for a record set has been loaded again; ask for them once more")
		}
		rows.Rows = append(rows.Rows, next.Rows...)
	}
	return rows, err
}

// lookFailed names the option that confirms where that is what is wanted.
func lookFailed(err error) error {
	if p, ok := err.(*view.Problem); ok && view.Multiplies.Is(p) {
		text := p.Detail
		for _, fault := range p.Faults[1:] {
			text += " Worst: " + fault.What + "."
		}
		return wrongRequest("%s State --yes to have them all the same", text)
	}
	return fromService(err)
}

// saveRows makes a record set of rows.
func saveRows(cmd *cobra.Command, c *client.Client, p *printer, a view.Ask, name string) error {
	if err := p.single(); err != nil {
		return err
	}
	if a.Run == 0 {
		return wrongRequest("a record set is made of a run's rows, so that they can be made again; save the sieve and run it first")
	}
	run, err := c.RunHead(cmd.Context(), a.Run)
	if err != nil {
		return fromService(err)
	}
	source := view.SourceRef{Place: view.Place{Result: &view.ResultRef{Sieve: run.Sieve, Run: run.ID, Look: a.Look}}}
	job, err := c.Load(cmd.Context(), name, view.Recipe{Source: source})
	result, err := wait(cmd, c, job, err)
	if err != nil {
		return err
	}
	if printed, err := p.one(result.Set); printed {
		return err
	}
	fmt.Fprintf(p.out, "%s: snapshot %d with %s, from run %d of %s\n", name, result.Set.Snapshot.Number, summary.Count(result.Set.Snapshot.Records, "record"), run.Number, run.Sieve)
	return nil
}

func printRows(p *printer, r *view.Rows, totals *view.Totals) error {
	var headings []string
	var rows [][]string
	var numeric []int
	for i, c := range r.Columns {
		name := c.Name
		if p.form == "table" && c.Side == "left" {
			name = p.paint(tray.Left, name)
		} else if p.form == "table" && c.Side == "right" {
			name = p.paint(tray.Right, name)
		}
		headings = append(headings, name)
		if c.Number {
			numeric = append(numeric, i)
		}
	}
	for i := range r.Rows {
		if p.form == "table" {
			rows = append(rows, shownRow(r, &r.Rows[i]))
		} else {
			rows = append(rows, plainRow(&r.Rows[i]))
		}
	}
	if p.form != "table" {
		return p.rows(headings, rows, struct {
			*view.Rows
			Totals *view.Totals `json:"totals,omitempty"`
		}{r, totals})
	}
	fmt.Fprintf(p.out, "%s\n", p.bold(r.Sentence))
	for _, w := range r.Warnings {
		fmt.Fprintf(p.out, "look: %s\n", w)
	}
	if text := leftOut(r.Left); text != "" {
		fmt.Fprintln(p.out, text)
	}
	fmt.Fprintln(p.out)
	if totals != nil && len(totals.Columns) > 0 {
		foot := make([]string, len(r.Columns))
		for _, t := range totals.Columns {
			for i, c := range r.Columns {
				if c.Name == t.Column {
					foot[i] = "Σ " + exact.Grouped(t.Sum, exact.Places(t.Sum))
				}
			}
		}
		rows = append(rows, foot)
	}
	p.table(headings, rows, numeric...)
	shown := "no rows"
	if n := int64(len(r.Rows)); n > 0 {
		shown = fmt.Sprintf("rows %s to %s of %s", p.count(r.First+1), p.count(r.First+n), p.count(r.Total))
	}
	fmt.Fprintln(p.out, shown)
	if next := r.First + int64(len(r.Rows)); next < r.Total && len(r.Rows) > 0 {
		fmt.Fprintf(p.out, "there is more: --from %d\n", next)
	}
	if totals != nil {
		for _, t := range totals.Columns {
			if t.Unreadable > 0 {
				fmt.Fprintf(p.out, "%s: %s unreadable and in no sum\n", t.Column, summary.Count(t.Unreadable, "value"))
			}
		}
	}
	return nil
}

// exportRows hands the rows of a comparison over.
func exportRows(cmd *cobra.Command, c *client.Client, f *lookFlags, args []string, out string, form client.Format) error {
	a, err := f.ask(cmd, c, args)
	if err != nil {
		return err
	}
	return toFile(cmd, c, out, func(w io.Writer) error { return lookFailed(c.ExportRows(cmd.Context(), a, form, w)) })
}
