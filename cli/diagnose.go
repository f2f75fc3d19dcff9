package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/formats/sievefile"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

func newDiagnose(root *rootFlags) *cobra.Command {
	f := &sieveFlags{}
	var run, cause, apply string
	var sure bool
	var show int
	cmd := &cobra.Command{
		Use:   "diagnose [SIEVE | FILE.sieve.yaml]",
		Short: "Say why the records without a partner found none",
		Long: `Say why the records without a partner found none: missing, orphaned and unkeyed ones together, over the newest snapshots.

Each record is counted once, under the first cause that holds for it. Where a change of the sieve would remedy a cause, the
option that applies it is printed; applying saves the sieve and shows the new counts beside the old.`,
		Example: `  twinsieve diagnose "Berth billing"
  twinsieve diagnose "Berth billing" --cause day-off@2
  twinsieve diagnose "Berth billing" --apply plain-letters@1
  twinsieve diagnose --left service-log --right invoices --key "call_no=Voyage Call"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			var d sieve.Definition
			var etag string
			var job view.Job
			var err error
			if run != "" {
				if apply != "" {
					return wrongRequest("--apply changes a sieve, and --run diagnoses what one has been; leave out --run")
				}
				var head view.Run
				if head, err = findRun(cmd, c, run); err != nil {
					return err
				}
				d = head.Definition
				job, err = c.DiagnoseRun(cmd.Context(), head.ID)
			} else {
				if d, etag, err = f.find(cmd, c, args); err != nil {
					return err
				}
				job, err = c.Diagnose(cmd.Context(), d)
			}
			result, err := wait(cmd, c, job, err)
			if err != nil {
				return err
			}
			p := newPrinter(cmd, root.output)
			if apply != "" {
				return applyRemedy(cmd, c, p, d, etag, result.Diagnosis, apply, sure)
			}
			if cause != "" {
				one, err := causeOf(result.Diagnosis, cause)
				if err != nil {
					return err
				}
				return printFound(p, one)
			}
			return printDiagnosis(p, d, result.Diagnosis, show, run == "" && etag != "")
		},
	}
	f.add(cmd, root)
	cmd.Flags().StringVar(&run, "run", "", "diagnose this run instead: the number of its report, or a sieve for its newest")
	cmd.Flags().StringVar(&cause, "cause", "", "list the records of this cause")
	cmd.Flags().StringVar(&apply, "apply", "", "apply the remedy of this cause to the sieve, and show the new counts beside the old")
	cmd.Flags().BoolVar(&sure, "yes", false, "apply a remedy even if its pairs are probably strangers")
	wholeNumberVar(cmd.Flags(), &show, "show", 3, 0, 1000, "show at most `N` records of each cause")
	return cmd
}

// find is the definition that is named, with its ETag where it is a saved sieve, or that the options describe.
func (f *sieveFlags) find(cmd *cobra.Command, c *client.Client, args []string) (d sieve.Definition, etag string, err error) {
	switch {
	case len(args) == 0:
		d, err = f.definition("")
		return d, "", err
	case f.left != "" || f.right != "":
		return d, "", wrongRequest("--left and --right describe a sieve that is not saved, and %q names one that is; leave out one of them", args[0])
	case strings.HasSuffix(args[0], sievefile.Ending):
		d, err = readSieveFile(args[0])
	default:
		var s view.Sieve
		s, etag, err = c.Sieve(cmd.Context(), args[0])
		d, err = s.Definition, fromService(err)
	}
	if err == nil { // what the options say comes on top
		err = f.apply(&d)
	}
	return d, etag, err
}

func causeOf(d *view.Diagnosis, id string) (*view.Cause, error) {
	var ids []string
	for i := range d.Causes {
		if d.Causes[i].ID == id {
			return &d.Causes[i], nil
		}
		ids = append(ids, d.Causes[i].ID)
	}
	if len(ids) == 0 {
		return nil, wrongRequest("there is no cause %q; every record has a partner", id)
	}
	return nil, wrongRequest("there is no cause %q; the causes are %s", id, strings.Join(ids, ", "))
}

func printDiagnosis(p *printer, d sieve.Definition, found *view.Diagnosis, show int, saved bool) error {
	if p.form != "table" {
		var rows [][]string
		for _, c := range found.Causes {
			rows = append(rows, []string{c.ID, c.Says, strconv.FormatInt(c.Records[0], 10), strconv.FormatInt(c.Records[1], 10), c.Remedy})
		}
		return p.rows([]string{"cause", "says", "left", "right", "remedy"}, rows, found)
	}
	all := found.Records[0] + found.Records[1]
	if all == 0 {
		fmt.Fprintln(p.out, p.bold("Every record has a partner."))
		return nil
	}
	fmt.Fprintln(p.out, p.bold(fmt.Sprintf("%s without a partner: %s of %s, %s of %s", summary.Count(all, "record"), summary.Number(found.Records[0]), d.Left, summary.Number(found.Records[1]), d.Right)))
	if found.Looked != found.Records {
		fmt.Fprintf(p.out, "looked at: the first %s and %s of them\n", summary.Number(found.Looked[0]), summary.Number(found.Looked[1]))
	}
	for _, c := range found.Causes {
		fmt.Fprintf(p.out, "\n%s  (%s left, %s right)\n", p.bold(c.Says), summary.Number(c.Records[0]), summary.Number(c.Records[1]))
		for _, f := range c.Listed[:min(show, len(c.Listed))] {
			fmt.Fprintf(p.out, "    %s\n", foundLine(&f))
			for _, l := range f.Looks {
				fmt.Fprintf(p.out, "      %s\n", l)
			}
		}
		if c.Doubt != "" {
			fmt.Fprintf(p.out, "  doubtful: %s\n", c.Doubt)
		}
		switch {
		case c.Remedy != "" && saved:
			fmt.Fprintf(p.out, "  remedy: --apply %s, which adds %s\n", c.ID, c.Remedy)
		case c.Remedy != "":
			fmt.Fprintf(p.out, "  remedy: %s\n", c.Remedy)
		case saved && int64(len(c.Listed)) > int64(show):
			fmt.Fprintf(p.out, "  all of them: --cause %s\n", c.ID)
		}
	}
	return nil
}

func foundLine(f *view.Found) string {
	text := fmt.Sprintf("%s %d, %s", f.Side, f.Number, shownKey(f.Key))
	if f.Line > 0 {
		text = fmt.Sprintf("%s %d (line %d), %s", f.Side, f.Number, f.Line, shownKey(f.Key))
	}
	if f.Partner > 0 {
		text += fmt.Sprintf("  ~  %d, %s", f.Partner, shownKey(f.Other))
	}
	return text
}

func printFound(p *printer, c *view.Cause) error {
	var rows [][]string
	for _, f := range c.Listed {
		partner := ""
		if f.Partner > 0 {
			partner = strconv.FormatInt(f.Partner, 10)
		}
		rows = append(rows, []string{f.Side, strconv.FormatInt(f.Number, 10), shownKey(f.Key), partner, shownKey(f.Other), strings.Join(f.Looks, "; ")})
	}
	if err := p.rows([]string{"side", "record", "key", "near", "its key", "looks the same, but"}, rows, c, 1, 3); err != nil || p.form != "table" {
		return err
	}
	fmt.Fprintf(p.out, "%s of %s: %s\n", summary.Number(int64(len(c.Listed))), summary.Number(c.Records[0]+c.Records[1]), c.Says)
	return nil
}

// applyRemedy saves the sieve with a remedy and shows the new counts beside the old.
func applyRemedy(cmd *cobra.Command, c *client.Client, p *printer, d sieve.Definition, etag string, found *view.Diagnosis, id string, sure bool) error {
	cause, err := causeOf(found, id)
	if err != nil {
		return err
	}
	if cause.Applied == nil {
		return wrongRequest("the cause %q has no remedy that is a change of the sieve", id)
	}
	if cause.Doubt != "" && !sure {
		return wrongRequest("%s; look at them with --cause %s, and add --yes to apply it anyway", cause.Doubt, id)
	}
	if etag == "" {
		return wrongRequest("--apply changes a saved sieve; name one, or save this definition with twinsieve define")
	}
	var counts [2]*view.Counts
	for i, definition := range []sieve.Definition{d, *cause.Applied} {
		job, err := c.Count(cmd.Context(), definition)
		result, err := wait(cmd, c, job, err)
		if err != nil {
			return err
		}
		counts[i] = result.Counts
	}
	saved, err := c.ChangeSieve(cmd.Context(), d.Name, etag, *cause.Applied)
	if err != nil {
		return fromService(err)
	}
	return printBeside(p, saved, cause, counts)
}

// printBeside prints the records of each tray and the rows of each comparison, before and after a change.
func printBeside(p *printer, saved view.Sieve, cause *view.Cause, counts [2]*view.Counts) error {
	before, after := &counts[0].Summary, &counts[1].Summary
	if p.form == "table" {
		fmt.Fprintf(p.out, "saved: %s, version %d, with %s\n\n", saved.Definition.Name, saved.Version, cause.Remedy)
	}
	number := func(n int64) string {
		if p.form == "table" {
			return summary.Number(n)
		}
		return strconv.FormatInt(n, 10)
	}
	var rows [][]string
	row := func(name string, was, is int64) {
		change := ""
		if is != was {
			change = number(is - was)
			if is > was {
				change = "+" + change
			}
		}
		rows = append(rows, []string{name, number(was), number(is), change})
	}
	for i, t := range before.Trays {
		for s, side := range []string{"left", "right"} {
			if n := after.Trays[i].Records[s]; n > 0 || t.Records[s] > 0 {
				row(t.Tray.String()+", "+side, t.Records[s], n)
			}
		}
	}
	for i, c := range before.Comparisons {
		row(string(c.Comparison), c.Rows, after.Comparisons[i].Rows)
	}
	return p.rows([]string{"what", "before", "after", "change"}, rows, map[string]any{"sieve": saved, "before": counts[0], "after": counts[1]}, 1, 2, 3)
}
