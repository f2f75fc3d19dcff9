package match_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// benchSides are two sides of so many records: of a hundred right ones two have another key, two another amount, and one stands twice.
func benchSides(b *testing.B, records int) (*sieve.Plan, [2]record.Table) {
	r := rand.New(rand.NewPCG(2, 3))
	columns := []string{"call", "day", "code", "vessel", "amount"}
	var tables [2]record.Table
	order := r.Perm(records)
	for s := range tables {
		spool := record.NewSpool(columns, 1<<40, "")
		builder := record.NewBuilder(len(columns))
		add := func(n int, other string, cents int) {
			builder.Cell(0, fmt.Appendf(nil, "MW-%08d%s", n/3, other))
			builder.Cell(1, fmt.Appendf(nil, "2031-%02d-%02d", 1+n%12, 1+n%28))
			builder.Cell(2, []byte{'A' + byte(n%5)})
			builder.Cell(3, fmt.Appendf(nil, "Vessel %d", n*7919%5000))
			builder.Cell(4, fmt.Appendf(nil, "%d.%02d", n*31%5000, cents))
			if batch := builder.Close(int64(n)); batch != nil {
				if err := spool.Add(batch); err != nil {
					b.Fatal(err)
				}
			}
		}
		for i := range records {
			n := i
			if s == 1 {
				n = order[i]
			}
			switch kind := n % 100; {
			case s == 1 && kind < 2:
				add(n, "x", n%100)
			case s == 1 && kind < 4:
				add(n, "", (n+7)%100)
			case s == 1 && kind == 4:
				add(n, "", n%100)
				add(n, "", n%100)
			default:
				add(n, "", n%100)
			}
		}
		if last := builder.Flush(); last != nil {
			if err := spool.Add(last); err != nil {
				b.Fatal(err)
			}
		}
		tables[s] = spool
	}
	d := sieve.Definition{Left: "left", Right: "right", Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "0.05"}, {Columns: sieve.Columns{Left: "vessel"}}}}
	for _, name := range columns[:3] {
		d.Key = append(d.Key, sieve.KeyPart{Columns: sieve.Columns{Left: name}})
	}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		b.Fatal(err)
	}
	return plan, tables
}

// BenchmarkFeed reads keys and values, hashes keys, and writes entries into partitions, on one goroutine.
func BenchmarkFeed(b *testing.B) {
	plan, tables := benchSides(b, 100_000)
	b.ReportAllocs()
	for b.Loop() {
		m := match.Begin(plan, tables[0].Records()+tables[1].Records(), match.Options{Workers: 1})
		feed(b, m, tables)
		m.Close()
	}
	perRecord(b, tables)
}

// BenchmarkFeedLines is the same of records that are given as lines.
func BenchmarkFeedLines(b *testing.B) {
	plan, tables := benchSides(b, 100_000)
	var lines [2][]*record.Lines
	for _, s := range tray.Sides {
		for i := range tables[s].Starts() {
			batch, err := tables[s].Batch(context.Background(), i)
			if err != nil {
				b.Fatal(err)
			}
			for first := 0; first < batch.Records(); first += 3000 { // about as many as a reader gives at a time
				some := record.Pick(batch, numbers(first, min(first+3000, batch.Records())))
				some.First = batch.First + int64(first)
				lines[s] = append(lines[s], linesOf(some, 1))
			}
		}
	}
	b.ReportAllocs()
	for b.Loop() {
		m := match.Begin(plan, tables[0].Records()+tables[1].Records(), match.Options{Workers: 1})
		f := m.Feeder()
		for _, s := range tray.Sides {
			for _, l := range lines[s] {
				if err := f.AddLines(s, l); err != nil {
					b.Fatal(err)
				}
			}
		}
		if err := f.Flush(); err != nil {
			b.Fatal(err)
		}
		m.Close()
	}
	perRecord(b, tables)
}

func numbers(from, to int) (list []int) {
	for n := from; n < to; n++ {
		list = append(list, n)
	}
	return list
}

// BenchmarkFinish brings equal keys together, puts each record into its tray, pairs repeated keys and numbers them all.
func BenchmarkFinish(b *testing.B) {
	plan, tables := benchSides(b, 100_000)
	b.ReportAllocs()
	for b.Loop() {
		b.StopTimer()
		m := match.Begin(plan, tables[0].Records()+tables[1].Records(), match.Options{Workers: 1})
		feed(b, m, tables)
		b.StartTimer()
		if _, err := m.Finish(context.Background(), tables); err != nil {
			b.Fatal(err)
		}
		m.Close()
	}
	perRecord(b, tables)
}

// BenchmarkBuild is the whole match, on all processors.
func BenchmarkBuild(b *testing.B) {
	plan, tables := benchSides(b, 300_000)
	b.ReportAllocs()
	for b.Loop() {
		if _, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{}); err != nil {
			b.Fatal(err)
		}
	}
	perRecord(b, tables)
}

func feed(b *testing.B, m *match.Matching, tables [2]record.Table) {
	f := m.Feeder()
	for _, s := range tray.Sides {
		for i := range tables[s].Starts() {
			batch, err := tables[s].Batch(context.Background(), i)
			if err == nil {
				err = f.Add(s, batch)
			}
			if err != nil {
				b.Fatal(err)
			}
		}
	}
	if err := f.Flush(); err != nil {
		b.Fatal(err)
	}
}

func perRecord(b *testing.B, tables [2]record.Table) {
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(tables[0].Records()+tables[1].Records()), "ns/record")
}
