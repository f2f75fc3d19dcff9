// Command bench measures the whole job of sift on two large generated files beside the time of only parsing them, in one
// run, and prints the ratio.
//
// Every measured program is a process of its own, started in turn, several times; each round gives a ratio, and the median
// is what counts. The peak memory is the operating system's figure for that process.
package main

import (
	"bufio"
	"encoding/csv"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"syscall"
	"time"

	"twinsieve/demo"
)

func main() {
	records := flag.Int("records", 1_000_000, "records on each side")
	rounds := flag.Int("rounds", 5, "how often each program runs")
	seed := flag.Uint64("seed", 1, "seed of the generated files")
	binary := flag.String("twinsieve", "./twinsieve", "the program to measure")
	memory := flag.String("memory", "", "memory budget to give to sift")
	dir := flag.String("dir", "", "folder for the generated files (default: a temporary one)")
	only := flag.String("only", "", "measure only this part: sift, rows, report or intake")
	parse := flag.Bool("parse", false, "only parse the two files named; what the baseline does in a process of its own")
	flag.Parse()
	if *parse {
		must(parseBoth(flag.Args()))
		return
	}
	if *dir == "" {
		tmp, err := os.MkdirTemp("", "twinsieve-bench-")
		must(err)
		defer os.RemoveAll(tmp)
		*dir = tmp
	}
	if *only == "" || *only == "sift" {
		siftBench(*dir, *binary, *memory, *records, *rounds, *seed)
	}
	if *only == "" || *only == "rows" {
		rows(*dir, *binary, *records, *seed)
	}
	if *only == "" || *only == "report" {
		reportBench(*dir, *binary, *seed)
	}
	if *only == "" || *only == "intake" {
		large := filepath.Join(*dir, "large.csv")
		must(demo.Large{Records: intakeRecords, Seed: *seed}.Write(large, filepath.Join(*dir, "other.csv")))
		must(os.Remove(filepath.Join(*dir, "other.csv")))
		intakeBench(*binary, *dir, large, intakeRecords)
	}
}

// intakeRecords are as many as make a file of 1 GB.
const intakeRecords = 15_000_000

func siftBench(dir, binary, memory string, records, rounds int, seed uint64) {
	left, right := filepath.Join(dir, "left.csv"), filepath.Join(dir, "right.csv")
	must(demo.Large{Records: records, Seed: seed}.Write(left, right))
	self, err := os.Executable()
	must(err)
	sift := []string{binary, "sift", left, right, "--key", "call", "--key", "day", "--key", "code",
		"--compare", "amount: as decimal, within 0.05", "--compare", "vessel", "--out", filepath.Join(dir, "exceptions.csv")}
	if memory != "" {
		sift = append(sift, "--memory", memory)
	}
	var parsing, sifting []measure
	var ratios []float64
	for range rounds {
		p, s := run(0, self, "-parse", left, right), run(1, sift...)
		parsing, sifting = append(parsing, p), append(sifting, s)
		ratios = append(ratios, s.wall.Seconds()/p.wall.Seconds())
	}
	slices.Sort(ratios)
	p, s := median(parsing), median(sifting)
	fmt.Printf("%d records a side, %d columns, %s and %s; %d processors, %s; medians of %d rounds\n", records, demo.LargeColumns, size(left), size(right), runtime.NumCPU(), runtime.Version(), rounds)
	fmt.Printf("%-42s %8s %10s\n", "", "seconds", "peak MB")
	fmt.Printf("%-42s %8.2f %10d\n", "parse both with encoding/csv", p.wall.Seconds(), p.peak>>20)
	fmt.Printf("%-42s %8.2f %10d\n", "sift, exceptions written as CSV", s.wall.Seconds(), s.peak>>20)
	fmt.Printf("ratio %.2f (from %.2f to %.2f)\n", ratios[len(ratios)/2], ratios[0], ratios[len(ratios)-1])
}

type measure struct {
	wall time.Duration
	peak int64 // bytes
}

// run runs a program to its end and measures it. wanted is the exit status that says that all went well.
func run(wanted int, command ...string) measure {
	cmd := exec.Command(command[0], command[1:]...)
	cmd.Stderr = os.Stderr
	start := time.Now()
	err := cmd.Run()
	wall := time.Since(start)
	if cmd.ProcessState == nil || cmd.ProcessState.ExitCode() != wanted {
		must(fmt.Errorf("%v: %w", command, err))
	}
	return measure{wall, cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss << 10}
}

func median(all []measure) measure {
	slices.SortFunc(all, func(a, b measure) int { return int(a.wall - b.wall) })
	return all[len(all)/2]
}

// parseBoth reads every record of both files with encoding/csv, each on its own goroutine.
func parseBoth(files []string) error {
	var wg sync.WaitGroup
	errs := make([]error, len(files))
	for i, name := range files {
		wg.Go(func() {
			f, err := os.Open(name)
			if err != nil {
				errs[i] = err
				return
			}
			defer f.Close()
			r := csv.NewReader(bufio.NewReaderSize(f, 1<<20))
			r.ReuseRecord = true
			for err == nil {
				_, err = r.Read()
			}
			if err != io.EOF {
				errs[i] = err
			}
		})
	}
	wg.Wait()
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

func size(name string) string {
	info, err := os.Stat(name)
	must(err)
	return fmt.Sprintf("%d MB", info.Size()>>20)
}

func must(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(3)
	}
}
