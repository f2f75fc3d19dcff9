package comparison_test

import (
	"context"
	"fmt"
	"testing"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
)

// BenchmarkPage reads pages of 100 rows from all over a full outer join of 100,000 records a side.
func BenchmarkPage(b *testing.B) {
	const records = 100_000
	columns := []string{"call", "quay"}
	var tables [2]record.Table
	for s := range tables {
		spool := record.NewSpool(columns, 1<<40, "")
		builder := record.NewBuilder(2)
		for n := range records {
			builder.Cell(0, fmt.Appendf(nil, "MW-%08d", (n*7919+s*500)%records+s*1000))
			builder.Cell(1, fmt.Appendf(nil, "Quay %d", n%9))
			batch := builder.Close(int64(n))
			if n == records-1 && batch == nil {
				batch = builder.Flush()
			}
			if batch != nil {
				if err := spool.Add(batch); err != nil {
					b.Fatal(err)
				}
			}
		}
		tables[s] = spool
	}
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		b.Fatal(err)
	}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		b.Fatal(err)
	}
	choice := comparison.Choice{Comparison: comparison.Full}
	shown, err := comparison.ColumnsOf(choice, [2][]string{columns, columns}, nil, comparison.Naming{Sets: [2]string{"log", "bills"}})
	if err != nil {
		b.Fatal(err)
	}
	rows := comparison.NewRows(comparison.NewGroups(index), choice)
	page := make([]comparison.Row, 100)
	at := int64(0)
	b.ReportAllocs()
	for b.Loop() {
		at = (at + 48_611) % (rows.Len() - 100)
		if n := rows.Read(at, page); n != len(page) {
			b.Fatalf("%d rows at %d", n, at)
		}
		if _, err := comparison.Fetch(context.Background(), tables, page, shown, nil); err != nil {
			b.Fatal(err)
		}
	}
}
