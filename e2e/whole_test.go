package e2e

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"twinsieve/core/comparison"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/formats/outform"
	"twinsieve/service/view"
)

// messy are records whose columns mostly read as one type, and have something else in one of about twenty cells.
func messy(r *rand.Rand, records int) (columns []string, rows [][]string) {
	columns = []string{"id", "fee", "day", "paid", "code", "remark"}
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	for n := range records {
		row := []string{fmt.Sprint(n / 2), fmt.Sprintf("%d.%02d", r.IntN(2000), r.IntN(100)), fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28)),
			pick("yes", "no"), fmt.Sprintf("%04d", r.IntN(50)), pick("", "tug", "Île de Sjö", "a \"quoted\", one", "two\nlines")}
		for c := range row {
			if r.IntN(20) == 0 {
				row[c] = pick("1/4", "n/a", " ", "  7 ", "12,50", "1e3", "0x1F", "31.02.2031", "2031-13-01", "+5", "-", "00A1", "NaN", "1.2.3", "'", "=1+1")
			}
		}
		rows = append(rows, row)
	}
	return columns, rows
}

// TestWholeRecordsOfItself holds files of every format, with messy columns, against themselves by all comparisons of whole records: nothing
// is in except and everything in intersect, whatever their columns are taken for.
func TestWholeRecordsOfItself(t *testing.T) {
	t.Parallel()
	c := serve(t, t.TempDir()).client()
	r := rand.New(rand.NewPCG(22, 5))
	asText := int64(0)
	for _, form := range outform.Names {
		for n := range 5 {
			columns, rows := messy(r, 60+r.IntN(400))
			var file bytes.Buffer
			var typed []outform.Column
			for _, name := range columns {
				typed = append(typed, outform.Column{Name: name})
			}
			out, err := outform.New(form, &file, typed, outform.Options{Exact: true})
			if err != nil {
				t.Fatal(err)
			}
			for _, row := range rows {
				var cells []record.Cell
				for _, text := range row {
					cells = append(cells, record.Cell{Text: text})
				}
				if err := out.Write(cells); err != nil {
					t.Fatal(err)
				}
			}
			if err := out.Close(); err != nil {
				t.Fatal(err)
			}
			name := fmt.Sprintf("%s-%d", form, n)
			job, err := c.LoadFile(t.Context(), name, name+"."+strings.TrimPrefix(form, "."), bytes.NewReader(file.Bytes()), view.Recipe{})
			set := done(t, c, job, err).Set
			records := set.Snapshot.Records
			if records == 0 || set.Snapshot.Rejects > 0 {
				t.Fatalf("%s: %d records, %d rejects", name, records, set.Snapshot.Rejects)
			}
			d := sieve.Definition{Left: name, Right: name, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "id"}}}}
			job, err = c.CountWhole(t.Context(), d, comparison.Alignment{})
			whole := done(t, c, job, err).Whole
			counts := map[comparison.Name]int64{}
			for _, count := range whole.Counts {
				counts[count.Comparison] = count.Rows
			}
			if len(whole.Misfits) > 0 || counts[comparison.Except] != 0 || counts[comparison.ExceptAll] != 0 || counts[comparison.IntersectAll] != records ||
				counts[comparison.Intersect] != counts[comparison.Union] || counts[comparison.Union] == 0 || counts[comparison.UnionAll] != 2*records {
				t.Errorf("%s, %d records against themselves: %v, %v", name, records, counts, whole.Misfits)
			}
			asText += whole.Unread[0]
		}
	}
	if asText < 100 {
		t.Errorf("only %d values could not be read as their column's type", asText)
	}
}
