package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"twinsieve/client"
)

// line is a program's part in the whole job at one size.
type line struct {
	what  string
	m     measure
	ratio float64 // to the parse of both files; 0: not said
	note  string
}

// whole measures the whole job at each size, from two files to the exceptions.
func (b *bench) whole() {
	var all [][]line
	for _, records := range b.sizes {
		lines := b.wholeAt(records)
		all = append(all, lines)
		fmt.Printf("\n%d records a side, %d columns, %s and %s\n\n", records, b.large.Columns, size(b.file("left.csv")), size(b.file("right.csv")))
		fmt.Printf("| | seconds | ratio to parse | peak MB | |\n|---|---|---|---|---|\n")
		for _, l := range lines {
			ratio, peak := "", ""
			if l.ratio > 0 {
				ratio = fmt.Sprintf("%.2f", l.ratio)
			}
			if l.m.peak > 0 {
				peak = fmt.Sprint(l.m.peak >> 20)
			}
			fmt.Printf("| %s | %.2f | %s | %s | %s |\n", l.what, l.m.wall.Seconds(), ratio, peak, l.note)
		}
	}
	if b.chart != "" {
		must(drawChart(b.chart, b.sizes, all))
	}
}

func (b *bench) file(name string) string { return filepath.Join(b.dir, name) }

// sift is the command that does the job. Out is where the exceptions go.
func (b *bench) sift(left, right, out string, more ...string) []string {
	command := []string{b.binary, "sift", left, right, "--output", "json", "--compare", "amount: as decimal, within 0.05", "--compare", "vessel", "--out", out}
	for _, k := range keyColumns[:b.keyParts] {
		command = append(command, "--key", k)
	}
	if b.memory != "" {
		command = append(command, "--memory", b.memory)
	}
	return append(command, more...)
}

// fewestRounds is how many rounds there are, if so many are wanted, however many records there are: the machine's speed varies.
const fewestRounds = 3

func (b *bench) wholeAt(records int) (lines []line) {
	left, right := b.file("left.csv"), b.file("right.csv")
	large := b.large
	large.Records = records
	must(large.Write(left, right))
	self, err := os.Executable()
	must(err)
	rounds := min(b.rounds, max(fewestRounds, 5_000_000/records))
	var parsing, sifting []measure
	var ratios []float64
	var said []byte
	for range rounds {
		must(os.RemoveAll(b.file("exceptions.csv"))) // as the engines begin without a result, too
		p, _ := run(0, self, "-parse", left, right)
		s, out := run(1, b.sift(left, right, b.file("exceptions.csv"))...)
		parsing, sifting, said = append(parsing, p), append(sifting, s), out
		ratios = append(ratios, s.wall.Seconds()/p.wall.Seconds())
	}
	slices.Sort(ratios)
	p, s := median(parsing, byWall), median(sifting, byWall)
	for _, m := range sifting {
		s.peak = max(s.peak, m.peak)
	}
	spread := fmt.Sprintf("%d rounds, ratios from %.2f to %.2f", rounds, ratios[0], ratios[rounds-1])
	lines = append(lines, line{"parse both with encoding/csv on two goroutines", p, 1, ""}, line{"sift, all exceptions written", s, ratios[rounds/2], spread})
	want := wanted(said)
	over := func(m measure) float64 { return m.wall.Seconds() / p.wall.Seconds() }
	if b.large.Columns == 7 {
		if m, ok := b.sqlite(left, right, b.file("joined.csv")); ok {
			lines = append(lines, line{"SQLite, full outer join", m, over(m), b.check(want, 7) + fmt.Sprintf("; %.1f times sift", m.wall.Seconds()/s.wall.Seconds())})
		}
		if server := b.startPostgres(); server != nil {
			m := server.job(b.keyParts, left, right, b.file("joined.csv"))
			server.stop()
			lines = append(lines, line{"PostgreSQL, full outer join", m, over(m), b.check(want, 8) + fmt.Sprintf("; %.1f times sift", m.wall.Seconds()/s.wall.Seconds())})
		}
	}
	var alone []measure
	for range rounds { // shortly before the same file is loaded, for the machine's speed varies
		m, _ := run(0, self, "-parse", left)
		alone = append(alone, m)
	}
	return append(lines, b.service(left, right, rounds, want, p, median(alone, byWall))...)
}

// counted is what a job has found.
type counted struct{ leftAnti, rightAnti, differing, exceptions int64 }

// wanted reads the counts from what sift has said.
func wanted(said []byte) (c counted) {
	var out struct {
		Exceptions  int64 `json:"exceptions"`
		Comparisons []struct {
			Name string `json:"comparison"`
			Rows int64  `json:"rows"`
		} `json:"comparisons"`
		Trays []struct {
			Tray string   `json:"tray"`
			Rows [2]int64 `json:"records"`
		} `json:"trays"`
	}
	must(json.Unmarshal(said, &out))
	c.exceptions = out.Exceptions
	for _, x := range out.Comparisons {
		switch x.Name {
		case "left-anti":
			c.leftAnti = x.Rows
		case "right-anti":
			c.rightAnti = x.Rows
		}
	}
	for _, x := range out.Trays {
		if x.Tray == "differing" {
			c.differing = x.Rows[0]
		}
	}
	return c
}

// check holds what an engine has written against what sift has found: records without a partner on either side, whose other side's
// columns are empty, and pairs that do not agree.
func (b *bench) check(want counted, columns int) string {
	f, err := os.Open(b.file("joined.csv"))
	must(err)
	defer f.Close()
	defer os.Remove(f.Name())
	none := strings.Repeat(",", columns)
	var got counted
	lines := bufio.NewReaderSize(f, 1<<20)
	for {
		text, err := lines.ReadSlice('\n')
		if err == io.EOF {
			break
		}
		must(err)
		switch text := bytes.TrimRight(text, "\r\n"); {
		case bytes.HasPrefix(text, []byte(none)):
			got.rightAnti++
		case bytes.HasSuffix(text, []byte(none)):
			got.leftAnti++
		default:
			got.differing++
		}
	}
	if got.exceptions = want.exceptions; b.keyParts < 3 {
		got.differing = want.differing // keys repeat, and a join multiplies them
	}
	if got != want {
		must(fmt.Errorf("the join has found %+v, sift %+v", got, want))
	}
	return "the same records found"
}

// countsOf has all comparisons counted, in turn with parsing the two files.
func (b *bench) countsOf(s *served, rounds int, left, right, note string) line {
	self, err := os.Executable()
	must(err)
	var walls []measure
	var ratios []float64
	for range rounds {
		p, _ := run(0, self, "-parse", left, right)
		start := time.Now()
		s.counts(b.keyParts)
		walls = append(walls, measure{wall: time.Since(start)})
		ratios = append(ratios, walls[len(walls)-1].wall.Seconds()/p.wall.Seconds())
	}
	slices.Sort(ratios)
	return line{"service: counts of all comparisons", median(walls, byWall), ratios[len(ratios)/2],
		fmt.Sprintf("%d rounds, ratios from %.2f to %.2f; %s", len(ratios), ratios[0], ratios[len(ratios)-1], note)}
}

// service does the job through a service: load both files, profile one, run, look at a first page, and hand all exceptions over.
// alone is the parse of the left file by itself.
func (b *bench) service(left, right string, rounds int, want counted, parse, alone measure) (lines []line) {
	ctx := context.Background()
	data := b.file("data")
	must(os.RemoveAll(data))
	defer os.RemoveAll(data)
	s := serve(b.binary, data, b.memory)
	defer s.stop()
	step := func(what, note string, over bool, do func()) time.Duration {
		start := time.Now()
		do()
		l := line{what: what, m: measure{wall: time.Since(start)}, note: note}
		if over {
			l.ratio = l.m.wall.Seconds() / parse.wall.Seconds()
		}
		lines = append(lines, l)
		return l.m.wall
	}
	loading := step("service: load the left file", "sent over HTTP, found out how it is read, written, hashed; its profile begins by itself", false, func() { s.sent("left", left) })
	loading += step("service: the left set's profile", "", false, func() { s.profiled("left") })
	lines[len(lines)-1].note = fmt.Sprintf("with its load %.2f times the parse of that file", loading.Seconds()/alone.wall.Seconds())
	step("service: load the right file", "", false, func() { s.sent("right", right) })
	s.profiled("right") // so that it does not go on beside what comes next
	stored := bytesOf(filepath.Join(data, "twinsieve.db"))
	if wal, err := os.Stat(filepath.Join(data, "twinsieve.db-wal")); err == nil {
		stored += wal.Size()
	}
	csv := bytesOf(left) + bytesOf(right)
	must(s.define(b.keyParts))
	lines = append(lines, b.countsOf(s, rounds, left, right, fmt.Sprintf("data file %.2f times the CSV", float64(stored)/float64(csv))))
	var id uint
	step("service: run", fmt.Sprintf("%d exceptions written", want.exceptions), true, func() {
		job, err := s.Run(ctx, "large")
		must(err)
		result, err := s.Wait(ctx, job, nil)
		must(err)
		id = result.Run
	})
	step("service: first page", "", false, func() {
		page, err := s.Entries(ctx, id, client.Query{Limit: 100})
		must(err)
		if len(page.Entries) != int(min(100, want.exceptions)) {
			must(fmt.Errorf("%d entries came", len(page.Entries)))
		}
	})
	step("service: all exceptions handed over as CSV", "", false, func() {
		must(s.Export(ctx, id, client.Query{}, client.Format{Name: "csv"}, io.Discard))
	})
	lines[len(lines)-1].m.peak = highWater(s.cmd.Process.Pid)
	return lines
}
