package cli

import (
	"errors"
	"fmt"
	"reflect"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/core/comparison"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/sievefile"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newCounts(root *rootFlags) *cobra.Command {
	f := &sieveFlags{}
	var swap bool
	var align string
	var pairs []string
	cmd := &cobra.Command{
		Use:   "counts [SIEVE | FILE" + sievefile.Ending + "]",
		Short: "Count the rows of every comparison and tray, without a run",
		Long: `Count the rows of every comparison and tray, without a run: what each comparison would keep, which records it would drop and how
often it would show a record again. Options and files need not be saved; where they change a saved sieve, its counts as it is saved
stand beside.`,
		Example: `  twinsieve counts "Berth billing"
  twinsieve counts "Berth billing" --left-where 'quay == "Tar Quay"'
  twinsieve counts berth-billing.sieve.yaml
  twinsieve counts --left service-log --right invoices --key "call_no=Voyage Call: trim, ignore-case"
  twinsieve counts "Berth billing" --pair service_code=Svc --pair "amount_due=Amount: as decimal"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			look, err := (&lookFlags{align: align, pairs: pairs, swap: swap}).look(nil)
			if err != nil {
				return err
			}
			c := root.client()
			d, _, err := f.find(cmd, c, args)
			if err != nil {
				return err
			}
			if swap {
				d = d.Swapped()
			}
			b := &board{draft: d, paired: len(pairs) > 0}
			if b.counts, err = countsOf(cmd, c, d); err != nil {
				return err
			}
			if saved, ok := savedAs(cmd, c, d); ok && !reflect.DeepEqual(saved, d) {
				// A saved sieve that cannot be counted any more has nothing to stand beside.
				b.before, _ = countsOf(cmd, c, saved)
			}
			job, err := c.CountWhole(cmd.Context(), d, look.Align)
			result, err := wait(cmd, c, job, err)
			if err != nil {
				return err
			}
			b.whole = result.Whole
			return b.print(newPrinter(cmd, root.output))
		},
	}
	f.add(cmd, root)
	cmd.Flags().BoolVar(&swap, "swap", false, "exchange the sides; nothing saved is changed")
	oneOfVar(cmd.Flags(), &align, "align", "", alignments, "for whole-record comparisons: align columns by position or name (default position)")
	cmd.Flags().StringArrayVar(&pairs, "pair", nil, "of set logic, a pair of columns: LEFT=RIGHT, or LEFT=RIGHT: as decimal")
	return cmd
}

func countsOf(cmd *cobra.Command, c *client.Client, d sieve.Definition) (*view.Counts, error) {
	job, err := c.Count(cmd.Context(), d)
	result, err := wait(cmd, c, job, err)
	if err != nil {
		return nil, err
	}
	return result.Counts, nil
}

// savedAs is the sieve that is saved under a definition's name.
func savedAs(cmd *cobra.Command, c *client.Client, d sieve.Definition) (sieve.Definition, bool) {
	if d.Name == "" {
		return d, false
	}
	s, _, err := c.Sieve(cmd.Context(), d.Name)
	var p *view.Problem
	return s.Definition, err == nil && !errors.As(err, &p)
}

// board is the count board: the counts of a definition, of the sieve as it is saved where that is another, and of set logic.
type board struct {
	draft  sieve.Definition
	counts *view.Counts
	before *view.Counts // nil: nothing stands beside
	whole  *view.WholeCounts
	paired bool // pairs of columns were given
}

func (b *board) print(p *printer) error {
	if p.form != "table" {
		var rows [][]string
		for _, c := range append(append([]comparison.Count{}, b.counts.Summary.Comparisons...), b.whole.Counts...) {
			row := []string{string(c.Comparison), strconv.FormatInt(c.Rows, 10)}
			for _, n := range [][2]int64{c.Dropped, c.Repeated} {
				row = append(row, strconv.FormatInt(n[0], 10), strconv.FormatInt(n[1], 10))
			}
			rows = append(rows, append(row, c.Says))
		}
		return p.rows([]string{"comparison", "rows", "dropped left", "dropped right", "again left", "again right", "keeps"}, rows, struct {
			*view.Counts
			Before *view.Counts      `json:"before,omitempty"`
			Whole  *view.WholeCounts `json:"whole"`
		}{b.counts, b.before, b.whole})
	}
	fmt.Fprintf(p.out, "%s\n\n", b.counts.Sentence)
	for _, w := range b.counts.Warnings {
		fmt.Fprintf(p.out, "look: %s\n\n", w)
	}
	p.summaryWith(&b.counts.Summary, b.draft.Left, b.draft.Right, func() { b.comparisons(p) })
	if r := b.counts.Repeated; r.Total > 0 {
		fmt.Fprintf(p.out, "\n%s\n", p.bold(summary.Count(r.Total, "repeated key")))
		var rows [][]string
		for _, k := range r.Keys[:min(len(r.Keys), 5)] {
			rows = append(rows, []string{shownKey(k.Key), summary.Number(k.Records[0]), summary.Number(k.Records[1]), summary.Number(k.Records[0] * k.Records[1])})
		}
		p.table([]string{"key", p.paint(tray.Left, b.draft.Left), p.paint(tray.Right, b.draft.Right), "pairs"}, rows, 1, 2, 3)
	}
	return nil
}

// comparisons prints the rows of every comparison: those before a change beside them, the records that each drops, and the rows in
// which it shows a record again.
func (b *board) comparisons(p *printer) {
	headings, numeric := []string{"comparison", "rows"}, []int{1}
	if b.before != nil {
		headings, numeric = append(headings, "as saved", "change"), append(numeric, 2, 3)
	}
	at := len(headings)
	headings = append(headings, "drops "+p.paint(tray.Left, "left"), p.paint(tray.Right, "right"), "again "+p.paint(tray.Left, "left"), p.paint(tray.Right, "right"), "keeps")
	numeric = append(numeric, at, at+1, at+2, at+3)
	var rows [][]string
	add := func(c comparison.Count, was *comparison.Count) {
		row := []string{string(c.Comparison), summary.Number(c.Rows)}
		if b.before != nil {
			saved, change := "", ""
			if was != nil {
				saved = summary.Number(was.Rows)
				if d := c.Rows - was.Rows; d != 0 {
					if change = summary.Number(d); d > 0 {
						change = "+" + change
					}
				}
			}
			row = append(row, saved, change)
		}
		for _, n := range [][2]int64{c.Dropped, c.Repeated} {
			for s := range n {
				if shown := summary.Number(n[s]); n[s] > 0 {
					row = append(row, shown)
				} else if c.Comparison.Yields(tray.Side(s)) {
					row = append(row, "·")
				} else {
					row = append(row, "")
				}
			}
		}
		rows = append(rows, append(row, c.Says))
	}
	for i, c := range b.counts.Summary.Comparisons {
		var was *comparison.Count
		if b.before != nil {
			was = &b.before.Summary.Comparisons[i]
		}
		add(c, was)
	}
	for _, c := range b.whole.Counts {
		add(c, nil)
	}
	p.table(headings, rows, numeric...)
	p.relation(&b.counts.Summary)
	for i, m := range b.whole.Misfits {
		if i == 0 {
			fmt.Fprint(p.out, "no set logic: ")
		} else {
			fmt.Fprint(p.out, "              ")
		}
		fmt.Fprintln(p.out, m)
	}
	if len(b.whole.Misfits) > 0 && len(b.whole.Suggested) > 0 && !b.paired {
		var options []string
		for _, s := range b.whole.Suggested {
			text := s.Left + "=" + s.Right
			if s.As != "text" {
				text += ": as " + s.As
			}
			options = append(options, fmt.Sprintf("--pair %q", text))
		}
		fmt.Fprintf(p.out, "name the columns that are to be compared, such as %s\n", strings.Join(options, " "))
	}
}
