package main

import (
	"context"
	"fmt"
	"path/filepath"
	"time"

	"twinsieve/client"
	"twinsieve/demo"
)

// start measures how soon a service with a data file of 5 GB answers, and how soon an old report shows its first page.
func (b *bench) start() {
	ctx := context.Background()
	s := b.stocked(1_000_000)
	job, err := s.Run(ctx, "large")
	must(err)
	result, err := s.Wait(ctx, job, nil)
	must(err)
	must(demo.Large{Records: 10_000_000, Seed: b.large.Seed}.Write(b.file("large.csv"), b.file("other.csv")))
	data := b.file("data")
	file := filepath.Join(data, "twinsieve.db")
	for n := 0; bytesOf(file) < 5<<30; n++ {
		s.sent(fmt.Sprintf("more-%d", n), b.file("large.csv"))
	}
	s.stop()
	fmt.Printf("\na data file of %d MB\n\n", bytesOf(file)>>20)
	for range 3 {
		begin := time.Now()
		s = serve(b.binary, data, b.memory)
		up := time.Since(begin)
		begin = time.Now()
		_, err = s.Entries(ctx, result.Run, client.Query{Limit: 100})
		must(err)
		page := time.Since(begin)
		begin = time.Now()
		_, err = s.Entries(ctx, result.Run, client.Query{Limit: 100, Tray: "matched"})
		must(err)
		fmt.Printf("the service answers after %.2f s; the first page of an old report takes %.0f ms, of its matched records %.0f ms\n", up.Seconds(), ms(page), ms(time.Since(begin)))
		s.stop()
	}
}
