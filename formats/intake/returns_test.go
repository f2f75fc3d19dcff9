package intake_test

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
)

// TestReturns: lines may end with a carriage return alone. Cells keep their carriage returns and line feeds, and rejects theirs.
func TestReturns(t *testing.T) {
	var text strings.Builder
	text.WriteString("call;note\r")
	const records = record.BatchRecords + 100
	for n := range records {
		fmt.Fprintf(&text, "MW-%d;\"a\rb%s\"\r", n, map[bool]string{true: "\nc"}[n > records-3]) // line feeds come late
	}
	text.WriteString("MW-X;\"d\re\";1\rTotal\r")
	got, err := read(t, "x.csv", []byte(text.String()), intake.Choices{})
	if err != nil || len(got.rows) != records || len(got.rejects) != 1 || got.rejects[0].Text != "MW-X;\"d\re\";1" || got.source.FooterLines() != 1 {
		t.Fatalf("%d records, rejects %+v, %d footers, %v", len(got.rows), got.rejects, got.source.FooterLines(), err)
	}
	for n, row := range got.rows {
		want := "a\rb"
		if n > records-3 {
			want = "a\rb\nc"
		}
		if row[1].Text != want || row[0].Text != fmt.Sprintf("MW-%d", n) || got.lines[n] != int64(2+2*n) {
			t.Fatalf("record %d on line %d is %q", n, got.lines[n], row[1].Text)
		}
	}
	fixed, err := read(t, "x.txt", []byte("MW-1  5\rMW-2  6\r"), intake.Choices{Layout: "call 1-4, fee 5-7"})
	if err != nil || len(fixed.rows) != 2 || fixed.rows[1][1].Text != "6" {
		t.Errorf("fixed width: %v, %v", fixed.rows, err)
	}
	lines, err := read(t, "x.ndjson", []byte("{\"a\":\"x\\ry\"}\r{\"a\":2}\r"), intake.Choices{})
	if err != nil || len(lines.rows) != 2 || lines.rows[0][0].Text != "x\ry" {
		t.Errorf("NDJSON: %v, %v", lines.rows, err)
	}
}
