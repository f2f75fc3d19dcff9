package cli

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/service/view"
)

func newCrosswalk(root *rootFlags) *cobra.Command {
	var in, out, reason string
	var takeBack uint
	var confirm bool
	cmd := &cobra.Command{
		Use:   "crosswalk SIEVE",
		Short: "Show what has been accepted as the same in a sieve, hand it over as CSV, take such a file in, or take an entry back",
		Example: `  twinsieve crosswalk "Berth billing"
  twinsieve crosswalk "Berth billing" --out crosswalk.csv
  twinsieve crosswalk "Berth billing" --in crosswalk.csv --reason "last year's list"
  twinsieve crosswalk "Berth billing" --take-back 3`,
		Args:              exactArgs(1, "the name of a sieve"),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			var shown view.Crosswalk
			var err error
			switch {
			case out != "":
				return toFile(cmd, c, out, func(w io.Writer) error { return c.ExportCrosswalk(cmd.Context(), args[0], w) })
			case in != "":
				var file *os.File
				if file, err = os.Open(in); err != nil {
					return broken("the crosswalk cannot be read: %s", err)
				}
				defer file.Close()
				shown, err = c.ImportCrosswalk(cmd.Context(), args[0], file, view.Decision{Reason: reason, Confirm: confirm})
			case takeBack > 0:
				shown, err = c.TakeBack(cmd.Context(), args[0], takeBack)
			default:
				shown, err = c.Crosswalk(cmd.Context(), args[0])
			}
			if err != nil {
				return fromService(err)
			}
			return printCrosswalk(newPrinter(cmd, root.output), &shown)
		},
	}
	cmd.Flags().StringVar(&in, "in", "", "take in the pairs of keys of this CSV file")
	cmd.Flags().StringVar(&out, "out", "", "write the pairs of keys to this CSV file")
	wholeNumberVar(cmd.Flags(), &takeBack, "take-back", 0, 1, 0, "revoke entry `N`")
	cmd.Flags().StringVar(&reason, "reason", "", "why, for who looks at it later")
	cmd.MarkFlagsMutuallyExclusive("in", "out", "take-back")
	cmd.Flags().BoolVar(&confirm, "confirm", false, "also where more than two keys become one")
	return cmd
}

func printCrosswalk(p *printer, c *view.Crosswalk) error {
	kinds := map[string]string{"keys": "the same", "refused": "not the same", "records": "paired by hand"}
	var rows [][]string
	for _, e := range c.Entries {
		left, right := shownKey(e.Left), shownKey(e.Right)
		if e.Records != nil {
			left, right = numbersOf(e.Records[0])+" ("+strings.Join(e.Keys[0], "; ")+")", numbersOf(e.Records[1])+" ("+strings.Join(e.Keys[1], "; ")+")"
		}
		state := kinds[e.Kind]
		if !e.Holds {
			state += ", taken back"
		}
		rows = append(rows, []string{strconv.FormatUint(uint64(e.ID), 10), state, left, right, e.Reason, e.By, e.Created.Local().Format("2006-01-02 15:04")})
	}
	if err := p.rows([]string{"entry", "decision", "left", "right", "reason", "by", "when"}, rows, c, 0); err != nil || p.form != "table" {
		return err
	}
	fmt.Fprintf(p.out, "crosswalk of %s, version %d\n", c.Sieve, c.Version)
	return nil
}

func numbersOf(records []view.Record) string {
	var list []string
	for _, r := range records {
		list = append(list, strconv.FormatInt(r.Number, 10))
	}
	if len(list) == 1 {
		return "record " + list[0]
	}
	return "records " + strings.Join(list, ", ")
}
