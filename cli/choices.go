package cli

import (
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"twinsieve/formats/fixed"
	"twinsieve/formats/intake"
	"twinsieve/formats/packing"
	"twinsieve/service/view"
)

// choiceFlags are the options that say how a file is read.
type choiceFlags struct {
	intake.Choices
	prefix  string
	footers []string
	types   []string
	compute []string
}

// add adds the options, each with a prefix. With one they are left out of the help, for they are those of load once more.
func (c *choiceFlags) add(cmd *cobra.Command, prefix string) {
	f := pflag.NewFlagSet("", pflag.ContinueOnError)
	oneOfVar(f, &c.Format, "format", "", intake.Formats, "format of the file: "+strings.Join(intake.Formats, ", ")+" (detected by default)")
	oneOfVar(f, &c.Packing, "packing", "", []string{intake.NotPacked, packing.Gzip, packing.Zstd}, "compression of the file: none, gzip, zstd (detected by default)")
	f.StringVar(&c.Encoding, "encoding", "", "encoding of a text, such as UTF-8 or windows-1252 (found where not stated)")
	f.StringVar(&c.Delimiter, "delimiter", "", "the delimiter (found where not stated; \\t for a tab)")
	f.BoolVar(&c.NoQuotes, "no-quotes", false, "a double quote is a character like any other")
	oneOfVar(f, &c.Header, "header", "", []string{intake.HeaderFirst, intake.HeaderNone}, "whether the first line names the columns: first, none (detected by default)")
	wholeNumberVar(f, &c.HeaderRow, "header-row", 0, 1, 1<<20, "row `N` of the sheet names the columns (default: the first row that is not empty)")
	wholeNumberVar(f, &c.Headers, "header-rows", 0, 1, intake.MostHeaders, "`N` rows of the sheet, one below another, name the columns together (default: 1)")
	oneOfVar(f, &c.Merged, "merged", "", []string{intake.MergedBlank, intake.MergedFill}, "what merged cells of a sheet hold but for the first: blank (the default) or fill, with what the first holds")
	wholeNumberVar(f, &c.SkipFirst, "skip-first", 0, 0, 10_000, "skip the first `N` lines")
	wholeNumberVar(f, &c.SkipLast, "skip-last", 0, 0, 10_000, "skip the last `N` lines")
	f.StringArrayVar(&c.footers, "footer", nil, "a line that begins so is no record (found where not stated; none for none)")
	oneOfVar(f, &c.ShortRows, "short-rows", "", []string{intake.ShortReject, intake.ShortFill}, "what happens to lines with too few cells: reject (the default) or fill, with blanks")
	oneOfVar(f, &c.InvalidBytes, "invalid-bytes", "", []string{intake.BytesRefuse, intake.BytesReject}, "what happens to records with bytes that are not UTF-8: refuse the file (the default) or reject the records")
	f.StringVar(&c.Sheet, "sheet", "", "sheet of a workbook (default: the first)")
	f.StringVar(&c.Pointer, "pointer", "", "JSON Pointer to the array of records (found where not stated)")
	f.StringVar(&c.Layout, "layout", "", "where columns stand in fixed-width text: \"call_no 1-8, service_date 9-18\"")
	f.StringArrayVar(&c.types, "type", nil, "type of a column: \"Invoiced On=date DD/MM/YYYY\" (found where not stated)")
	f.StringArrayVar(&c.Blanks, "blank", nil, "a blank marker: a cell that is exactly this is blank, such as n/a")
	f.StringArrayVar(&c.compute, "compute", nil, "a column that is computed: \"signed=zero(debit) - zero(credit)\"; see twinsieve compute --functions")
	f.VisitAll(func(flag *pflag.Flag) {
		flag.Name, flag.Hidden = prefix+flag.Name, prefix != ""
		cmd.Flags().AddFlag(flag)
	})
	if c.prefix = prefix; prefix == "" { // else whoever reads two files knows which it is
		explaining(cmd, c.explain)
	}
}

// choices are what the options state.
func (c *choiceFlags) choices(cmd *cobra.Command) (intake.Choices, error) {
	out := c.Choices
	if out.Delimiter == `\t` {
		out.Delimiter = "\t"
	}
	if cmd.Flags().Changed(c.prefix + "footer") {
		out.Footers = []string{}
		for _, f := range c.footers {
			if f != "none" {
				out.Footers = append(out.Footers, f)
			}
		}
	}
	for _, t := range c.types {
		at := strings.LastIndexByte(t, '=')
		if at < 1 {
			return out, wrongRequest("--%stype %q is not COLUMN=TYPE; write one such as \"Invoiced On=date DD/MM/YYYY\"", c.prefix, t)
		}
		if out.Types == nil {
			out.Types = map[string]string{}
		}
		if _, twice := out.Types[t[:at]]; twice {
			return out, wrongRequest("--%stype gives the column %q two types; give it one", c.prefix, t[:at])
		}
		out.Types[t[:at]] = t[at+1:]
	}
	for _, t := range c.compute {
		col, err := parseColumn("--"+c.prefix+"compute", t)
		if err != nil {
			return out, err
		}
		out.Computed = append(out.Computed, col)
	}
	if err := out.Check(); err != nil {
		return out, c.explain(err)
	}
	return out, nil
}

// controlFlags are the options for the figures that a sender states.
type controlFlags struct {
	count   int64
	totals  []string
	trailer string
}

func (c *controlFlags) add(cmd *cobra.Command) {
	f := cmd.Flags()
	wholeNumberVar(f, &c.count, "count", 0, 0, 0, "control count: the sender's number of records, `N`")
	f.StringArrayVar(&c.totals, "total", nil, "total of a column that the sender states: \"amount_due=1204.50\"")
	f.StringVar(&c.trailer, "trailer", "", "a trailer line that states them, in cells or at places: \"TRAILER: count 2, total 3 of amount_due\" or \"TRAILER: count 9-14\"")
}

// control is what the options state, or nil.
func (c *controlFlags) control(cmd *cobra.Command) (*view.Control, error) {
	out := &view.Control{}
	if cmd.Flags().Changed("count") {
		out.Count = &c.count
	}
	for _, t := range c.totals {
		at := strings.LastIndexByte(t, '=')
		if at < 1 {
			return nil, wrongRequest("--total %q is not COLUMN=TOTAL; write one such as amount_due=1204.50", t)
		}
		out.Totals = append(out.Totals, view.ControlTotal{Column: t[:at], Total: t[at+1:]})
	}
	if c.trailer != "" {
		t, ok := parseTrailer(c.trailer)
		if !ok {
			return nil, wrongRequest("--trailer %q is not understood; write what the line begins with and which cells, or places, state what, as in \"TRAILER: count 2, total 3 of amount_due\" or \"TRAILER: count 9-14\"", c.trailer)
		}
		out.Trailer = t
	}
	if out.Count == nil && out.Totals == nil && out.Trailer == nil {
		return nil, nil
	}
	return out, nil
}

func parseTrailer(text string) (*view.ControlTrailer, bool) {
	starts, cells, ok := strings.Cut(text, ":")
	if !ok {
		return nil, false
	}
	t := &view.ControlTrailer{Starts: starts}
	for part := range strings.SplitSeq(cells, ",") {
		what, place, ok := strings.Cut(strings.TrimSpace(part), " ")
		place, column, of := strings.Cut(place, " of ")
		place = strings.TrimSpace(place)
		cell, places := 0, ""
		if n, err := strconv.Atoi(place); err == nil && n > 0 {
			cell = n
		} else if _, _, ranged := fixed.Places(place); ranged {
			places = place
		} else {
			return nil, false
		}
		switch {
		case !ok:
			return nil, false
		case what == "count" && !of:
			t.Count, t.CountAt = cell, places
		case what == "total" && of:
			t.Total, t.TotalAt, t.Column = cell, places, strings.TrimSpace(column)
		default:
			return nil, false
		}
	}
	return t, true
}
