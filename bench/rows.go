package main

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"time"

	"twinsieve/core/comparison"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/demo"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
)

const pageRows = 100

// rows measures what comparisons cost: all their counts beside one index build, and pages of each from the service.
func rows(dir, binary string, records int, seed uint64) {
	left, right := filepath.Join(dir, "left.csv"), filepath.Join(dir, "right.csv")
	must(demo.Large{Records: records, Seed: seed}.Write(left, right))
	d := definition(3)
	countsBench(d, left, right)
	pagesBench(d, binary, filepath.Join(dir, "data"), left, right)
}

// countsBench measures, in this process, the build of an index and the counts that are read from it.
func countsBench(d sieve.Definition, files ...string) {
	var tables [2]record.Table
	for s, name := range files {
		tables[s] = table(name)
	}
	plan, err := d.Compile(tables[0].Columns(), tables[1].Columns())
	must(err)
	var build, count []time.Duration
	var counts []comparison.Count
	for range 5 {
		start := time.Now()
		index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
		must(err)
		build = append(build, time.Since(start))
		start = time.Now()
		counts = comparison.Counts(&index.Totals)
		count = append(count, time.Since(start))
	}
	slices.Sort(build)
	slices.Sort(count)
	fmt.Printf("\n%d and %d records: one index build %.2f s, and with it all %d counts by key in %.6f s more (%.4f %%)\n", tables[0].Records(), tables[1].Records(),
		build[2].Seconds(), len(counts), count[2].Seconds(), 100*count[2].Seconds()/build[2].Seconds())
}

func table(name string) record.Table {
	f, err := os.Open(name)
	must(err)
	info, err := f.Stat()
	must(err)
	src, err := intake.Open(f, info.Size(), intake.Choices{}, intake.Options{Name: name})
	must(err)
	spool := record.NewSpool(src.Columns(), 4<<30, "")
	for {
		b, err := src.Next()
		if err == io.EOF {
			return spool
		}
		must(err)
		must(spool.Add(b))
	}
}

// page times one page, and says how many rows there are altogether.
func (s *served) page(a view.Ask, first int64) (time.Duration, int64) {
	start := time.Now()
	page, err := s.Rows(context.Background(), a, first, pageRows, nil)
	must(err)
	wall := time.Since(start)
	if want := min(pageRows, page.Total-first); int64(len(page.Rows)) != max(want, 0) {
		must(fmt.Errorf("%d rows came of %d from %d on", len(page.Rows), page.Total, first))
	}
	return wall, page.Total
}

func pagesBench(d sieve.Definition, binary, data, left, right string) {
	must(os.RemoveAll(data))
	s := serve(binary, data, "")
	ctx := context.Background()
	for set, file := range map[string]string{"left": left, "right": right} {
		_, err := sendFile(s.Client, set, file)
		must(err)
	}
	_, err := s.CreateSieve(ctx, d)
	must(err)
	job, err := s.Run(ctx, d.Name)
	must(err)
	result, err := s.Wait(ctx, job, nil)
	must(err)
	run := result.Run
	fmt.Printf("\npages of %d rows of a run, from the service, in ms; the slowest of first, middle, last and 20 others anywhere\n", pageRows)
	fmt.Printf("%-14s %12s %8s %8s %8s %8s %8s\n", "comparison", "rows", "first", "middle", "last", "median", "slowest")
	for _, n := range comparison.Keyed {
		a := view.Ask{Run: run, Look: view.Look{Comparison: string(n)}}
		_, total := s.page(a, 0) // which finds where the rows are
		s.pagesLine(string(n), a, total)
	}
	fmt.Printf("\nsorted or filtered: the first page, which makes a list of rows, and pages of it, in ms\n")
	fmt.Printf("%-14s %12s %8s %8s %8s %8s %8s %8s\n", "", "rows", "list", "first", "middle", "last", "median", "slowest")
	for what, look := range map[string]view.Look{
		"sort number": {Comparison: "full", Sort: []view.SortBy{{Column: "left.amount", Descending: true}}},
		"sort three":  {Comparison: "inner", Sort: []view.SortBy{{Column: "right.vessel"}, {Column: "left.day"}, {Column: "right.amount"}}},
		"filter":      {Comparison: "full", Where: `number(column("left.amount")) > 500 && column("right.vessel") != ""`},
		"both":        {Comparison: "left", Where: `number(column("left.amount")) > 500`, Sort: []view.SortBy{{Column: "right.amount"}}},
	} {
		a := view.Ask{Run: run, Look: look}
		wall, total := s.page(a, 0)
		fmt.Printf("%-14s %12s %8.0f", what, "", ms(wall))
		s.pagesLine("", a, total)
	}
	fmt.Printf("peak memory of the service: %d MB\n", highWater(s.cmd.Process.Pid)>>20)
	fmt.Printf("\nthe first request after a restart, in ms\n")
	for _, n := range []comparison.Name{comparison.Full, comparison.Inner, comparison.RightAnti} {
		s.stop()
		s = serve(binary, data, "")
		a := view.Ask{Run: run, Look: view.Look{Comparison: string(n)}}
		wall, total := s.page(a, 700_000*int64(n[0])%100_000)
		fmt.Printf("%-14s %12d %8.0f\n", n, total, ms(wall))
	}
	s.stop()
}

func (s *served) pagesLine(name string, a view.Ask, total int64) {
	var all []time.Duration
	at := func(first int64) float64 {
		wall, _ := s.page(a, max(first, 0))
		all = append(all, wall)
		return ms(wall)
	}
	first, middle, last := at(0), at(total/2), at(total-pageRows)
	r := rand.New(rand.NewPCG(1, uint64(total)))
	for range 20 {
		at(r.Int64N(max(total, 1)))
	}
	slices.Sort(all)
	if name != "" {
		fmt.Printf("%-14s %12d", name, total)
	}
	fmt.Printf(" %8.1f %8.1f %8.1f %8.1f %8.1f\n", first, middle, last, ms(all[len(all)/2]), ms(all[len(all)-1]))
}
