package intake_test

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"slices"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
)

// TestCutFiles: a file that has been cut, at any byte of its first and last kilobyte, gives a clear error, or the first of its records and, of
// text, what is left of the line in which it was cut; never other cells.
func TestCutFiles(t *testing.T) {
	s := set{columns: []string{"call", "note", "fee"}}
	for n := range 400 {
		s.rows = append(s.rows, []record.Cell{{Text: fmt.Sprintf("MW-%05d", n)}, {Text: []string{"Müller", "two\nlines", `say "so"`, "a,b"}[n%4]}, {Text: fmt.Sprintf("%d.50", n)}})
	}
	files := map[string][]byte{}
	for _, format := range outform.Names {
		files["x."+format] = write(t, format, s, outform.Options{Exact: true})
	}
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, _ = w.Write(files["x.csv"])
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	files["x.csv.gz"] = packed.Bytes()
	for name, file := range files {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			whole, err := read(t, name, file, intake.Choices{})
			if err != nil || len(whole.rows) != len(s.rows) {
				t.Fatalf("whole, it has %d records, %v", len(whole.rows), err)
			}
			step := 1
			if name == "x.xlsx" || name == "x.parquet" { // these are found to be cut at once
				step = 7
			}
			for at := 0; at < len(file); at += step {
				if at == 1024 && len(file) > 2048 {
					at = len(file) - 1024
				}
				got, err := read(t, name, file[:at], intake.Choices{})
				if unreadable, choice := new(record.Unreadable), new(intake.ChoiceError); err != nil && !errors.As(err, &unreadable) && !errors.As(err, &choice) {
					t.Fatalf("cut at %d: %T %v", at, err, err)
				}
				rows := got.rows
				if len(rows) > 0 && err == nil { // the last may have been cut within its last cell
					rows = rows[:len(rows)-1]
				}
				if len(got.columns) != len(s.columns) || !slices.Equal(got.columns, whole.columns) { // the line of names was cut: nothing follows it
					if len(rows) > 0 {
						t.Fatalf("cut at %d: columns %q and %d records", at, got.columns, len(rows))
					}
					continue
				}
				for i, row := range rows {
					if fmt.Sprint(row) != fmt.Sprint(whole.rows[i]) {
						t.Fatalf("cut at %d: record %d is %v, want %v", at, i, row, whole.rows[i])
					}
				}
			}
		})
	}
}
