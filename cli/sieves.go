package cli

import (
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/formats/sievefile"
	"twinsieve/service/view"
)

// sieveFlags describe a sieve on the command line.
type sieveFlags struct {
	left, right string
	definitionFlags
}

func (f *sieveFlags) add(cmd *cobra.Command, root *rootFlags) {
	cmd.Flags().StringVar(&f.left, "left", "", "the left record set")
	cmd.Flags().StringVar(&f.right, "right", "", "the right record set")
	f.definitionFlags.add(cmd)
	// Registering only fails for a flag that does not exist.
	for _, name := range []string{"left", "right"} {
		_ = cmd.RegisterFlagCompletionFunc(name, root.completeSets)
	}
	_ = cmd.RegisterFlagCompletionFunc("left-where", root.completeNames(&f.left))
	_ = cmd.RegisterFlagCompletionFunc("right-where", root.completeNames(&f.right))
	for _, name := range []string{"key", "compare", "amount"} {
		_ = cmd.RegisterFlagCompletionFunc(name, root.completeColumns(&f.left, &f.right))
	}
}

func (f *sieveFlags) given() bool {
	return f.left != "" || f.right != "" || f.definitionFlags.given()
}

// definition makes a definition of the flags.
func (f *sieveFlags) definition(name string) (sieve.Definition, error) {
	d := sieve.Definition{Name: name, Left: f.left, Right: f.right}
	if d.Left == "" || d.Right == "" {
		return d, wrongRequest("name both record sets, with --left and --right")
	}
	return d, f.apply(&d)
}

// readSieveFile reads a sieve file.
func readSieveFile(name string) (sieve.Definition, error) {
	text, err := os.ReadFile(name)
	if err != nil {
		return sieve.Definition{}, broken("the sieve file cannot be read: %s", err)
	}
	d, err := sievefile.Read(text)
	if err != nil {
		return d, wrongRequest("%s: %s", name, err)
	}
	return d, nil
}

func newDefine(root *rootFlags) *cobra.Command {
	f := &sieveFlags{}
	cmd := &cobra.Command{
		Use:   "define [FILE" + sievefile.Ending + " | NAME]",
		Short: "Save a sieve from a file or from options, or show one",
		Long: `Save a sieve from a file or from options. A sieve that is there already gets a new version.

With a name and no options, the sieve is printed as a file; with nothing at all, the sieves are listed.`,
		Example: `  twinsieve define berth-billing.sieve.yaml
  twinsieve define "Berth billing" > berth-billing.sieve.yaml
  twinsieve define "Berth billing" --left service-log --right invoices \
    --key "call_no=Voyage Call: trim, ignore-case, drop-zeros-in-digit-runs" \
    --compare "amount_due=Amount: as decimal, within 0.05"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			switch {
			case len(args) == 0:
				return listSieves(cmd, root)
			case strings.HasSuffix(args[0], sievefile.Ending):
				d, err := readSieveFile(args[0])
				if err != nil {
					return err
				}
				return saveSieve(cmd, root, d)
			case f.given():
				d, err := f.definition(args[0])
				if err != nil {
					return err
				}
				return saveSieve(cmd, root, d)
			}
			return showSieve(cmd, root, args[0])
		},
	}
	f.add(cmd, root)
	return cmd
}

func listSieves(cmd *cobra.Command, root *rootFlags) error {
	list, err := root.client().Sieves(cmd.Context())
	if err != nil {
		return fromService(err)
	}
	if len(list.Sieves) == 0 && root.output == "table" {
		fmt.Fprintln(cmd.OutOrStdout(), "There are no sieves yet; save one with: twinsieve define FILE"+sievefile.Ending)
		return nil
	}
	var rows [][]string
	for _, s := range list.Sieves {
		d := s.Definition
		rows = append(rows, []string{d.Name, strconv.Itoa(s.Version), d.Left, d.Right, d.KeyNames(), s.Updated.Local().Format("2006-01-02 15:04")})
	}
	return newPrinter(cmd, root.output).rows([]string{"sieve", "version", "left", "right", "key", "saved"}, rows, list, 1)
}

func showSieve(cmd *cobra.Command, root *rootFlags, name string) error {
	s, _, err := root.client().Sieve(cmd.Context(), name)
	if err != nil {
		return fromService(err)
	}
	if printed, err := newPrinter(cmd, root.output).one(s); printed {
		return err
	}
	text, err := sievefile.Write(s.Definition)
	if err != nil {
		return err
	}
	_, err = cmd.OutOrStdout().Write(text)
	return err
}

func saveSieve(cmd *cobra.Command, root *rootFlags, d sieve.Definition) error {
	if err := newPrinter(cmd, root.output).single(); err != nil {
		return err
	}
	c := root.client()
	_, etag, err := c.Sieve(cmd.Context(), d.Name)
	var p *view.Problem
	var saved view.Sieve
	switch {
	case errors.As(err, &p) && view.NotFound.Is(p):
		saved, err = c.CreateSieve(cmd.Context(), d)
	case err == nil:
		saved, err = c.ChangeSieve(cmd.Context(), d.Name, etag, d)
	}
	if err != nil {
		return fromService(err)
	}
	if printed, err := newPrinter(cmd, root.output).one(saved); printed {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "saved: %s, version %d\n", saved.Definition.Name, saved.Version)
	for _, text := range detected(d, saved.Definition) {
		fmt.Fprintln(cmd.ErrOrStderr(), text)
	}
	return nil
}

// detected tells how the values of fields and amounts are written, where the saved sieve says so and the given one did not.
func detected(given, saved sieve.Definition) (lines []string) {
	tell := func(columns sieve.Columns, before, after []reading.Reading) {
		var texts []string
		for _, r := range after[min(len(before), len(after)):] {
			texts = append(texts, r.String())
		}
		if len(texts) > 0 {
			lines = append(lines, fmt.Sprintf("%s: read as detected when it was loaded: %s", columns, strings.Join(texts, ", ")))
		}
	}
	for i := range min(len(given.Compare), len(saved.Compare)) {
		tell(saved.Compare[i].Columns, given.Compare[i].Readings, saved.Compare[i].Readings)
	}
	for i := range min(len(given.Amounts), len(saved.Amounts)) {
		tell(saved.Amounts[i].Columns, given.Amounts[i].Readings, saved.Amounts[i].Readings)
	}
	return lines
}
