// Command bench measures Twin Sieve on generated files, beside what others need for the same.
//
// Every measured program is a process of its own. Beside sift, in the same run, it starts a program that only parses both
// files with encoding/csv, and the full outer joins of SQLite and PostgreSQL where they are installed; their results are held
// against those of sift. Programs that take a few seconds run several times in turn: each round gives a ratio, and the
// median is what counts. Peak memory is the operating system's figure for the process.
package main

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"twinsieve/demo"
)

func main() {
	b := &bench{large: demo.Large{Shares: &demo.Shares{}}}
	sizes := flag.String("records", "100000,1000000,5000000,10000000", "records on each side; several sizes with commas between them")
	only := flag.String("only", "", "measure only these parts, with commas between them: "+strings.Join(partNames(), ", "))
	parse := flag.Bool("parse", false, "only parse the two files named; what the baseline does in a process of its own")
	flag.IntVar(&b.rounds, "rounds", 5, "how often a program runs, up to a million records; beyond that less often")
	flag.StringVar(&b.binary, "twinsieve", "./twinsieve", "the program to measure")
	flag.StringVar(&b.memory, "memory", "", "memory to keep to, for sift and the service")
	flag.StringVar(&b.dir, "dir", "", "folder for the generated files (default: a temporary one)")
	flag.StringVar(&b.chart, "chart", "", "draw the times of the whole job into this file, in the format of its ending")
	flag.IntVar(&b.minutes, "minutes", 30, "how long the part mixed takes")
	flag.IntVar(&b.keyParts, "key-parts", 3, "parts of the key: 1, 2 or 3")
	flag.Uint64Var(&b.large.Seed, "seed", 1, "seed of the generated files")
	flag.IntVar(&b.large.Columns, "columns", demo.LargeColumns, "columns of each file")
	flag.IntVar(&b.large.KeyBytes, "key-bytes", 0, "least bytes of the first part of the key")
	flag.BoolVar(&b.large.SameOrder, "same-order", false, "the right file is in the order of the left one")
	flag.IntVar(&b.large.Shares.Blank, "blank", demo.Usual.Blank, "of 100 records, so many have no key")
	flag.IntVar(&b.large.Shares.Missing, "missing", demo.Usual.Missing, "of 100 records, so many are not on the right")
	flag.IntVar(&b.large.Shares.OtherKey, "orphaned", demo.Usual.OtherKey, "of 100 records, so many have another key on the right")
	flag.IntVar(&b.large.Shares.Differing, "differing", demo.Usual.Differing, "of 100 records, so many have another amount on the right")
	flag.IntVar(&b.large.Shares.Repeated, "repeated", demo.Usual.Repeated, "of 100 records, so many are on the right twice")
	flag.Parse()
	if *parse {
		must(parseBoth(flag.Args()))
		return
	}
	if b.dir == "" {
		tmp, err := os.MkdirTemp("", "twinsieve-bench-")
		must(err)
		defer os.RemoveAll(tmp)
		b.dir = tmp
	}
	must(os.MkdirAll(b.dir, 0o700))
	for _, text := range strings.Split(*sizes, ",") {
		n, err := strconv.Atoi(text)
		must(err)
		b.sizes = append(b.sizes, n)
	}
	wanted := strings.Split(*only, ",")
	for _, name := range wanted {
		if name != "" && !slices.Contains(partNames(), name) {
			must(fmt.Errorf("there is no part %q; write some of %s", name, strings.Join(partNames(), ", ")))
		}
	}
	fmt.Printf("%d processors, %s, %s\n", runtime.NumCPU(), machineMemory(), runtime.Version())
	for _, p := range parts() {
		if slices.Contains(wanted, p.name) || *only == "" && p.always {
			p.measure(b)
		}
	}
}

// bench is what is measured, and how.
type bench struct {
	dir, binary, memory, chart string
	rounds, minutes, keyParts  int
	sizes                      []int
	large                      demo.Large // but for its records
}

// part is something that can be measured; always says that it is without being asked for.
type part struct {
	name    string
	always  bool
	measure func(*bench)
}

func parts() []part {
	return []part{
		{"whole", true, (*bench).whole},
		{"shapes", true, (*bench).shapes},
		{"bounded", true, (*bench).bounded},
		{"busy", false, (*bench).busy},
		{"progress", false, (*bench).progress},
		{"start", false, (*bench).start},
		{"mixed", false, (*bench).mixed},
		{"rows", false, func(b *bench) { rows(b.dir, b.binary, 1_000_000, b.large.Seed) }},
		{"around", false, (*bench).around},
		{"report", false, func(b *bench) { reportBench(b.dir, b.binary, b.large.Seed) }},
		{"intake", false, func(b *bench) {
			large := filepath.Join(b.dir, "large.csv")
			must(demo.Large{Records: intakeRecords, Seed: b.large.Seed}.Write(large, filepath.Join(b.dir, "other.csv")))
			must(os.Remove(filepath.Join(b.dir, "other.csv")))
			intakeBench(b.binary, b.dir, large, intakeRecords)
		}},
	}
}

func partNames() (names []string) {
	for _, p := range parts() {
		names = append(names, p.name)
	}
	return names
}

// intakeRecords are as many as make a file of 1 GB.
const intakeRecords = 15_000_000

func must(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(3)
	}
}

func machineMemory() string {
	text, err := os.ReadFile("/proc/meminfo")
	if err != nil {
		return "memory unknown"
	}
	kb, err := strconv.ParseInt(strings.Fields(string(text))[1], 10, 64)
	must(err)
	return fmt.Sprintf("%d GB", (kb+1<<19)>>20)
}
