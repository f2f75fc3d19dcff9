package cli

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"twinsieve/core/exact"
	"twinsieve/core/pairing"
	"twinsieve/core/record"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
)

// outputs are the forms in which results are printed.
var outputs = []string{"table", "json", "ndjson", "csv"}

func checkOutput(form string) error {
	for _, o := range outputs {
		if o == form {
			return nil
		}
	}
	return wrongRequest("--output %q is not a form; write one of %s", form, strings.Join(outputs, ", "))
}

// printer prints results to a command's standard output.
type printer struct {
	out    io.Writer
	form   string
	colour bool
}

func newPrinter(cmd *cobra.Command, form string) *printer {
	out := cmd.OutOrStdout()
	if !isTerminal(out) {
		return &printer{out: out, form: form}
	}
	return &printer{out: terminalWriter{out}, form: form, colour: os.Getenv("NO_COLOR") == ""}
}

func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// paint colours a text of a side: teal is left, amber is right.
func (p *printer) paint(s tray.Side, t string) string {
	if !p.colour {
		return t
	}
	code := "38;5;37"
	if s == tray.Right {
		code = "38;5;172"
	}
	return "\x1b[" + code + "m" + harmless(t) + "\x1b[0m"
}

func (p *printer) bold(t string) string {
	if !p.colour {
		return t
	}
	return "\x1b[1m" + harmless(t) + "\x1b[0m"
}

// one prints a single thing for programs: as JSON, or as one line of ndjson. It reports whether it was printed; for people the caller
// prints it. CSV, which has rows, is refused.
func (p *printer) one(value any) (printed bool, err error) {
	switch p.form {
	case "json":
		return true, p.json(value)
	case "ndjson":
		enc := json.NewEncoder(p.out)
		enc.SetEscapeHTML(false)
		return true, enc.Encode(value)
	}
	err = p.single()
	return err != nil, err
}

// single refuses CSV for what is not a list of rows. A command that changes something asks before it does.
func (p *printer) single() error {
	if p.form == "csv" {
		return wrongRequest("--output csv: this is not a list of rows; write table, json or ndjson")
	}
	return nil
}

// rows prints rows under headings: a table for people, and values for programs. value is what json prints, once for all
// rows; ndjson prints one object a row with the headings as names.
func (p *printer) rows(headings []string, rows [][]string, value any, numeric ...int) error {
	switch p.form {
	case "json":
		return p.json(value)
	case "ndjson":
		for _, row := range rows {
			line, err := orderedObject(headings, row)
			if err != nil {
				return err
			}
			fmt.Fprintln(p.out, line)
		}
		return nil
	case "csv":
		w := csv.NewWriter(p.out)
		if err := w.Write(headings); err != nil {
			return err
		}
		return w.WriteAll(rows)
	}
	p.table(headings, rows, numeric...)
	return nil
}

// stream prints rows under headings for programs, one after the other, in ndjson or csv. end comes last.
func (p *printer) stream(headings []string) (row func([]record.Cell) error, end func() error) {
	if p.form == "csv" {
		w := csv.NewWriter(p.out)
		headed := w.Write(headings)
		var texts []string
		row = func(cells []record.Cell) error {
			texts = texts[:0]
			for _, c := range cells {
				texts = append(texts, c.Text)
			}
			return w.Write(texts)
		}
		return row, func() error {
			w.Flush()
			return errors.Join(headed, w.Error())
		}
	}
	out := bufio.NewWriter(p.out)
	return func(cells []record.Cell) error {
		row := make([]*string, len(cells))
		for i, c := range cells {
			if !c.Null {
				row[i] = &c.Text
			}
		}
		line, err := orderedObject(headings, row)
		if err == nil {
			_, err = fmt.Fprintln(out, line)
		}
		return err
	}, out.Flush
}

// orderedObject is a JSON object whose names stand in the order of the headings.
func orderedObject[T any](headings []string, row []T) (string, error) {
	var parts []string
	for i, h := range headings {
		name, err := json.Marshal(h)
		if err != nil {
			return "", err
		}
		value, err := json.Marshal(row[i])
		if err != nil {
			return "", err
		}
		parts = append(parts, string(name)+":"+string(value))
	}
	return "{" + strings.Join(parts, ",") + "}", nil
}

func (p *printer) json(value any) error {
	enc := json.NewEncoder(p.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(value)
}

// table prints a table with hairlines only. The columns with the numbers in numeric are set right.
func (p *printer) table(headings []string, rows [][]string, numeric ...int) {
	w := table.NewWriter()
	style := table.StyleLight
	style.Options = table.Options{SeparateHeader: true}
	style.Format.Header, style.Format.Footer = text.FormatDefault, text.FormatDefault
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	w.SetStyle(style)
	head := table.Row{}
	for _, h := range headings {
		head = append(head, oneLine(h))
	}
	w.AppendHeader(head)
	for _, r := range rows {
		row := table.Row{}
		for _, c := range r {
			row = append(row, oneLine(c))
		}
		w.AppendRow(row)
	}
	var config []table.ColumnConfig
	for _, n := range numeric {
		config = append(config, table.ColumnConfig{Number: n + 1, Align: text.AlignRight, AlignHeader: text.AlignRight})
	}
	w.SetColumnConfigs(config)
	for _, line := range strings.Split(w.Render(), "\n") {
		fmt.Fprintln(p.out, strings.TrimRight(line, " "))
	}
}

// oneLine makes control characters visible, so that no cell breaks a table or a terminal.
func oneLine(cell string) string {
	return harmlessPainted(strings.NewReplacer("\n", "↵", "\t", "⇥").Replace(cell))
}

var glyphs = map[tray.Tray]string{tray.Matched: "●", tray.Differing: "◑", tray.Missing: "◖", tray.Orphaned: "◗", tray.Surplus: "◍", tray.Unkeyed: "○", tray.Excluded: "◌", tray.Reject: "✕"}

// summary prints what a match found, for people.
func (p *printer) summary(s *summary.Summary, left, right string) {
	p.summaryWith(s, left, right, func() { p.comparisons(s) })
}

// summaryWith is summary with another count board.
func (p *printer) summaryWith(s *summary.Summary, left, right string, comparisons func()) {
	for sentence := range strings.SplitAfterSeq(s.Verdict, ". ") {
		fmt.Fprintln(p.out, p.bold(strings.TrimSpace(sentence)))
	}
	fmt.Fprintln(p.out)
	var rows [][]string
	for _, t := range s.Trays {
		row := []string{glyphs[t.Tray] + " " + t.Tray.String()}
		for _, side := range tray.Sides {
			if t.Tray.On(side) {
				row = append(row, summary.Number(t.Records[side]))
			} else {
				row = append(row, "–")
			}
		}
		rows = append(rows, row)
	}
	rows = append(rows, []string{"= records", summary.Number(s.Records[0]), summary.Number(s.Records[1])})
	if s.Rejects != [2]int64{} {
		rows = append(rows, []string{glyphs[tray.Reject] + " rejects, no records", summary.Number(s.Rejects[0]), summary.Number(s.Rejects[1])})
	}
	p.table([]string{"tray", p.paint(tray.Left, left), p.paint(tray.Right, right)}, rows, 1, 2)
	for _, side := range tray.Sides {
		name := [2]string{left, right}[side]
		for _, u := range s.Unkeyed[side] {
			if n := u.Blank + u.Emptied + u.Unreadable; n > 0 {
				fmt.Fprintf(p.out, "unkeyed in %s: %s %s\n", name, u.Name, causes(u))
			}
		}
	}
	for _, side := range tray.Sides {
		if n := s.Undecided[side]; n > 0 {
			fmt.Fprintf(p.out, "excluded in %s: for %s the filter could not be decided\n", [2]string{left, right}[side], summary.Count(n, "record"))
		}
	}
	if c := s.Crosswalk; c.Version > 0 {
		fmt.Fprintf(p.out, "crosswalk version %d", c.Version)
		if c.Hand > 0 {
			fmt.Fprintf(p.out, "; paired by hand: %s", summary.Count(int64(c.Hand), "group"))
		}
		if n := c.Stale + c.StaleHand; n > 0 {
			fmt.Fprintf(p.out, "; %s say nothing here any more", summary.Number(int64(n))+" of its entries")
		}
		fmt.Fprintln(p.out)
	}
	for _, b := range s.Balance {
		fmt.Fprintf(p.out, "\n%s\n", p.bold("From the left total to the right total: "+b.Label()))
		places := 0
		for _, n := range []string{b.Left, b.Right} {
			places = max(places, exact.Places(n))
		}
		for _, step := range b.Steps {
			places = max(places, exact.Places(step.Change))
		}
		rows := [][]string{{p.paint(tray.Left, left), exact.Grouped(b.Left, places)}}
		for _, step := range b.Steps {
			if step.Change == "0" {
				continue
			}
			label := step.Tray.String()
			switch {
			case step.Tray == tray.Matched:
				label = "matched, within tolerance"
			case step.Side != "both":
				label += ", " + step.Side
			}
			change := exact.Grouped(step.Change, places)
			if !strings.HasPrefix(change, "-") {
				change = "+" + change
			}
			rows = append(rows, []string{label, change})
		}
		closes := "the balance closes"
		if !b.Closes {
			closes = "THE BALANCE DOES NOT CLOSE"
		}
		rows = append(rows, []string{p.paint(tray.Right, right), exact.Grouped(b.Right, places)})
		p.table([]string{"", "amount"}, rows, 1)
		fmt.Fprintln(p.out, closes)
		for side, carried := range b.Carried {
			if carried != "" {
				fmt.Fprintf(p.out, "%s: %s of the total is carried from earlier runs\n", [2]string{left, right}[side], exact.Grouped(carried, places))
			}
		}
		for _, side := range tray.Sides {
			name := [2]string{left, right}[side]
			if n := b.Blank[side]; n > 0 {
				fmt.Fprintf(p.out, "%s: %s blank, counted as zero\n", name, summary.Count(n, "amount"))
			}
			if n := b.Unreadable[side]; n > 0 {
				fmt.Fprintf(p.out, "%s: %s unreadable and in no total\n", name, summary.Count(n, "amount"))
			}
		}
	}
	if s.Mixed != "" {
		fmt.Fprintf(p.out, "\n%s\n", s.Mixed)
	}
	fmt.Fprintln(p.out)
	comparisons()
}

// comparisons prints the count board.
func (p *printer) comparisons(s *summary.Summary) {
	var rows [][]string
	for _, c := range s.Comparisons {
		rows = append(rows, []string{string(c.Comparison), summary.Number(c.Rows), c.Says})
	}
	p.table([]string{"comparison", "rows", "keeps"}, rows, 1)
	p.relation(s)
}

// relation says how keys relate.
func (p *printer) relation(s *summary.Summary) {
	fmt.Fprintf(p.out, "relation: %s; keys on both sides: %s; repeated: %s left, %s right\n",
		s.Relation, summary.Number(s.Keys.Shared), summary.Number(s.Keys.Repeated[0]), summary.Number(s.Keys.Repeated[1]))
	if n := s.Keys.InOrder; n > 0 {
		fmt.Fprintf(p.out, "%s with more than %s possible pairs: equal contents were paired first, the rest in content order\n",
			summary.Count(n, "key"), summary.Number(pairing.Most))
	}
}

func causes(u summary.PartCauses) string {
	var parts []string
	for _, c := range []struct {
		n    int64
		says string
	}{{u.Blank, "blank"}, {u.Emptied, "blank after readings"}, {u.Unreadable, "unreadable"}} {
		if c.n > 0 {
			parts = append(parts, summary.Number(c.n)+" "+c.says)
		}
	}
	return strings.Join(parts, ", ")
}
