package cli

import (
	"bytes"
	"strings"
	"testing"

	"twinsieve/service/view"
)

// TestNothingToAddUp: where a sieve has no amounts, a pairing by hand says so, and shows no table without rows.
func TestNothingToAddUp(t *testing.T) {
	run := &view.Run{Sides: [2]view.Side{{Set: "log", Columns: []string{"call"}}, {Set: "bills", Columns: []string{"call"}}}}
	tried := &view.TriedPair{Left: []view.Record{{}}, Right: []view.Record{{}}, Matched: true}
	for sums, want := range map[int]string{0: "the sieve names no amounts", 1: "difference"} {
		var out bytes.Buffer
		tried.Sums = make([]view.PairedSum, sums)
		if err := printTriedPair(&printer{out: &out, form: "table"}, run, tried); err != nil {
			t.Fatal(err)
		}
		if got := out.String(); !strings.Contains(got, want) || strings.Contains(got, "difference") != (sums > 0) || !strings.Contains(got, "they would be matched") {
			t.Errorf("with %d sums: %s", sums, got)
		}
	}
}
