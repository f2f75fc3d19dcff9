package service

import (
	"context"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
)

// TestClashes: a part of the key is warned of where its values are of types that have nothing in common as they are read, and only
// there.
func TestClashes(t *testing.T) {
	rows := func(values ...string) (list [][]string) {
		for _, v := range values {
			list = append(list, []string{v})
		}
		return list
	}
	days := []string{"2031-03-14", "2031-03-15", "2031-03-16", "2031-03-17", "2031-03-18", "2031-03-19", "2031-03-20", "2031-03-21", "2031-03-22", "2031-03-23", "2031-03-24"}
	for name, c := range map[string]struct {
		left, right []string
		readings    []string
		want        string
	}{
		"two layouts":      {days, []string{"14.03.2031", "15.03.2031"}, nil, "k = K: as they are read, hardly a value of the one side can equal one of the other: k is date YYYY-MM-DD in 11 of 11 values, and K is date DD.MM.YYYY in 2 of 2 values"},
		"one stray value":  {append([]string{"soon"}, days...), []string{"14.03.2031", "15.03.2031"}, nil, "k is date YYYY-MM-DD in 11 of 12 values"},
		"read alike":       {days, []string{"14.03.2031", "15.03.2031"}, []string{"right date DD.MM.YYYY"}, ""},
		"numbers":          {[]string{"1", "2"}, []string{"1.5", "2.5"}, nil, ""},
		"a day, a number":  {days, []string{"1.5", "2.5"}, nil, "K is decimal point in 2 of 2 values"},
		"codes":            {[]string{"PIL", "TUG"}, []string{"1", "2"}, nil, ""},
		"nothing there":    {days, nil, nil, ""},
		"blank on a side":  {days, []string{"", ""}, nil, ""},
		"many":             {append(slices.Repeat([]string{"2031-03-14", ""}, 1999), "2031-03-15", "x", "x"), []string{"14.03.2031"}, nil, "k is date YYYY-MM-DD in 2,000 of the first 2,000 values, and K is date DD.MM.YYYY in 1 of 1 values"},
		"yes and a number": {[]string{"yes", "no"}, []string{"1", "2"}, nil, "k is boolean yes/no in 2 of 2 values"},
	} {
		d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k", Right: "K"}}}}
		d.Key[0].Readings = reading.MustParse(c.readings...)
		plan, err := d.Compile([]string{"k"}, []string{"K"})
		if err != nil {
			t.Fatal(err)
		}
		got, err := clashes(context.Background(), plan, [2]record.Table{recordtest.Batches(t, []string{"k"}, rows(c.left...), 5000), recordtest.Batches(t, []string{"K"}, rows(c.right...), 5000)})
		if err != nil {
			t.Fatal(err)
		}
		if c.want == "" && len(got) > 0 || c.want != "" && (len(got) != 1 || !strings.Contains(got[0], c.want)) {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
}
