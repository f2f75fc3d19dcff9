package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/core/tray"
	"twinsieve/formats/intake"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// stacking are the options of stack.
type stacking struct {
	as, origin string
	labels     []string
	renames    []string
	common     bool
	look       bool
}

func newStack(root *rootFlags) *cobra.Command {
	s := &stacking{}
	cmd := &cobra.Command{
		Use:   "stack SET …",
		Short: "Make one record set of several, one under another",
		Long: `Make one record set of several, one under another. Columns are aligned by name; one that says the same under another name is
renamed. What a set has not is blank there or, with --common, left out of all. A column says which set a record came from.
The new set knows what it was made from: when one of those has a newer snapshot, the next run of a sieve over it stacks anew.`,
		Example: `  twinsieve stack north-quay salt-quay tar-quay --as all-quays --origin quay
  twinsieve stack north-quay salt-quay --as two-quays --label north-quay=North --rename "salt-quay:call no=call_no" --common
  twinsieve stack north-quay salt-quay tar-quay --look`,
		ValidArgsFunction: root.completeSets,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			source, err := s.source(args)
			if err != nil {
				return err
			}
			c, p := root.client(), newPrinter(cmd, root.output)
			if s.look {
				found, err := c.Preview(cmd.Context(), source, intake.Choices{})
				if err != nil {
					return fromService(err)
				}
				return printStack(p, &found)
			}
			if s.as == "" {
				return wrongRequest("a stack has no name; name the record set with --as, or look at it with --look")
			}
			job, err := c.Load(cmd.Context(), s.as, view.Recipe{Source: source})
			result, err := wait(cmd, c, job, err)
			if err != nil {
				return err
			}
			if p.form != "table" {
				return p.json(result.Set)
			}
			fmt.Fprintf(p.out, "%s: snapshot %d with %s\n\n", s.as, result.Set.Snapshot.Number, summary.Count(result.Set.Snapshot.Records, "record"))
			var counts []stackCount
			for _, o := range result.Set.Snapshot.Findings.Origins {
				counts = append(counts, stackCount{o.Text, o.Records})
			}
			printOrigins(p, counts)
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&s.as, "as", "", "name of the new record set")
	f.StringVar(&s.origin, "origin", "", "name of the column that says which set a record came from (default: origin)")
	f.StringArrayVar(&s.labels, "label", nil, "what that column says of a set's records: SET=LABEL (default: the set's name)")
	f.StringArrayVar(&s.renames, "rename", nil, "a column that is named otherwise in the stack: SET:COLUMN=NAME")
	f.BoolVar(&s.common, "common", false, "leave out columns that not all sets have")
	f.BoolVar(&s.look, "look", false, "show how they would be stacked, and make nothing")
	return cmd
}

// source makes the stack of the sets that are named.
func (s *stacking) source(sets []string) (view.SourceRef, error) {
	source := view.SourceRef{Origin: s.origin, Common: s.common}
	if len(sets) < 2 {
		return source, wrongRequest("stack takes two record sets or more; %d given. See twinsieve stack --help", len(sets))
	}
	for _, name := range sets {
		source.Stack = append(source.Stack, view.Stacked{Place: view.Place{Set: name}, Label: name})
	}
	find := func(flag, text, set string) (*view.Stacked, error) {
		at := slices.Index(sets, set)
		if at < 0 {
			return nil, wrongRequest("%s %q: %q is none of the sets that are stacked", flag, text, set)
		}
		return &source.Stack[at], nil
	}
	for _, text := range s.labels {
		set, label, ok := strings.Cut(text, "=")
		if !ok || label == "" {
			return source, wrongRequest("--label %q does not say a set and its label; write it as SET=LABEL", text)
		}
		part, err := find("--label", text, set)
		if err != nil {
			return source, err
		}
		part.Label = label
	}
	return source, rename(&source, s.renames, func(set string) int {
		return slices.IndexFunc(source.Stack, func(p view.Stacked) bool { return p.Set == set })
	}, "SET")
}

// rename gives columns of the sources of a stack other names. at finds the source that a text names, -1 where none is; what is what it is
// called in the option.
func rename(stack *view.SourceRef, texts []string, at func(source string) int, what string) error {
	for _, text := range texts {
		source, rest, ok := strings.Cut(text, ":")
		from, to, both := strings.Cut(rest, "=")
		if !ok || !both || from == "" || to == "" {
			return wrongRequest("--rename %q is not %s:COLUMN=NAME", text, what)
		}
		n := at(source)
		if n < 0 {
			return wrongRequest("--rename %q: %q is none of the %ss that are stacked", text, source, strings.ToLower(what))
		}
		part := &stack.Stack[n]
		if _, twice := part.Rename[from]; twice {
			return wrongRequest("--rename gives the column %q of %s two names; give it one", from, source)
		}
		if part.Rename == nil {
			part.Rename = map[string]string{}
		}
		part.Rename[from] = to
	}
	return nil
}

type stackCount struct {
	label   string
	records int64
}

// printStack shows how sets would be stacked: how many records come from each, and which columns they have not.
func printStack(p *printer, found *view.Preview) error {
	if p.form != "table" {
		return p.json(found)
	}
	var counts []stackCount
	for _, part := range found.Parts {
		counts = append(counts, stackCount{part.Label, part.Records})
	}
	printOrigins(p, counts)
	fmt.Fprintln(p.out)
	for _, part := range found.Parts {
		if len(part.Missing) > 0 {
			fmt.Fprintf(p.out, "%s has no %s\n", part.Label, strings.Join(part.Missing, ", "))
		}
		if len(part.Left) > 0 {
			fmt.Fprintf(p.out, "%s leaves out %s\n", part.Label, strings.Join(part.Left, ", "))
		}
	}
	var names []string
	for _, c := range found.Columns {
		names = append(names, c.Name)
	}
	var rows [][]string
	for _, r := range found.Records[:min(len(found.Records), 5)] {
		var row []string
		for i := range names {
			row = append(row, shownCell(p, &r, i))
		}
		rows = append(rows, row)
	}
	fmt.Fprintln(p.out)
	p.table(names, rows)
	return nil
}

// printOrigins shows how many records come from where, as bars.
func printOrigins(p *printer, counts []stackCount) {
	most, all := int64(1), int64(0)
	for _, c := range counts {
		most, all = max(most, c.records), all+c.records
	}
	var rows [][]string
	for _, c := range counts {
		bar := strings.Repeat("█", int(c.records*30/most))
		if bar == "" && c.records > 0 {
			bar = "▏"
		}
		rows = append(rows, []string{c.label, summary.Number(c.records), p.paint(tray.Left, bar)})
	}
	rows = append(rows, []string{"all", summary.Number(all), ""})
	p.table([]string{"from", "records", ""}, rows, 1)
}
