package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// loading are the options of load.
type loading struct {
	as      string
	look    bool
	strict  bool
	most    int64
	folder  bool
	choices choiceFlags
	control controlFlags
}

func newLoad(root *rootFlags) *cobra.Command {
	l := &loading{}
	cmd := &cobra.Command{
		Use:   "load FILE",
		Short: "Load a file as the newest snapshot of a record set",
		Long: `Load a file as the newest snapshot of a record set: delimited or fixed-width text, a spreadsheet, JSON, NDJSON, Parquet or
Arrow, packed or not. What is not stated about it is found, and said. --look says how it would be read, and loads nothing.`,
		Example: `  twinsieve load service-log.csv
  twinsieve load march.csv --as invoices --delimiter ";" --encoding windows-1252
  twinsieve load service-log.csv --look
  twinsieve load service-log.csv --count 1225 --trailer "TRAILER: total 3 of amount_due" --strict
  zcat log.csv.gz | twinsieve load - --as service-log`,
		Args: exactArgs(1, "one file, or - for standard input"),
		RunE: func(cmd *cobra.Command, args []string) error { return l.run(cmd, root, args[0]) },
	}
	f := cmd.Flags()
	f.StringVar(&l.as, "as", "", "name of the record set (default: the file's name without its endings)")
	f.BoolVar(&l.look, "look", false, "say how the file would be read, and load nothing")
	f.BoolVar(&l.strict, "strict", false, "any reject refuses the load")
	f.Int64Var(&l.most, "most-rejects", 0, "more rejects than this refuse the load (default: any number is taken)")
	f.BoolVar(&l.folder, "in-folder", false, "the file is in the folder that the service may read")
	l.choices.add(cmd, "")
	l.control.add(cmd)
	return cmd
}

func (l *loading) run(cmd *cobra.Command, root *rootFlags, file string) error {
	if err := checkOutput(root.output); err != nil {
		return err
	}
	choices, err := l.choices.choices(cmd)
	if err != nil {
		return err
	}
	control, err := l.control.control(cmd)
	if err != nil {
		return err
	}
	if l.as == "" {
		if l.as = setName(file); file == "-" && !l.look {
			return wrongRequest("standard input has no name; name the record set with --as")
		}
	}
	c := root.client()
	source, drop, err := l.send(cmd, c, file)
	if err != nil {
		return err
	}
	if l.look {
		defer drop()
		p, err := c.Preview(cmd.Context(), source, choices)
		if err != nil {
			return fromService(err)
		}
		return printPreview(newPrinter(cmd, root.output), &p)
	}
	job, err := c.Load(cmd.Context(), l.as, view.Recipe{Source: source, Choices: choices, Control: control, Strict: l.strict, Most: l.most})
	result, err := wait(cmd, c, job, err)
	if err != nil {
		drop()
		return err
	}
	p := newPrinter(cmd, root.output)
	if p.form == "table" {
		p.guesses(cmd.ErrOrStderr(), &result.Set.Snapshot)
	}
	if err := printSets(p, []view.Set{*result.Set}, result.Set); err != nil {
		return err
	}
	return p.held(&result.Set.Snapshot)
}

// send brings a file to the service. drop forgets it again.
func (l *loading) send(cmd *cobra.Command, c *client.Client, file string) (source view.SourceRef, drop func(), err error) {
	if l.folder {
		return view.SourceRef{Path: file}, func() {}, nil
	}
	return sendFile(cmd, c, file)
}

func sendFile(cmd *cobra.Command, c *client.Client, file string) (source view.SourceRef, drop func(), err error) {
	name, in := filepath.Base(file), io.Reader(cmd.InOrStdin())
	if file == "-" {
		name = "standard input"
	} else {
		f, err := os.Open(file)
		if err != nil {
			return source, nil, broken("the file cannot be read: %s", err)
		}
		defer f.Close()
		in = f
	}
	u, err := c.Upload(cmd.Context(), name, in)
	if err != nil {
		return source, nil, fromService(err)
	}
	return view.SourceRef{Upload: u.ID}, func() {
		_ = c.DropUpload(context.WithoutCancel(cmd.Context()), u.ID) // the service forgets it by itself, later
	}, nil
}

// guesses tells people how a file was read, for much of it was found rather than stated.
func (p *printer) guesses(w io.Writer, s *view.Snapshot) {
	fmt.Fprintf(w, "read as %s\n", s.Read)
	for _, f := range s.Findings.Footers {
		fmt.Fprintf(w, "line %d is a footer: %s\n", f.Line, f.Text)
	}
	if s.Findings.Same != "" {
		fmt.Fprintf(w, "the same content is there already: %s\n", s.Findings.Same)
	}
}

func shown(value string) string {
	if value == "\t" {
		return "tab"
	}
	return value
}

// held tells people whether the control figures hold; a miss is an exception.
func (p *printer) held(s *view.Snapshot) error {
	missed := false
	for _, h := range s.Findings.Held {
		missed = missed || !h.Holds
		if p.form == "table" {
			fmt.Fprintln(p.out, heldLine(&h))
		}
	}
	if missed {
		return &failure{status: exitExceptions}
	}
	return nil
}

// heldLine is a control figure in one line.
func heldLine(h *view.Held) string {
	mark, why := "✗", ""
	if h.Holds {
		mark = "✓"
	}
	if h.Why != "" {
		why = "; " + h.Why
	}
	if h.Found == "" {
		return fmt.Sprintf("%s control figures: %s", mark, h.Why)
	}
	return fmt.Sprintf("%s control figure: %s stated %s (%s), found %s%s", mark, h.What, h.Stated, h.From, h.Found, why)
}

func printPreview(p *printer, v *view.Preview) error {
	if p.form == "json" {
		return p.json(v)
	}
	columns := []string{"line"}
	for _, c := range v.Columns {
		columns = append(columns, c.Name)
	}
	var rows [][]string
	for _, r := range v.Records[:min(len(v.Records), 10)] {
		rows = append(rows, append([]string{fmt.Sprint(r.Line)}, cells(r.Cells)...))
	}
	if p.form != "table" {
		return p.rows(columns, rows, v)
	}
	fmt.Fprintf(p.out, "%s, %s bytes, would be read as %s\n\n", v.Name, summary.Number(v.Bytes), v.Choices.Say())
	var found [][]string
	for _, g := range v.Guesses {
		sure := "a guess"
		if g.Sure {
			sure = "certain"
		}
		var others []string
		for _, o := range g.Others {
			others = append(others, shown(o))
		}
		found = append(found, []string{g.Choice, shown(g.Value), sure, g.Why, strings.Join(others, " ")})
	}
	if len(found) > 0 {
		p.table([]string{"found", "", "", "why", "or else"}, found)
		fmt.Fprintln(p.out)
	}
	var types [][]string
	for _, c := range v.Columns {
		types = append(types, []string{c.Name, typeText(&c.Type), summary.Number(c.Type.Read) + " of " + summary.Number(c.Type.Values), c.Type.Why})
	}
	p.table([]string{"column", "reads as", "values", "why"}, types)
	fmt.Fprintln(p.out)
	p.table(columns, rows, 0)
	for _, b := range v.Blanks {
		fmt.Fprintf(p.out, "%s cells are %q: they are values unless --blank %q says otherwise\n", summary.Number(b.Records), b.Text, b.Text)
	}
	for _, f := range v.Footers {
		fmt.Fprintf(p.out, "line %d is a footer: %s\n", f.Line, f.Text)
	}
	for _, r := range v.Rejects {
		fmt.Fprintf(p.out, "line %d would be rejected: %s\n", r.Line, r.Reason)
	}
	of := "the first"
	if v.Whole {
		of = "all"
	}
	fmt.Fprintf(p.out, "looked at %s %s; nothing was loaded\n", of, countOf(v.Looked, "record"))
	return nil
}
