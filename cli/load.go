package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/formats/intake"
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
	stack   bool
	renames []string
	origin  string
	from    from
	choices choiceFlags
	control controlFlags
}

func newLoad(root *rootFlags) *cobra.Command {
	l := &loading{}
	cmd := &cobra.Command{
		Use:   "load [FILE …]",
		Short: "Load files, or rows of a database, as the newest snapshots of record sets",
		Long: `Load a file as the newest snapshot of a record set: delimited or fixed-width text, a spreadsheet, JSON, NDJSON, Parquet or
Arrow, packed or not. What is not stated about it is found, and said. --look says how it would be read, and loads nothing.
Several files become several record sets or, with --stack, one, with a column that says which file a record came from. With
--from, the rows of a table or query are loaded from a connection to a database.`,
		Example: `  twinsieve load service-log.csv
  twinsieve load march.csv --as invoices --delimiter ";" --encoding windows-1252
  twinsieve load service-log.csv --look
  twinsieve load service-log.csv --count 1225 --trailer "TRAILER: total 3 of amount_due" --strict
  zcat log.csv.gz | twinsieve load - --as service-log
  twinsieve load january.csv february.csv march.csv --stack --as first-quarter --origin month
  twinsieve load --from harbour --table service_log
  twinsieve load --from harbour --query "SELECT * FROM service_log WHERE service_date >= '2026-03-01'" --as service-log`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := needs(cmd, "from", "table", "query"); err != nil {
				return err
			}
			if l.from.connection != "" && len(args) > 0 {
				return wrongRequest("give files or --from, not both. See twinsieve load --help")
			}
			if l.from.connection == "" && len(args) == 0 {
				return wrongRequest("give files to load, - for standard input, or --from and a connection. See twinsieve load --help")
			}
			return l.run(cmd, root, args)
		},
	}
	f := cmd.Flags()
	f.StringVar(&l.as, "as", "", "name of the record set (default: the file's name without its endings)")
	f.BoolVar(&l.look, "look", false, "say how the file would be read, and load nothing")
	f.BoolVar(&l.strict, "strict", false, "any reject refuses the load")
	wholeNumberVar(f, &l.most, "most-rejects", 0, 1, 0, "fail if more than `N` lines are rejected (default: no limit)")
	f.BoolVar(&l.folder, "in-folder", false, "the files are in the folder that the service may read")
	f.BoolVar(&l.stack, "stack", false, "make one record set of all files, one under another, with columns aligned by name")
	f.StringArrayVar(&l.renames, "rename", nil, "a column of a file that is named otherwise in the stack: FILE:COLUMN=NAME")
	f.StringVar(&l.origin, "origin", "", "name of the column that says which file of a stack a record came from (default: origin)")
	l.from.add(cmd, root)
	l.choices.add(cmd, "")
	l.control.add(cmd)
	return cmd
}

func (l *loading) run(cmd *cobra.Command, root *rootFlags, files []string) error {
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
	recipe := view.Recipe{Choices: choices, Control: control, Strict: l.strict, Most: l.most}
	switch {
	case l.origin != "" && !l.stack:
		return wrongRequest("--origin names a column of a stack; state --stack, too")
	case len(l.renames) > 0 && !l.stack:
		return wrongRequest("--rename names a column of a stack; state --stack, too")
	case l.stack && l.from.connection != "":
		return wrongRequest("--stack makes one record set of several files; a query can join tables itself")
	case l.stack && l.as == "" && !l.look:
		return wrongRequest("a stack has no name; name the record set with --as")
	case l.from.connection != "":
		recipe.Source, err = l.from.source()
		if err != nil {
			return err
		}
		return l.load(cmd, root, recipe, l.from.table[strings.LastIndexByte(l.from.table, '.')+1:])
	case l.stack:
		drop, err := l.sendAll(cmd, root.client(), files, &recipe.Source)
		if err == nil {
			err = l.load(cmd, root, recipe, "")
		}
		drop(err)
		return err
	case len(files) > 1 && l.as != "":
		return wrongRequest("--as names one record set, and there are %d files; state --stack to make one of them, or leave --as out", len(files))
	}
	var held error // a missed control figure of one file keeps no other from being loaded
	for _, file := range files {
		if file == "-" && l.as == "" && !l.look {
			return wrongRequest("standard input has no name; name the record set with --as")
		}
		place, drop, err := l.send(cmd, root.client(), file)
		if err != nil {
			return err
		}
		recipe.Source = view.SourceRef{Place: place}
		err = l.load(cmd, root, recipe, setName(file))
		if f := new(failure); errors.As(err, &f) && f.status == exitExceptions {
			held = err
		} else if err != nil || l.look {
			drop()
			if err != nil {
				return err
			}
		}
	}
	return held
}

// load loads a source, or says how it would be read. name is that of the set where none is stated.
func (l *loading) load(cmd *cobra.Command, root *rootFlags, recipe view.Recipe, name string) error {
	c := root.client()
	if l.look {
		p, err := c.Preview(cmd.Context(), recipe.Source, recipe.Choices)
		if err != nil {
			return fromService(err)
		}
		return printPreview(newPrinter(cmd, root.output), &p)
	}
	if l.as != "" {
		name = l.as
	}
	if name == "" {
		return wrongRequest("a query has no name; name the record set with --as")
	}
	job, err := c.Load(cmd.Context(), name, recipe)
	result, err := wait(cmd, c, job, err)
	if err != nil {
		return err
	}
	p := newPrinter(cmd, root.output)
	if p.form == "table" {
		p.guesses(cmd.ErrOrStderr(), &result.Set.Snapshot)
		p.uncomputed(cmd, &result.Set.Snapshot)
	}
	if err := printSets(p, []view.Set{*result.Set}, result.Set); err != nil {
		return err
	}
	return p.held(&result.Set.Snapshot)
}

// sendAll brings the files of a stack to the service. drop forgets them again, where the stack was not loaded.
func (l *loading) sendAll(cmd *cobra.Command, c *client.Client, files []string, stack *view.SourceRef) (drop func(error), err error) {
	var drops []func()
	drop = func(err error) {
		if err != nil || l.look {
			for _, d := range drops {
				d()
			}
		}
	}
	stack.Origin = l.origin
	for _, file := range files {
		place, gone, err := l.send(cmd, c, file)
		if err != nil {
			return drop, err
		}
		drops = append(drops, gone)
		stack.Stack = append(stack.Stack, view.Stacked{Place: place, Label: filepath.Base(file)})
	}
	return drop, rename(stack, l.renames, func(file string) int {
		if at := slices.Index(files, file); at >= 0 {
			return at
		}
		return slices.IndexFunc(stack.Stack, func(s view.Stacked) bool { return s.Label == file })
	}, "FILE")
}

// send brings a file to the service, or names what it has itself. drop forgets it again.
func (l *loading) send(cmd *cobra.Command, c *client.Client, file string) (place view.Place, drop func(), err error) {
	if l.folder {
		return view.Place{Path: file}, func() {}, nil
	}
	return sendFile(cmd, c, file)
}

// openFile opens a file to read it. What is not a file says what it is.
func openFile(name string) (*os.File, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, broken("%s cannot be read: %s", name, pathFault(err))
	}
	if info, err := f.Stat(); err == nil && info.IsDir() {
		_ = f.Close()
		return nil, wrongRequest("%s is a folder; name a file", name)
	}
	return f, nil
}

// pathFault is what is wrong with a path, without the path and what was to be done with it.
func pathFault(err error) string {
	if own := new(os.PathError); errors.As(err, &own) {
		return own.Err.Error()
	}
	return err.Error()
}

func sendFile(cmd *cobra.Command, c *client.Client, file string) (place view.Place, drop func(), err error) {
	name, in := filepath.Base(file), io.Reader(cmd.InOrStdin())
	if file == "-" {
		name = "standard input"
	} else {
		f, err := openFile(file)
		if err != nil {
			return place, nil, err
		}
		defer f.Close()
		in = f
	}
	u, err := c.Upload(cmd.Context(), name, in)
	if err != nil {
		return place, nil, fromService(err)
	}
	return view.Place{Upload: u.ID}, func() {
		_ = c.DropUpload(context.WithoutCancel(cmd.Context()), u.ID) // the service forgets it by itself, later
	}, nil
}

// guesses tells people how a file was read, for much of it was found rather than stated.
func (p *printer) guesses(w io.Writer, s *view.Snapshot) {
	fmt.Fprintf(w, "read as %s\n", s.Read)
	if sheet := otherSheets(s.Findings.Guesses, ""); sheet != "" {
		fmt.Fprintln(w, sheet)
	}
	for _, f := range s.Findings.Footers {
		fmt.Fprintf(w, "%s is a footer: %s\n", footerPlace(&f), f.Text)
	}
	for _, u := range s.Findings.Unequal {
		if len(u.Missing) > 0 {
			fmt.Fprintf(w, "warning: %s has no column %s; its records are blank there\n", u.Label, quoted(u.Missing))
		}
		if len(u.Left) > 0 {
			fmt.Fprintf(w, "warning: the column %s of %s is left out, for not all sources have it\n", quoted(u.Left), u.Label)
		}
	}
	for _, f := range s.Findings.Totals {
		fmt.Fprintln(w, likeTotal(&f))
	}
	if s.Findings.Filled > 0 {
		fmt.Fprintf(w, "%s had too few cells, and blanks for the others\n", summary.Count(s.Findings.Filled, "line"))
	}
	if s.Findings.Merged > 0 {
		fmt.Fprintln(w, mergedCells(s.Findings.Merged, ""))
	}
	if s.Records == 0 && s.Rejects == 0 {
		fmt.Fprintln(w, "warning: there are column names, and no records")
	}
	if s.Findings.Same != "" {
		fmt.Fprintf(w, "the same content is there already: %s\n", s.Findings.Same)
	}
}

// quoted writes names one after the other.
func quoted(names []string) string {
	var list []string
	for _, n := range names {
		list = append(list, strconv.Quote(n))
	}
	return strings.Join(list, ", ")
}

// likeTotal warns of a last record that looks like a total.
func likeTotal(f *intake.Footer) string {
	where := "the last record"
	if f.Line > 0 {
		where += fmt.Sprintf(", line %d,", f.Line)
	}
	if f.Source != "" {
		where += " of " + f.Source
	}
	return fmt.Sprintf("warning: %s looks like a total of the others, and was taken as a record: %s. If it is not a record, leave it out with --footer or a filter", where, f.Text)
}

// mergedCells tells of merged areas of which only the first cell was read. Options have the prefix.
func mergedCells(areas int64, prefix string) string {
	return fmt.Sprintf("the records have %s; all of their cells but the first were read as blank (--%smerged fill fills them)", summary.Count(areas, "merged area"), prefix)
}

// otherSheets tells of a workbook's other sheets, where nobody has said which one is to be read.
func otherSheets(guesses []intake.Guess, prefix string) string {
	for _, g := range guesses {
		if g.Choice == "sheet" && !g.Sure {
			return fmt.Sprintf("read sheet %s; %s (--%ssheet names another)", g.Value, g.Why, prefix)
		}
	}
	return ""
}

func footerPlace(f *intake.Footer) string {
	if f.Source != "" {
		return fmt.Sprintf("line %d of %s", f.Line, f.Source)
	}
	return fmt.Sprintf("line %d", f.Line)
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
	records := v.Records
	if p.form == "table" { // people need no more to see how it is read
		records = records[:min(len(records), 10)]
	}
	for _, r := range records {
		rows = append(rows, append([]string{fmt.Sprint(r.Line)}, cells(r.Cells)...))
	}
	if p.form != "table" {
		return p.rows(columns, rows, v)
	}
	size := ""
	if v.Bytes > 0 { // rows of a database have none
		size = ", " + summary.Number(v.Bytes) + " bytes,"
	}
	fmt.Fprintf(p.out, "%s%s would be read as %s\n\n", v.Name, size, v.Choices.Say())
	for _, part := range v.Parts {
		fmt.Fprintf(p.out, "%s: %s", part.Label, part.Read)
		if len(part.Missing) > 0 {
			fmt.Fprintf(p.out, "; without %s", strings.Join(part.Missing, ", "))
		}
		fmt.Fprintln(p.out)
	}
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
		fmt.Fprintf(p.out, "%s is a footer: %s\n", footerPlace(&f), f.Text)
	}
	if v.Merged > 0 {
		fmt.Fprintln(p.out, mergedCells(v.Merged, ""))
	}
	for _, r := range v.Rejects {
		fmt.Fprintf(p.out, "line %d would be rejected: %s\n", r.Line, r.Reason)
	}
	of := "the first"
	if v.Whole {
		of = "all"
	}
	fmt.Fprintf(p.out, "looked at %s %s; nothing was loaded\n", of, summary.Count(v.Looked, "record"))
	return nil
}
