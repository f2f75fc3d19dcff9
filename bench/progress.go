package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"sync"
	"time"

	"twinsieve/service/view"
)

// progress holds the seconds that jobs say are left against those that there were, from a tenth of the way on.
func (b *bench) progress() {
	ctx := context.Background()
	records := b.sizes[len(b.sizes)-1]
	s := b.stocked(records)
	defer s.stop()
	fmt.Printf("\nwhat jobs of %d records a side say is left\n\n| | seconds | told | within 30 %% | worst |\n|---|---|---|---|---|\n", records)
	tell := func(what string, begin func() (view.Job, error)) {
		type told struct {
			at    time.Duration
			left  float64
			stage string
		}
		var mu sync.Mutex
		var all []told
		start := time.Now()
		job, err := begin()
		must(err)
		_, err = s.Wait(ctx, job, func(j view.Job) {
			if j.State == "running" && j.Stage != "" {
				mu.Lock()
				all = append(all, told{time.Since(start), j.Left, j.Stage})
				mu.Unlock()
			}
		})
		must(err)
		whole := time.Since(start)
		within, of, worst := 0, 0, 0.0
		for _, t := range all {
			left := (whole - t.at).Seconds()
			if t.at < whole/10 || left < 0.3 { // less than the time between two tellings and the end's own
				continue
			}
			of++
			off := math.Abs(t.left-left) / left
			if worst = max(worst, off); off <= 0.3 {
				within++
			}
		}
		if os.Getenv("BENCH_SAY") != "" {
			for i := 0; i < len(all); i += max(1, len(all)/25) {
				fmt.Printf("   %.2f left %.2f, said %.2f %s\n", all[i].at.Seconds(), (whole - all[i].at).Seconds(), all[i].left, all[i].stage)
			}
		}
		if of > 0 {
			fmt.Printf("| %s | %.1f | %d | %.0f %% | %.0f %% off |\n", what, whole.Seconds(), of, 100*float64(within)/float64(of), 100*worst)
		}
	}
	for _, time := range []string{"first", "second", "third"} {
		tell("the "+time+" run", func() (view.Job, error) { return s.Run(ctx, "large") })
	}
	for range 2 {
		tell("a load", func() (view.Job, error) {
			f, err := os.Open(b.file("left.csv"))
			must(err)
			defer f.Close()
			return s.LoadFile(ctx, "again", filepath.Base(f.Name()), f, view.Recipe{})
		})
		tell("its profile", func() (view.Job, error) { return s.MakeProfile(ctx, "again") })
	}
}
