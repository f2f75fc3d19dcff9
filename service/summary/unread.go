package summary

import (
	"context"
	"fmt"
	"strings"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/core/typing"
)

// UnreadError says that what a definition states reads none of a column's values, so that the result would say nothing.
type UnreadError struct {
	Where string // path into the definition
	What  string
}

// Error implements error.
func (e *UnreadError) Error() string { return e.Where + ": " + e.What }

// Unread finds the first key part or compared field whose readings read none of a side's values although values are
// there. It returns nil where there is none; an *[UnreadError] where there is.
func Unread(ctx context.Context, plan *sieve.Plan, index *match.Index, tables [2]record.Table) error {
	for _, s := range tray.Sides {
		for i, c := range index.Totals.Parts[s] {
			if c.Read == 0 && c.Unreadable+c.Emptied > 0 {
				return unread(ctx, fmt.Sprintf("key[%d].readings", i), s, plan, plan.Key[i].Column[s], c, tables[s])
			}
		}
		for i, f := range plan.Fields {
			if c := index.Totals.Values[s][f.Value]; c.Read == 0 && c.Unreadable+c.Emptied > 0 {
				return unread(ctx, fmt.Sprintf("compare[%d]", i), s, plan, plan.Values[f.Value].Column[s], c, tables[s])
			}
		}
	}
	return nil
}

func unread(ctx context.Context, where string, s tray.Side, plan *sieve.Plan, column int, c match.Causes, table record.Table) error {
	what := fmt.Sprintf("none of the %s values of %q on the %s can be read as stated", Number(c.Unreadable), plan.Columns[s][column], s)
	if c.Unreadable == 0 {
		what = fmt.Sprintf("the readings leave nothing of any of the %s values of %q on the %s", Number(c.Emptied), plan.Columns[s][column], s)
	}
	b, err := table.Batch(ctx, 0)
	if err != nil {
		return err
	}
	finder, example := typing.NewFinder(), ""
	col := b.Columns[column]
	for i := range b.Records() {
		if col.IsValid(i) && strings.TrimSpace(col.Value(i)) != "" {
			finder.Add([]byte(col.Value(i)), 1)
			if example == "" {
				example = fmt.Sprintf(", such as %q", col.Value(i))
			}
		}
	}
	how := "state how they are written"
	if r, ok := sieve.Layout(finder.Find().Type, true); ok && c.Unreadable > 0 {
		r.Side = &s
		how += fmt.Sprintf(`, as in %q`, r.String())
	}
	return &UnreadError{where, what + example + "; " + how}
}
