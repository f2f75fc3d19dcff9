package cli

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"twinsieve/core/profile"
	"twinsieve/core/typing"
	"twinsieve/service/summary"
)

func newProfile(root *rootFlags) *cobra.Command {
	var column string
	cmd := &cobra.Command{
		Use:               "profile SET",
		Short:             "Say what is in a record set, column by column",
		Example:           "  twinsieve profile service-log\n  twinsieve profile service-log --column amount_due",
		Args:              exactArgs(1, "the name of a record set"),
		ValidArgsFunction: root.completeSets,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			job, err := c.MakeProfile(cmd.Context(), args[0])
			if _, err := wait(cmd, c, job, err); err != nil {
				return err
			}
			v, err := c.Profile(cmd.Context(), args[0])
			if err != nil {
				return fromService(err)
			}
			p := newPrinter(cmd, root.output)
			if column != "" {
				for i := range v.Profile.Columns {
					if v.Profile.Columns[i].Name == column {
						return p.column(&v.Profile.Columns[i])
					}
				}
				return wrongRequest("%s has no column %q; --column takes one of its columns", args[0], column)
			}
			var rows [][]string
			for i := range v.Profile.Columns {
				col := &v.Profile.Columns[i]
				rows = append(rows, []string{col.Name, typeText(&col.Type), p.count(col.Blanks()), p.count(col.Distinct), p.count(col.Repeated),
					p.visible(col.Least), p.visible(col.Greatest), col.Total, notes(p, col)})
			}
			if err := p.rows([]string{"column", "reads as", "blank", "distinct", "repeated", "least", "greatest", "total", "notes"}, rows, v, 2, 3, 4, 7); err != nil {
				return err
			}
			if p.form == "table" {
				same := ""
				if v.Profile.Repeated > 0 {
					same = fmt.Sprintf("; %s the same as an earlier record in every cell", summary.Count(v.Profile.Repeated, "record"))
				}
				fmt.Fprintf(p.out, "%s in %d columns, %s rejected%s\n", summary.Count(v.Profile.Records, "record"), len(rows), summary.Count(v.Rejects, "line"), same)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&column, "column", "", "show one column in full")
	return cmd
}

// typeText is a type as people see it: an ambiguous one says so.
func typeText(f *typing.Finding) string {
	if len(f.Ambiguous) == 0 {
		return f.Type.String()
	}
	var ways []string
	for _, t := range f.Ambiguous {
		if t.Name == f.Name && t.Form != "" {
			ways = append(ways, t.Form)
		} else {
			ways = append(ways, t.String())
		}
	}
	return f.Name + "? " + strings.Join(ways, " or ")
}

// notes is what is odd about a column's values.
func notes(p *printer, c *profile.Column) string {
	var list []string
	add := func(n int64, what string) {
		if n > 0 {
			list = append(list, p.count(n)+" "+what)
		}
	}
	add(c.Type.Values-c.Type.Read, "do not read")
	add(c.Spaces, "with spaces around")
	add(c.CaseOnly, "differ in case only")
	add(c.LeadingZeros, "with leading zeros")
	add(c.Markers, "blank markers")
	return strings.Join(list, ", ")
}

// visible makes the spaces at a text's ends visible to people, for they are easily overlooked. Programs get the text.
func (p *printer) visible(text string) string {
	if p.form != "table" {
		return text
	}
	front := strings.TrimLeftFunc(text, unicode.IsSpace)
	both := strings.TrimRightFunc(front, unicode.IsSpace)
	mark := func(n string) string { return strings.Repeat("␣", utf8.RuneCountInString(n)) }
	return mark(text[:len(text)-len(front)]) + both + mark(front[len(both):])
}

// barWidth is how many characters the longest bar of a histogram has.
const barWidth = 40

// column prints one column in full.
func (p *printer) column(c *profile.Column) error {
	if p.form == "json" {
		return p.json(c)
	}
	var rows [][]string
	fact := func(name, value string) {
		if value != "" {
			rows = append(rows, []string{name, value})
		}
	}
	fact("reads as", typeText(&c.Type)+": "+c.Type.Why)
	for _, u := range c.Type.Unread {
		fact("does not read", fmt.Sprintf("%q in %s", u.Text, summary.Count(u.Records, "record")))
	}
	fact("blank", fmt.Sprintf("%s null, %s empty, %s blank markers", p.count(c.Nulls), p.count(c.Empty), p.count(c.Markers)))
	fact("distinct", p.count(c.Distinct))
	fact("repeated", summary.Count(c.Repeated, "record"))
	if c.Shortest != nil {
		fact("shortest", fmt.Sprintf("%s: %s", summary.Count(int64(c.Shortest.Characters), "character"), p.visible(c.Shortest.Text)))
		fact("longest", fmt.Sprintf("%s: %s", summary.Count(int64(c.Longest.Characters), "character"), p.visible(c.Longest.Text)))
	}
	fact("least", p.visible(c.Least))
	fact("greatest", p.visible(c.Greatest))
	fact("total", c.Total)
	fact("notes", notes(p, c))
	for _, v := range c.Common {
		fact("common", fmt.Sprintf("%s in %s", p.visible(v.Text), summary.Count(v.Records, "record")))
	}
	for _, v := range c.Shapes {
		fact("shape", fmt.Sprintf("%s in %s", p.visible(v.Text), summary.Count(v.Records, "record")))
	}
	if p.form != "table" {
		return p.rows([]string{"what", "value"}, rows, c)
	}
	p.table([]string{c.Name, ""}, rows)
	most := int64(1)
	for _, b := range c.Histogram {
		most = max(most, b.Records)
	}
	if len(c.Histogram) > 0 {
		var bars [][]string
		for _, b := range c.Histogram {
			span := b.From
			if b.To != b.From {
				span += " to " + b.To
			}
			bars = append(bars, []string{span, summary.Number(b.Records), strings.Repeat("█", int((b.Records*barWidth+most-1)/most))})
		}
		fmt.Fprintln(p.out)
		p.table([]string{"by " + c.By, "records", ""}, bars, 0, 1)
	}
	return nil
}
