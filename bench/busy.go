package main

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"twinsieve/demo"
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
	b.cancelled(ctx, s) // while the large sets are at hand decoded, as far as they fit: what stays is theirs
	b.together(ctx, s)
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
	inTurn := func() time.Duration {
		start := time.Now()
		for _, name := range names {
			one(name)
		}
		return time.Since(start)
	}
	inTurn() // the first runs of all, which take less than those that recognise what was found before
	apart := inTurn()
	start := time.Now()
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
