package cli

import (
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/formats/outform"
	"twinsieve/service/handover"
)

// exportFlags are the options of everything that hands a file over.
func exportFlags(cmd *cobra.Command, format *string, exact *bool, others ...string) {
	cmd.Flags().StringVar(format, "format", "", "format: "+strings.Join(slices.Concat(outform.Names, others), ", ")+" (default: that of the file's ending; csv where it has none)")
	cmd.Flags().BoolVar(exact, "exact", false, "for programs: in CSV and TSV, set nothing before texts that a spreadsheet would run")
}

// formatOf is the format that is stated, or that a file's ending says: one of those of lists, or of others. A file without an ending is CSV.
func formatOf(format, file string, exact bool, others ...string) (client.Format, error) {
	names := slices.Concat(outform.Names, others)
	said := fmt.Sprintf("--format %q", format)
	if format == "" {
		ending := filepath.Ext(file)
		said = fmt.Sprintf("--out %q: its ending, %q,", file, ending)
		if format = strings.TrimPrefix(strings.ToLower(ending), "."); format == "" {
			format = outform.CSV
		}
	}
	if !slices.Contains(names, format) {
		return client.Format{}, wrongRequest("%s is not a format that is written; write one of %s", said, strings.Join(names, ", "))
	}
	return client.Format{Name: format, Exact: exact}, nil
}

// toFile writes a file whole or not at all, or standard output where the file is "-".
func toFile(cmd *cobra.Command, c *client.Client, file string, write func(io.Writer) error) error {
	if file == "" || file == "-" {
		return fromService(write(cmd.OutOrStdout()))
	}
	if err := notOver(file); err != nil {
		return err
	}
	if err := handover.WriteFile(file, write); err != nil {
		return fromService(err)
	}
	said := ""
	if stated := c.Stated(); stated != "" {
		said = "; history " + stated
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "written to %s%s\n", file, said)
	return nil
}
