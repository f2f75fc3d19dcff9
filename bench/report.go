package main

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// How many exceptions the report has that is measured, and how many of them are changed at once.
const (
	manyExceptions = 100_000
	manyAtOnce     = 10_000
)

// reportBench measures the report of a run with many exceptions: its lists by every filter, search and order, a large change and its
// undoing, then many people at one report while a large set is loaded.
func reportBench(dir, binary string, seed uint64) {
	data := filepath.Join(dir, "report-data")
	must(os.RemoveAll(data))
	s := serve(binary, data, "")
	defer s.stop()
	ctx := context.Background()
	run, agreed := s.manyExceptions(ctx, seed)
	s.lists(ctx, run)
	s.large(ctx, run)
	s.crowd(ctx, run, dir, seed)
	s.load(ctx, "bills", agreed)
	s.timedRun(ctx, "a run that finds none of them any more, for the other side has sent all anew,")
	s.history(ctx)
}

// turnedOver is how many records a set has of which each run misses others, and turnedRuns how many runs there are.
const (
	turnedOver = 200_000
	turnedRuns = 10
)

// history lets a sieve run again and again, each time with other exceptions, and all those of before cleared: how long a run takes must not grow with what there was before.
func (s *served) history(ctx context.Context) {
	part := func(missing int) string {
		var text strings.Builder
		text.WriteString("call,amount\n")
		for i := range turnedOver {
			if i%turnedRuns != missing {
				fmt.Fprintf(&text, "MW-%06d,%d.%02d\n", i, 200+i%4000, i%100)
			}
		}
		return text.String()
	}
	s.load(ctx, "all calls", part(turnedRuns))
	s.load(ctx, "billed calls", part(0))
	_, err := s.CreateSieve(ctx, sieve.Definition{Name: "turned over", Left: "all calls", Right: "billed calls", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}})
	must(err)
	fmt.Printf("runs of which each finds %d others, and those of before cleared:", turnedOver/turnedRuns)
	for run := range turnedRuns {
		s.load(ctx, "billed calls", part(run))
		start := time.Now()
		job, err := s.Run(ctx, "turned over")
		must(err)
		_, err = s.Wait(ctx, job, nil)
		must(err)
		fmt.Printf(" %.2f", time.Since(start).Seconds())
	}
	fmt.Println(" s")
}

// manyExceptions loads two sets and runs a sieve over them: a third of the exceptions is missing, a third orphaned, a third differs. agreed is what the right side
// would have to be to agree with the left one.
func (s *served) manyExceptions(ctx context.Context, seed uint64) (run uint, agreed string) {
	r := rand.New(rand.NewPCG(seed, 6))
	var left, right, agrees strings.Builder
	left.WriteString("call,day,code,vessel,quay,amount\n")
	right.WriteString("call,day,code,vessel,amount\n")
	agrees.WriteString("call,day,code,vessel,amount\n")
	vessels, quays := []string{"Saltmarsh Wren", "Ardent Heron", "Ebba Lind", "Gannet's Pride"}, []string{"North Quay", "Salt Quay", "Tar Quay"}
	for i := range manyExceptions + 20_000 {
		call, day, vessel, amount := fmt.Sprintf("MW-%06d", i), fmt.Sprintf("2031-03-%02d", 1+i%28), vessels[r.IntN(4)], 20000+r.IntN(400000)
		if i%6 < 4 || i >= manyExceptions {
			fmt.Fprintf(&left, "%s,%s,PIL,%s,%s,%d.%02d\n", call, day, vessel, quays[r.IntN(3)], amount/100, amount%100)
			fmt.Fprintf(&agrees, "%s,%s,PIL,%s,%d.%02d\n", call, day, vessel, amount/100, amount%100)
		}
		if i < manyExceptions && i%6 < 2 {
			continue
		}
		if i < manyExceptions {
			amount += 100 + r.IntN(9000)
		}
		fmt.Fprintf(&right, "%s,%s,PIL,%s,%d.%02d\n", call, day, vessel, amount/100, amount%100)
	}
	for name, text := range map[string]string{"log": left.String(), "bills": right.String()} {
		s.load(ctx, name, text)
	}
	_, err := s.CreateSieve(ctx, sieve.Definition{Name: "many", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}, {Columns: sieve.Columns{Left: "day"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}})
	must(err)
	for _, what := range []string{"the first run", "the second run"} {
		run = s.timedRun(ctx, fmt.Sprintf("%s, with %d exceptions,", what, manyExceptions))
	}
	return run, agrees.String()
}

func (s *served) timedRun(ctx context.Context, what string) uint {
	start := time.Now()
	job, err := s.Run(ctx, "many")
	must(err)
	result, err := s.Wait(ctx, job, nil)
	must(err)
	fmt.Printf("%s takes %.1f s\n", what, time.Since(start).Seconds())
	return result.Run
}

func (s *served) load(ctx context.Context, name, text string) {
	job, err := s.LoadFile(ctx, name, name+".csv", strings.NewReader(text), view.Recipe{})
	must(err)
	_, err = s.Wait(ctx, job, nil)
	must(err)
}

// lists times the first and the second page of every kind of list, five times each.
func (s *served) lists(ctx context.Context, run uint) {
	fmt.Printf("%-44s %9s %9s %9s\n", "lists of 100", "entries", "first ms", "next ms")
	worst, slowest := time.Duration(0), ""
	for _, l := range []struct {
		name string
		q    client.Query
	}{
		{"all", client.Query{}}, {"one tray", client.Query{Tray: "differing"}}, {"status open", client.Query{Status: []string{"open"}}},
		{"nobody's", client.Query{Owner: "nobody"}}, {"somebody's", client.Query{Owner: "ines"}}, {"without a reason", client.Query{Reason: "none"}},
		{"a field that differs", client.Query{Differs: "amount"}}, {"amount from 1,000 to 1,010", client.Query{AtLeast: "1000", AtMost: "1010"}},
		{"still open since the run before", client.Query{Change: []string{"still-open"}}}, {"search: a word that most have", client.Query{Search: "mw"}},
		{"search: one call", client.Query{Search: "mw-054321"}}, {"search: nothing has it", client.Query{Search: "no such word"}}, {"search: two words", client.Query{Search: "heron tar"}},
		{"tray, status, amount and search", client.Query{Tray: "missing,orphaned", Status: []string{"open"}, AtLeast: "3000", Search: "wren"}},
		{"the largest first", client.Query{Sort: "amount", Desc: true}}, {"by key", client.Query{Sort: "key"}}, {"the oldest first", client.Query{Sort: "age"}},
		{"by owner, search", client.Query{Sort: "owner", Search: "lind"}},
	} {
		var times [2][]time.Duration
		var total int64
		for range 5 {
			q := l.q
			for page := range times {
				start := time.Now()
				got, err := s.Entries(ctx, run, q)
				must(err)
				times[page] = append(times[page], time.Since(start))
				total, q.After = got.Total, got.Next
				if got.Next == "" {
					break
				}
			}
		}
		next := "–"
		if len(times[1]) > 0 {
			slices.Sort(times[1])
			next = fmt.Sprintf("%.1f", ms(times[1][len(times[1])/2]))
		}
		slices.Sort(times[0])
		if last := times[0][len(times[0])-1]; last > worst {
			worst, slowest = last, l.name
		}
		fmt.Printf("%-44s %9d %9.1f %9s\n", l.name, total, ms(times[0][len(times[0])/2]), next)
	}
	fmt.Printf("the slowest first page took %.1f ms: %s\n", ms(worst), slowest)
	for name, ask := range map[string]func() error{"tallies": func() error { _, err := s.Tallies(ctx, run); return err }, "trend": func() error { _, err := s.Trend(ctx, "many"); return err },
		"all exceptions, the largest": func() error { _, err := s.Pending(ctx, "all", "", "amount", "", 100); return err }} {
		start := time.Now()
		must(ask())
		fmt.Printf("%s: %.1f ms\n", name, ms(time.Since(start)))
	}
}

// large changes ten thousand exceptions at once and undoes that.
func (s *served) large(ctx context.Context, run uint) {
	page, err := s.Entries(ctx, run, client.Query{Limit: 1})
	must(err)
	explained, me := "explained", "me"
	q := client.Query{Tray: "missing", AtMost: "1580"}
	chosen, err := s.Entries(ctx, run, q)
	must(err)
	start := time.Now()
	done, err := s.ChangeEntries(ctx, run, q, view.BulkChange{WorkChange: view.WorkChange{Status: &explained, Owner: &me}, Seen: page.Seen})
	must(err)
	fmt.Printf("a change of %d exceptions (chosen by a filter that chooses %d): %.2f s\n", done.Changed, chosen.Total, time.Since(start).Seconds())
	if done.Changed < manyAtOnce {
		must(fmt.Errorf("only %d were changed", done.Changed))
	}
	start = time.Now()
	undone, err := s.Undo(ctx, run, done.ID)
	must(err)
	fmt.Printf("undone again, %d kept: %.2f s\n", undone.Kept, time.Since(start).Seconds())
}

// crowd lets fifty clients read and change one report for a minute while a million records are loaded. Each counts its own
// changes, which must all be there at the end.
func (s *served) crowd(ctx context.Context, run uint, dir string, seed uint64) {
	const people, length = 50, time.Minute
	large := filepath.Join(dir, "million.csv")
	must(demo.Large{Records: 1_000_000, Seed: seed}.Write(large, filepath.Join(dir, "other-million.csv")))
	ended, stop := context.WithTimeout(ctx, length)
	defer stop()
	var loads atomic.Int64
	loading := make(chan struct{})
	go func() {
		defer close(loading)
		for ended.Err() == nil {
			f, err := os.Open(large)
			must(err)
			job, err := s.LoadFile(ctx, "million", "million.csv", f, view.Recipe{})
			must(err)
			_, err = s.Wait(ctx, job, nil)
			must(err)
			loads.Add(1)
		}
	}()
	var mu sync.Mutex
	var reads, changes []time.Duration
	var lost, conflicts int
	var wg sync.WaitGroup
	for n := range people {
		wg.Go(func() {
			r := rand.New(rand.NewPCG(seed, uint64(n)))
			comments := map[string]int{}
			for ended.Err() == nil {
				var timed []time.Duration
				words := []client.Query{{}, {Tray: "missing"}, {Status: []string{"open"}, Sort: "amount", Desc: true}, {Search: fmt.Sprintf("mw-%06d", r.IntN(manyExceptions))}, {AtLeast: "3900"}}
				start := time.Now()
				page, err := s.Entries(ctx, run, words[r.IntN(len(words))])
				must(err)
				timed = append(timed, time.Since(start))
				if len(page.Entries) == 0 {
					continue
				}
				e := page.Entries[r.IntN(len(page.Entries))]
				start = time.Now()
				one, err := s.Entry(ctx, run, e.ID)
				must(err)
				timed = append(timed, time.Since(start))
				status := []string{"open", "in-progress", "explained", "settled"}[r.IntN(4)]
				start = time.Now()
				_, err = s.ChangeEntry(ctx, run, e.ID, one.Work.Version, view.WorkChange{Status: &status})
				conflict := new(view.Problem)
				if clash := errors.As(err, &conflict) && view.Changed.Is(conflict); !clash {
					must(err)
				} else {
					mu.Lock()
					conflicts++
					mu.Unlock()
				}
				took := []time.Duration{time.Since(start)}
				start = time.Now()
				_, err = s.Comment(ctx, run, e.ID, fmt.Sprintf("client %d saw this", n))
				must(err)
				took = append(took, time.Since(start))
				comments[e.ID]++
				mu.Lock()
				reads, changes = append(reads, timed...), append(changes, took...)
				mu.Unlock()
				time.Sleep(time.Duration(500+r.IntN(1000)) * time.Millisecond) // people look before they go on
			}
			for id, want := range comments {
				talk, err := s.Conversation(ctx, run, id)
				must(err)
				got := 0
				for _, c := range talk.Comments {
					if c.Text == fmt.Sprintf("client %d saw this", n) {
						got++
					}
				}
				if got != want {
					mu.Lock()
					lost++
					mu.Unlock()
				}
			}
		})
	}
	wg.Wait()
	<-loading
	part := func(list []time.Duration, of float64) float64 {
		slices.Sort(list)
		return ms(list[int(float64(len(list)-1)*of)])
	}
	fmt.Printf("%d clients for %s, %d loads of a million records meanwhile: no error, %d exceptions with a lost change, %d changes met another's\n", people, length, loads.Load(), lost, conflicts)
	fmt.Printf("%d reads: half within %.0f ms, 90 %% within %.0f ms, all within %.0f ms\n", len(reads), part(reads, 0.5), part(reads, 0.9), part(reads, 1))
	fmt.Printf("%d changes: half within %.0f ms, 90 %% within %.0f ms, all within %.0f ms\n", len(changes), part(changes, 0.5), part(changes, 0.9), part(changes, 1))
	if lost > 0 {
		must(errors.New("changes were lost"))
	}
	found, err := s.Verify(ctx, nil)
	must(err)
	fmt.Println(found.Says)
}
