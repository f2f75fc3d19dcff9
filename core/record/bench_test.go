package record_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/record"
)

// benchColumns are columns of a full batch: of few values, and of values each of which is another.
func benchColumns() map[string]*array.String {
	columns := map[string]*array.String{}
	for name, cell := range map[string]func(n int) string{
		"few":  func(n int) string { return fmt.Sprintf("Quay %d", n*7919%9) },
		"many": func(n int) string { return fmt.Sprintf("entry %d by hand", n*104729%1_000_000) },
	} {
		b := record.NewBuilder(1)
		for n := range record.BatchRecords {
			b.Cell(0, []byte(cell(n)))
			if batch := b.Close(int64(n)); batch != nil {
				columns[name] = batch.Columns[0]
			}
		}
	}
	return columns
}

func BenchmarkEncodeColumn(b *testing.B) {
	for name, col := range benchColumns() {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(col.ValueBytes())))
			b.ReportAllocs()
			for b.Loop() {
				if _, err := record.EncodeColumn(col); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func BenchmarkDecodeColumn(b *testing.B) {
	for name, col := range benchColumns() {
		blob, err := record.EncodeColumn(col)
		if err != nil {
			b.Fatal(err)
		}
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(col.ValueBytes())))
			b.ReportAllocs()
			for b.Loop() {
				if _, err := record.DecodeColumn(blob); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func BenchmarkGather(b *testing.B) {
	builder := record.NewBuilder(3)
	spool := record.NewSpool([]string{"call", "quay", "remark"}, 1<<30, "")
	for n := range 100_000 {
		builder.Cell(0, fmt.Appendf(nil, "MW-%08d", n))
		builder.Cell(1, fmt.Appendf(nil, "Quay %d", n%9))
		builder.Cell(2, fmt.Appendf(nil, "entry %d by hand", n))
		if batch := builder.Close(int64(n)); batch != nil {
			if err := spool.Add(batch); err != nil {
				b.Fatal(err)
			}
		}
	}
	var rows []uint32
	for n := uint32(0); int64(n) < spool.Records(); n += 97 {
		rows = append(rows, n)
	}
	b.ReportAllocs()
	for b.Loop() {
		size := 0
		err := record.Gather(context.Background(), spool, rows, func(_ int, batch *record.Batch, i int) { size += len(batch.Columns[2].Value(i)) })
		if err != nil || size == 0 {
			b.Fatal(err)
		}
	}
}
