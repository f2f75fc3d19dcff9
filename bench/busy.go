package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// busy measures how quick the service stays for others while it works: pages and counts during the largest run, two large runs at once
// against each alone, and how soon a cancelled run has given back its memory and files.
func (b *bench) busy() {
	ctx := context.Background()
	records := b.sizes[len(b.sizes)-1]
	s := b.stocked(records)
	defer s.stop()
	for set, text := range map[string]string{"small-left": small(0), "small-right": small(7)} {
		s.load(ctx, set, text)
	}
	begun := time.Now()
	job, err := s.Run(ctx, "large")
	must(err)
	var pages, counts []time.Duration
	for done := false; !done; {
		start := time.Now()
		_, err := s.Records(ctx, "small-left", "2000", 100)
		must(err)
		pages = append(pages, time.Since(start))
		d := definition(1)
		d.Left, d.Right, d.Compare = "small-left", "small-right", nil
		start = time.Now()
		count, err := s.Count(ctx, d)
		must(err)
		_, err = s.Wait(ctx, count, nil)
		must(err)
		counts = append(counts, time.Since(start))
		job, err = s.Job(ctx, job.ID)
		must(err)
		done = job.Ended()
		time.Sleep(20 * time.Millisecond)
	}
	alone := time.Since(begun)
	fmt.Printf("\nothers during a run of %d records a side, which takes %.1f s with %d MB at most\n\n| | times | median ms | 90 %% ms | slowest ms |\n|---|---|---|---|---|\n", records, alone.Seconds(), highWater(s.cmd.Process.Pid)>>20)
	for what, list := range map[string][]time.Duration{"a page of records": pages, "counts of 5,000 records a side": counts} {
		slices.Sort(list)
		fmt.Printf("| %s | %d | %.0f | %.0f | %.0f |\n", what, len(list), ms(list[len(list)/2]), ms(list[len(list)*9/10]), ms(list[len(list)-1]))
	}
	b.together(ctx, s)
	b.cancelled(ctx, s)
}

// stocked is a service with the two large sets in it and the sieve over them.
func (b *bench) stocked(records int) *served {
	left, right := b.file("left.csv"), b.file("right.csv")
	large := b.large
	large.Records = records
	must(large.Write(left, right))
	data := b.file("data")
	must(os.RemoveAll(data))
	s := serve(b.binary, data, b.memory)
	s.sent("left", left)
	s.sent("right", right)
	must(s.define(b.keyParts))
	return s
}

func small(from int) string {
	var text strings.Builder
	text.WriteString("call,quay\n")
	for n := range 5000 {
		fmt.Fprintf(&text, "MW-%06d,Quay %d\n", n+from, n%9)
	}
	return text.String()
}

// together runs two sieves at once, and each alone.
func (b *bench) together(ctx context.Context, s *served) {
	left, right := b.file("million-left.csv"), b.file("million-right.csv")
	must(demo.Large{Records: 1_000_000, Seed: 7}.Write(left, right))
	s.sent("million-left", left)
	s.sent("million-right", right)
	var names []string
	for _, name := range []string{"One", "Two"} {
		d := definition(3)
		d.Name, d.Left, d.Right = name, "million-left", "million-right"
		_, err := s.CreateSieve(ctx, d)
		must(err)
		names = append(names, d.Name)
	}
	one := func(name string) {
		job, err := s.Run(ctx, name)
		must(err)
		_, err = s.Wait(ctx, job, nil)
		must(err)
	}
	start := time.Now()
	for _, name := range names {
		one(name)
	}
	apart := time.Since(start)
	start = time.Now()
	var both sync.WaitGroup
	for _, name := range names {
		both.Go(func() { one(name) })
	}
	both.Wait()
	at := time.Since(start)
	fmt.Printf("\ntwo runs of 1,000,000 records a side at once take %.2f s, one after the other %.2f s: %.2f times\n", at.Seconds(), apart.Seconds(), at.Seconds()/apart.Seconds())
}

// cancelled cancels a large run in the middle, and waits until its temporary files are closed and its memory is free.
func (b *bench) cancelled(ctx context.Context, s *served) {
	before := holds(s.cmd.Process.Pid)
	job, err := s.Run(ctx, "large")
	must(err)
	most := before
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		job, err = s.Job(ctx, job.ID)
		must(err)
		now := holds(s.cmd.Process.Pid)
		if most.memory = max(most.memory, now.memory); job.Ended() || job.Stage == "matching" {
			break
		}
	}
	start := time.Now()
	_, err = s.Cancel(ctx, job.ID)
	must(err)
	for {
		job, err = s.Job(ctx, job.ID)
		must(err)
		if job.Ended() {
			break
		}
		time.Sleep(2 * time.Millisecond)
	}
	ended := time.Since(start)
	var after held
	for deadline := time.Now().Add(10 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if after = holds(s.cmd.Process.Pid); after.files <= before.files && after.memory <= before.memory+most.memory/10 {
			break
		}
	}
	fmt.Printf("\ncancelled while matching: ended after %.0f ms, memory and files given back after %.0f ms (%d MB and %d files before, %d MB while it ran, %d MB and %d files after)\n",
		ms(ended), ms(time.Since(start)), before.memory>>20, before.files, most.memory>>20, after.memory>>20, after.files)
}

// held is what a process has: memory, in bytes, and open files.
type held struct {
	memory int64
	files  int
}

func holds(pid int) (h held) {
	h.memory = shareOf(pid)
	files, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", pid))
	must(err)
	h.files = len(files)
	return h
}

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
