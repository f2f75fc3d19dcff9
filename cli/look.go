package cli

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"twinsieve/client"
	"twinsieve/core/comparison"
	"twinsieve/core/typing"
	"twinsieve/formats/sievefile"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// lookFlags say which rows of a comparison are looked at, and how.
type lookFlags struct {
	sieve      sieveFlags
	comparison string
	swap       bool
	kept       string
	side       string
	dropped    bool
	tray       string
	fill       bool
	align      string
	pairs      []string
	columns    []string
	prefix     []string
	where      string
	sort       []string
	noPartner  string
	blank      string
	yes        bool
	carried    string
	partners   []int64
}

func (f *lookFlags) add(cmd *cobra.Command, root *rootFlags) {
	var names []string
	for _, n := range comparison.All {
		names = append(names, string(n))
	}
	flags := cmd.Flags()
	oneOfVar(flags, &f.comparison, "comparison", "", names, "which rows: "+strings.Join(names, ", "))
	flags.BoolVar(&f.swap, "swap", false, "exchange the sides; nothing saved is changed")
	oneOfVar(flags, &f.kept, "kept", "", []string{"left", "right", "inner", "full"}, "with --comparison separate: what to keep: left, right, inner or full (default full)")
	oneOfVar(flags, &f.side, "side", "", []string{"left", "right"}, "with --comparison separate, --dropped or --in-tray: whose records: left or right (default left)")
	flags.BoolVar(&f.dropped, "dropped", false, "instead of the rows, the records of the side that are in none of them")
	flags.StringVar(&f.tray, "in-tray", "", "instead of a comparison's rows, what lies in a tray; with --side for whose records")
	flags.BoolVar(&f.fill, "fill", false, "of by-position: fill the shorter side")
	oneOfVar(flags, &f.align, "align", "", alignments, "for whole-record comparisons: align columns by position or name (default position)")
	flags.StringArrayVar(&f.pairs, "pair", nil, "of set logic, a pair of columns: LEFT=RIGHT, or LEFT=RIGHT: as decimal")
	flags.StringSliceVar(&f.columns, "columns", nil, `the columns to show, in this order: NAME, or "NAME as OTHER"`)
	flags.StringSliceVar(&f.prefix, "prefix", nil, "what stands before columns that both sides have: LEFT,RIGHT, or none (default: the sets' names)")
	flags.StringVar(&f.where, "where", "", `only rows for which an expression holds, such as number(Amount) > 100`)
	flags.StringSliceVar(&f.sort, "sort", nil, `columns to sort by: NAME, or "NAME desc", "NAME blanks first", "NAME as text"`)
	flags.StringVar(&f.noPartner, "no-partner", "", "what a file says where there is no partner")
	flags.StringVar(&f.blank, "blank", "", "what a file says where a value is blank")
	flags.BoolVar(&f.yes, "yes", false, "also where records are multiplied beyond the limit")
	flags.StringVar(&f.carried, "carried", "", "of separate: only partners of the other side's records for which an expression holds")
	flags.Int64SliceVar(&f.partners, "partners-of", nil, "of separate: only partners of these records of the other side, by their numbers")
	f.sieve.add(cmd, root)
	// Registering only fails for a flag that does not exist.
	_ = cmd.RegisterFlagCompletionFunc("comparison", cobra.FixedCompletions(names, cobra.ShellCompDirectiveNoFileComp))
	for _, name := range []string{"columns", "where", "sort"} {
		_ = cmd.RegisterFlagCompletionFunc(name, f.completeColumns(root))
	}
}

// completeColumns completes the columns that the rows have.
func (f *lookFlags) completeColumns(root *rootFlags) func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		const how = cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
		a, err := f.ask(cmd, root.client(), args)
		if err != nil {
			return nil, how
		}
		a.Look.Where, a.Look.Sort, a.Look.Columns = "", nil, nil
		tried, err := root.client().TryFilter(cmd.Context(), a, "", "")
		return completions(tried.Columns, err, how, completedBy(tried.Columns, typed))
	}
}

// completedBy returns how a column completes what has been typed: the longest piece at its end with which a column's name begins, spaces in
// it, too, becomes the column.
func completedBy(columns []string, typed string) func(column string) string {
	for at := 0; at <= len(typed); at++ {
		if at > 0 && !strings.ContainsRune(",( ", rune(typed[at-1])) {
			continue
		}
		if slices.ContainsFunc(columns, func(c string) bool { return strings.HasPrefix(c, typed[at:]) }) {
			return func(column string) string { return typed[:at] + column }
		}
	}
	return func(column string) string { return typed + column }
}

// ask makes what is asked of the options and the argument: a run, a sieve whose newest run is meant, a sieve file, or, with the
// options of a sieve, a definition that is not saved.
func (f *lookFlags) ask(cmd *cobra.Command, c *client.Client, args []string) (a view.Ask, err error) {
	spaced := slices.ContainsFunc(slices.Concat(f.columns, f.sort), func(t string) bool { return strings.Contains(strings.TrimSpace(t), " ") })
	if a.Look, err = f.look(nil); err != nil && !spaced {
		return a, err
	}
	if f.sieve.given() || len(args) > 0 && strings.HasSuffix(args[0], sievefile.Ending) {
		d, _, err := f.sieve.find(cmd, c, args)
		if err != nil {
			return a, err
		}
		a.Definition = &d
	} else {
		run, err := findRun(cmd, c, strings.Join(args, ""))
		if err != nil {
			return a, err
		}
		a.Run = run.ID
	}
	if spaced { // a column may be called "n as m" or "tot desc"
		a.Look, err = f.look(f.rowColumns(cmd, c, a))
	}
	return a, err
}

// rowColumns is the columns that the rows have. It is empty where the rows cannot be asked for: why is said where they are.
func (f *lookFlags) rowColumns(cmd *cobra.Command, c *client.Client, a view.Ask) []string {
	bare := *f
	bare.where, bare.columns, bare.sort = "", nil, nil
	var err error
	if a.Look, err = bare.look(nil); err != nil {
		return nil
	}
	tried, err := c.TryFilter(cmd.Context(), a, "", "")
	if err != nil {
		return nil
	}
	return tried.Columns
}

// stray is the name of an option about rows that has been given, or nothing.
func (f *lookFlags) stray(cmd *cobra.Command) (name string) {
	own := &cobra.Command{}
	(&lookFlags{}).add(own, &rootFlags{})
	cmd.Flags().Visit(func(given *pflag.Flag) {
		if own.Flags().Lookup(given.Name) != nil {
			name = given.Name
		}
	})
	return name
}

// look is what the options say of the rows. Where columns are known, a text begins with the longest of their names that it can begin with.
func (f *lookFlags) look(known []string) (view.Look, error) {
	look := view.Look{Comparison: f.comparison, Swap: f.swap, Kept: f.kept, Side: f.side, Dropped: f.dropped, Tray: f.tray, Fill: f.fill, Where: f.where, Confirm: f.yes,
		Carried: f.carried, Partners: f.partners, Align: comparison.Alignment{By: f.align}}
	if look.Comparison == "" {
		look.Comparison = string(comparison.Full)
	}
	if f.noPartner != "" || f.blank != "" {
		look.Labels = &view.Labels{NoPartner: f.noPartner, Blank: f.blank}
	}
	switch {
	case len(f.prefix) == 1 && f.prefix[0] == "none":
		look.Prefix = &[2]string{}
	case len(f.prefix) == 2:
		look.Prefix = &[2]string{f.prefix[0], f.prefix[1]}
	case len(f.prefix) > 0:
		return look, wrongRequest("--prefix takes two, one for each side, as in log,invoice, or none")
	}
	for _, text := range f.columns {
		name, as, _ := strings.Cut(text, " as ")
		if column, rest := begins(text, known); column != "" && (rest == "" || strings.HasPrefix(rest, " as ")) {
			name, as = column, strings.TrimPrefix(rest, " as ")
		}
		look.Columns = append(look.Columns, comparison.Chosen{Column: strings.TrimSpace(name), As: strings.TrimSpace(as)})
	}
	for _, text := range f.sort {
		by, err := parseSort(text, known)
		if err != nil {
			return look, err
		}
		look.Sort = append(look.Sort, by)
	}
	for _, text := range f.pairs {
		p, err := parsePair("--pair", text, "as")
		if err != nil {
			return look, err
		}
		if len(p.readings) > 0 {
			return look, wrongRequest("--pair %q has readings; whole records are compared as they are, and only a type can be stated, as in: as decimal", text)
		}
		l, r := p.columns.On()
		if f.swap { // it is written as the key is, and turned like it
			l, r = r, l
		}
		look.Align.Pairs = append(look.Align.Pairs, comparison.AlignedPair{Left: l, Right: r, As: p.options["as"]})
	}
	return look, nil
}

// begins finds the longest of the known columns that a text is, or begins with before a space, and what follows it.
func begins(text string, known []string) (column, rest string) {
	text = strings.TrimSpace(text)
	for _, name := range known {
		if behind, ok := strings.CutPrefix(text, name); ok && len(name) > len(column) && (behind == "" || behind[0] == ' ') {
			column, rest = name, behind
		}
	}
	return column, rest
}

// parseSort reads a column, with "desc", "blanks first" and "as TYPE" behind it, in any order.
func parseSort(text string, known []string) (view.SortBy, error) {
	if column, rest := begins(text, known); column != "" {
		if by, err := parseOrder(text, rest); err != nil || by.Column == "" {
			by.Column = column
			return by, err
		}
	}
	return parseOrder(text, text)
}

// parseOrder reads the words behind a column, from the last to the first. What is left before them is the column.
func parseOrder(text, words string) (view.SortBy, error) {
	var by view.SortBy
	for {
		rest := strings.TrimRight(words, " ")
		if name, ok := strings.CutSuffix(rest, " desc"); ok {
			by.Descending, words = true, name
		} else if name, ok := strings.CutSuffix(rest, " blanks first"); ok {
			by.BlanksFirst, words = true, name
		} else if at := strings.LastIndex(rest, " as "); at >= 0 && by.As == "" {
			name, _, _ := strings.Cut(rest[at+4:], " ")
			if !slices.Contains(typing.Names, name) {
				return by, wrongRequest("--sort %q: %q is no type; write one of %s", text, name, strings.Join(typing.Names, ", "))
			}
			by.As, words = rest[at+4:], rest[:at]
		} else {
			by.Column = strings.TrimSpace(rest)
			return by, nil
		}
	}
}

// shownRow writes a row for people: – stands where there is no partner, (blank) where a value is blank.
func shownRow(r *view.Rows, row *view.Row) []string {
	var out []string
	for i, c := range r.Columns {
		switch cell := row.Cells[i]; {
		case c.Side == "left" && row.Left == 0, c.Side == "right" && row.Right == 0:
			out = append(out, "–")
		case cell == nil, *cell == "", slices.Contains(row.Markers, i):
			out = append(out, "(blank)")
		case strings.TrimSpace(*cell) == "": // which would not be seen
			out = append(out, strings.Repeat("␣", utf8.RuneCountInString(*cell)))
		default:
			out = append(out, *cell)
		}
	}
	return out
}

// plainRow writes a row for programs.
func plainRow(row *view.Row) []string {
	var out []string
	for _, cell := range row.Cells {
		if cell == nil {
			cell = new(string)
		}
		out = append(out, *cell)
	}
	return out
}

// leftOut says what a filter has left out, or nothing.
func leftOut(l *view.LeftOut) string {
	if l == nil || l.Rows == 0 {
		return ""
	}
	text := "the filter leaves out " + summary.Count(l.Rows, "row")
	if l.Lonely > 0 {
		text += fmt.Sprintf(", %s of them without a partner", summary.Count(l.Lonely, "row"))
	}
	if l.Undecided > 0 {
		text += fmt.Sprintf("; for %s it could not be decided (%s)", summary.Count(l.Undecided, "row"), l.Why)
	}
	return text
}
