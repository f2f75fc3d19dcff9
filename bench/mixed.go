package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
	"time"

	"twinsieve/client"
	"twinsieve/service/view"
)

// mixed lets people load, run, look, hand over and cancel for a while, all at once, and looks at what the service holds then.
func (b *bench) mixed() {
	ctx := context.Background()
	const records = 300_000
	s := b.stocked(records)
	defer s.stop()
	work := map[string]func(n int) error{
		"loads": func(n int) error {
			f, err := os.Open(b.file("left.csv"))
			if err != nil {
				return err
			}
			defer f.Close()
			job, err := s.LoadFile(ctx, "again", "again.csv", f, view.Recipe{})
			if err == nil {
				_, err = s.Wait(ctx, job, nil)
			}
			return err
		},
		"runs": func(n int) error {
			job, err := s.Run(ctx, "large")
			if err != nil {
				return err
			}
			if n%3 == 0 {
				time.Sleep(time.Duration(n%10) * 100 * time.Millisecond)
				_, err = s.Cancel(ctx, job.ID)
				if err == nil {
					_, _ = s.Wait(ctx, job, nil) // says that it was cancelled
				}
				return err
			}
			_, err = s.Wait(ctx, job, nil)
			return err
		},
		"pages": func(n int) error {
			list, err := s.Runs(ctx, "", 1)
			if err != nil || len(list.Runs) == 0 {
				return err
			}
			for _, tray := range []string{"", "matched", "missing"} {
				if _, err := s.Entries(ctx, list.Runs[0].ID, client.Query{Limit: 100, Tray: tray}); err != nil {
					return err
				}
			}
			_, err = s.Records(ctx, "left", fmt.Sprint(n*997%records), 100)
			return err
		},
		"hand-overs": func(n int) error {
			list, err := s.Runs(ctx, "", 1)
			if err != nil || len(list.Runs) == 0 {
				return err
			}
			return s.Export(ctx, list.Runs[0].ID, client.Query{}, client.Format{Name: []string{"csv", "parquet", "ndjson"}[n%3]}, io.Discard)
		},
	}
	var mu sync.Mutex
	done := map[string]int{}
	var wrong []error
	// goOn lets all go on for a while; what the service holds is looked at when nothing is being done.
	goOn := func(d time.Duration) held {
		stop := time.Now().Add(d)
		var all sync.WaitGroup
		for name, do := range work {
			all.Go(func() {
				for time.Now().Before(stop) {
					mu.Lock()
					n := done[name]
					done[name]++
					mu.Unlock()
					if err := do(n); err != nil && !errors.Is(err, context.Canceled) {
						mu.Lock()
						wrong = append(wrong, fmt.Errorf("%s: %w", name, err))
						mu.Unlock()
						time.Sleep(100 * time.Millisecond)
					}
				}
			})
		}
		all.Wait()
		time.Sleep(5 * time.Second)
		return holds(s.cmd.Process.Pid)
	}
	fmt.Printf("\nmixed work of %d minutes on %d records a side\n\n| minute | loads | runs | pages | hand-overs | MB held | open files | errors |\n|---|---|---|---|---|---|---|---|\n", b.minutes, records)
	for minute, each := 0, max(1, b.minutes/10); minute < b.minutes; minute += each {
		h := goOn(time.Duration(each) * time.Minute)
		fmt.Printf("| %d | %d | %d | %d | %d | %d | %d | %d |\n", minute+each, done["loads"], done["runs"], done["pages"], done["hand-overs"], h.memory>>20, h.files, len(wrong))
	}
	fmt.Printf("\nat most %d MB\n", highWater(s.cmd.Process.Pid)>>20)
	for _, err := range wrong[:min(len(wrong), 5)] {
		fmt.Println(err)
	}
}
