package service

import (
	"context"
	"encoding/csv"
	"io"
	"strconv"
	"time"

	"twinsieve/service/view"
	"twinsieve/store"
)

// ExportCrosswalk prepares the keys that a sieve's crosswalk joins or keeps apart for handing over as CSV. The columns are the
// key's, with left and right in front, then decision, reason, score, source, by and when. Reading them in again takes the first.
func (v *Service) ExportCrosswalk(ctx context.Context, name string) (*Export, error) {
	c, err := v.Crosswalk(ctx, name)
	if err != nil {
		return nil, err
	}
	return &Export{Name: name + " crosswalk.csv", Type: "text/csv; charset=utf-8", Write: func(w io.Writer) error {
		out := csv.NewWriter(w)
		var head []string
		for s, side := range []string{"left ", "right "} {
			for _, column := range c.Columns[s] {
				head = append(head, side+column)
			}
		}
		if err := out.Write(append(head, "decision", "reason", "score", "source", "by", "when")); err != nil {
			return err
		}
		for _, e := range c.Entries {
			if !e.Holds || e.Kind == store.RecordsAccepted {
				continue
			}
			if err := out.Write(crosswalkRow(&e)); err != nil {
				return err
			}
		}
		out.Flush()
		return out.Error()
	}}, nil
}

func crosswalkRow(e *view.Acceptance) []string {
	row := append(append([]string{}, e.Left...), e.Right...)
	decision, score := "same", ""
	if e.Kind == store.KeysRefused {
		decision = "not the same"
	}
	if e.Score > 0 {
		score = strconv.FormatFloat(e.Score, 'f', 3, 64)
	}
	return append(row, decision, e.Reason, score, e.Source, e.By, e.Created.UTC().Format(time.RFC3339))
}
