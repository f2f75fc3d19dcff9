package summary

import (
	"context"
	"fmt"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
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
	example := ""
	if b, err := table.Batch(ctx, 0); err != nil {
		return err
	} else if at := firstText(b, column); at >= 0 {
		example = fmt.Sprintf(", such as %q", b.Columns[column].Value(at))
	}
	return &UnreadError{where, what + example + "; state how they are written"}
}

func firstText(b *record.Batch, column int) int {
	for i := range b.Records() {
		if col := b.Columns[column]; col.IsValid(i) && col.Value(i) != "" {
			return i
		}
	}
	return -1
}
