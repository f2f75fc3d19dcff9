package service

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"twinsieve/formats/textcode"
	"twinsieve/service/view"
	"twinsieve/store"
)

// The decisions of a crosswalk's file.
const (
	sameKeys    = "same"
	notSameKeys = "not the same"
)

// ExportCrosswalk prepares the keys that a sieve's crosswalk joins or keeps apart for handing over as CSV. The columns are the
// key's, with left and right in front, then decision, reason, score, source, by and when. Reading them in again takes the first.
func (v *Service) ExportCrosswalk(ctx context.Context, name string) (*Export, error) {
	c, err := v.Crosswalk(ctx, name)
	if err != nil {
		return nil, err
	}
	s, err := v.statement(ctx, 0)
	if err != nil {
		return nil, err
	}
	return &Export{Name: s.named(name+" crosswalk", "csv"), Type: "text/csv; charset=utf-8", History: s.history, Write: func(w io.Writer) error {
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
	decision, score := sameKeys, ""
	if e.Kind == store.KeysRefused {
		decision = notSameKeys
	}
	if e.Score > 0 {
		score = strconv.FormatFloat(e.Score, 'f', 3, 64)
	}
	return append(row, decision, e.Reason, score, e.Source, e.By, e.Created.UTC().Format(time.RFC3339))
}

// ImportCrosswalk takes in the pairs of keys of a CSV file as [Service.ExportCrosswalk] writes it. Its columns may stand in any
// order; the key's columns must be there, and a decision may be. Pairs that the crosswalk has already are left out. What is accepted
// is one change, and what is refused another.
func (v *Service) ImportCrosswalk(ctx context.Context, name string, file io.Reader, d view.Decision) (*view.Crosswalk, error) {
	c, err := v.Crosswalk(ctx, name)
	if err != nil {
		return nil, err
	}
	text, err := io.ReadAll(io.LimitReader(file, mostCrosswalk+1))
	if err != nil {
		return nil, view.Invalid.New("The file did not come whole: " + err.Error() + ".")
	}
	if len(text) > mostCrosswalk {
		return nil, view.TooLarge.New(fmt.Sprintf("The file has more than %d MB, which is the most that a crosswalk may have.", mostCrosswalk>>20))
	}
	if text, err = textcode.List(text); err != nil {
		return nil, view.Unreadable.New("The crosswalk: " + err.Error() + ".")
	}
	same, other, err := readCrosswalk(bytes.NewReader(text), c)
	if err != nil {
		return nil, view.Unreadable.New(err.Error() + ".")
	}
	for accept, pairs := range map[bool][]view.KeyPair{true: same, false: other} {
		if len(pairs) == 0 {
			continue
		}
		d.Pairs, d.Accept, d.Source = pairs, accept, "import"
		if c, err = v.Decide(ctx, name, d); err != nil {
			return nil, err
		}
	}
	return c, nil
}

// mostCrosswalk is how many bytes a file of a crosswalk may have.
const mostCrosswalk = 16 << 20

// readCrosswalk reads the pairs of a file that a crosswalk does not have: those that are the same, and those that are not.
func readCrosswalk(file io.Reader, c *view.Crosswalk) (same, other []view.KeyPair, err error) {
	r := csv.NewReader(file)
	r.FieldsPerRecord = -1 // a list made by hand need not have all columns that one has which was exported
	head, err := r.Read()
	if errors.Is(err, io.EOF) {
		return nil, nil, errors.New("the file is empty; its first line names the columns")
	}
	if err != nil {
		return nil, nil, err
	}
	var places [2][]int
	for s, side := range []string{"left ", "right "} {
		for _, column := range c.Columns[s] {
			at := slices.Index(head, side+column)
			if at < 0 {
				return nil, nil, fmt.Errorf("line 1: there is no column %q; the columns of a crosswalk of this sieve are left and right in front of %s and %s", side+column, strings.Join(c.Columns[0], ", "), strings.Join(c.Columns[1], ", "))
			}
			places[s] = append(places[s], at)
		}
	}
	known := map[string]bool{}
	id := func(accept bool, l, r []string) string { return fmt.Sprint(accept) + pairName(l, r) }
	for _, e := range c.Entries {
		if e.Holds && e.Records == nil {
			known[id(e.Kind == store.KeysAccepted, e.Left, e.Right)] = true
		}
	}
	decision := slices.Index(head, "decision")
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return same, other, nil
		}
		if err != nil {
			return nil, nil, err
		}
		line, _ := r.FieldPos(0)
		if last := slices.Max(slices.Concat(places[0], places[1])); len(row) <= last {
			return nil, nil, fmt.Errorf("line %d: there are %d cells, and the key goes on to the column %q, which is the %dth", line, len(row), head[last], last+1)
		}
		if len(row) > len(head) {
			return nil, nil, fmt.Errorf("line %d: there are %d cells, and %d columns are named", line, len(row), len(head))
		}
		var pair view.KeyPair
		for _, at := range places[0] {
			pair.Left = append(pair.Left, row[at])
		}
		for _, at := range places[1] {
			pair.Right = append(pair.Right, row[at])
		}
		accept := true
		if decision >= 0 && decision < len(row) {
			switch row[decision] {
			case "", sameKeys:
			case notSameKeys:
				accept = false
			default:
				return nil, nil, fmt.Errorf("line %d: the decision %q is none; write %s or %s", line, row[decision], sameKeys, notSameKeys)
			}
		}
		if name := id(accept, pair.Left, pair.Right); !known[name] {
			known[name] = true
			if accept {
				same = append(same, pair)
			} else {
				other = append(other, pair)
			}
		}
	}
}
