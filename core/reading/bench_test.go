package reading_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// BenchmarkColumn reads a full batch's column in the ways that keys and amounts are read most.
func BenchmarkColumn(b *testing.B) {
	column := func(cell func(n int) string) (col *array.String) {
		builder := record.NewBuilder(1)
		for n := range record.BatchRecords {
			builder.Cell(0, []byte(cell(n)))
			if batch := builder.Close(0); batch != nil {
				col = batch.Columns[0]
			}
		}
		return col
	}
	calls := column(func(n int) string { return fmt.Sprintf(" mw-%08d", n) })
	amounts := column(func(n int) string { return fmt.Sprintf("%d.%02d", n*31%5000, n%100) })
	days := column(func(n int) string { return fmt.Sprintf("%02d.%02d.2031", 1+n%28, 1+n%12) })
	for _, c := range []struct {
		readings string
		col      *array.String
	}{
		{"", calls},
		{"trim", calls},
		{"trim, ignore-case, drop-zeros-in-digit-runs", calls},
		{"number", amounts},
		{"date DD.MM.YYYY", days},
	} {
		var readings []reading.Reading
		if c.readings != "" {
			readings = reading.MustParse(strings.Split(c.readings, ", ")...)
		}
		chain, err := reading.Compile(readings, tray.Left, nil)
		if err != nil {
			b.Fatal(err)
		}
		name := strings.NewReplacer(", ", "+", " ", "-").Replace(c.readings)
		if name == "" {
			name = "as-it-is"
		}
		b.Run(name, func(b *testing.B) {
			reader := chain.Reader()
			var out reading.Column
			b.ReportAllocs()
			for b.Loop() {
				reader.Column(c.col, &out)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/record.BatchRecords, "ns/cell")
		})
	}
}
