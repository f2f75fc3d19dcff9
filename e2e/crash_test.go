package e2e

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	_ "github.com/glebarez/sqlite"

	"twinsieve/core/sieve"
	"twinsieve/demo"
	"twinsieve/service/view"
	"twinsieve/store"
)

// large writes a pair of large files into a folder.
func large(t testing.TB, dir string, records int) (left, right string) {
	t.Helper()
	left, right = filepath.Join(dir, "left.csv"), filepath.Join(dir, "right.csv")
	if err := (demo.Large{Records: records, Seed: 1}).Write(left, right); err != nil {
		t.Fatal(err)
	}
	return left, right
}

func largeSieve() sieve.Definition {
	key := func(name string) sieve.KeyPart { return sieve.KeyPart{Columns: sieve.Columns{Left: name}} }
	return sieve.Definition{Name: "large", Left: "left", Right: "right", Key: []sieve.KeyPart{key("call"), key("day"), key("code")},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "0.05"}, {Columns: sieve.Columns{Left: "vessel"}}}}
}

// killDuring kills the service as soon as a job has got half-way through one of its stages.
func killDuring(t *testing.T, p *process, job view.Job, stage string) {
	t.Helper()
	killed := false
	_, err := p.client().Wait(context.Background(), job, func(j view.Job) {
		if !killed && j.Stage == stage && j.Done*4 > j.Total {
			killed = true
			p.stop(t, syscall.SIGKILL)
		}
	})
	if err == nil || !killed {
		t.Fatalf("the job was not killed while %s: %v", stage, err)
	}
}

// checkSound runs SQLite's integrity check over a data file that nobody has open, and counts rows that belong to nothing.
func checkSound(t *testing.T, data string) {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(data, store.FileName))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var ok string
	if err := db.QueryRow("PRAGMA integrity_check").Scan(&ok); err != nil || ok != "ok" {
		t.Errorf("integrity check: %s %v", ok, err)
	}
	for _, query := range []string{
		"SELECT count(*) FROM snapshots WHERE sealed = 0", "SELECT count(*) FROM runs WHERE sealed = 0",
		"SELECT count(*) FROM chunks WHERE snapshot_id NOT IN (SELECT id FROM snapshots)",
		"SELECT count(*) FROM entry_blocks WHERE run_id NOT IN (SELECT id FROM runs)",
		"SELECT count(*) FROM index_parts WHERE run_id NOT IN (SELECT id FROM runs)",
	} {
		var n int
		if err := db.QueryRow(query).Scan(&n); err != nil || n != 0 {
			t.Errorf("%s: %d (%v), want 0", query, n, err)
		}
	}
	if left, err := os.ReadDir(filepath.Join(data, "tmp")); err != nil || len(left) > 0 {
		t.Errorf("temporary files left: %v %v", left, err)
	}
}

// TestKill kills the service with SIGKILL in the middle of a load, of a match that spills, and of the writing of a report.
// After each restart there is no half snapshot and no half run, and the job is shown as interrupted.
func TestKill(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	data := t.TempDir()
	left, right := large(t, t.TempDir(), 300_000)
	start := func() *process { return serve(t, data, "--memory", "64MB") }
	checkInterrupted := func(p *process, job view.Job) {
		t.Helper()
		got, err := p.client().Job(ctx, job.ID)
		if err != nil || got.State != store.JobInterrupted || !view.Interrupted.Is(got.Problem) {
			t.Errorf("after the restart the job is %s: %v (%v)", got.State, got.Problem, err)
		}
	}
	send := func(p *process, set, file string) view.Job {
		t.Helper()
		f, err := os.Open(file)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		job, err := p.client().LoadFile(ctx, set, filepath.Base(file), f, view.Recipe{})
		if err != nil {
			t.Fatal(err)
		}
		return job
	}
	p := start()
	job := send(p, "left", left)
	killDuring(t, p, job, "reading the file")
	p = start()
	checkInterrupted(p, job)
	if sets, err := p.client().Sets(ctx); err != nil || len(sets.Sets) != 0 {
		t.Errorf("a half load is visible: %v %v", sets, err)
	}
	for set, file := range map[string]string{"left": left, "right": right} {
		if _, err := p.client().Wait(ctx, send(p, set, file), nil); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := p.client().CreateSieve(ctx, largeSieve()); err != nil {
		t.Fatal(err)
	}
	for _, stage := range []string{"matching", "writing the report"} {
		job, err := p.client().Run(ctx, "large")
		if err != nil {
			t.Fatal(err)
		}
		killDuring(t, p, job, stage)
		p = start()
		checkInterrupted(p, job)
		if runs, err := p.client().Runs(ctx, "", 10); err != nil || len(runs.Runs) != 0 {
			t.Errorf("a half run is visible: %v %v", runs, err)
		}
	}
	p.stop(t, syscall.SIGTERM)
	checkSound(t, data)
	p = start()
	job, err := p.client().Run(ctx, "large")
	if err != nil {
		t.Fatal(err)
	}
	result, err := p.client().Wait(ctx, job, nil)
	if err != nil {
		t.Fatal(err)
	}
	head, err := p.client().RunHead(ctx, result.Run)
	if err != nil || head.Number != 1 || head.Summary.Spilled == 0 || !head.Summary.Accounted {
		t.Errorf("run %d spilled %d bytes within 64 MB, accounted: %t (%v)", head.Number, head.Summary.Spilled, head.Summary.Accounted, err)
	}
	// The next run recognises all exceptions, of which there are more than it has memory for.
	job, err = p.client().Run(ctx, "large")
	if err != nil {
		t.Fatal(err)
	}
	if result, err = p.client().Wait(ctx, job, nil); err != nil {
		t.Fatal(err)
	}
	again, err := p.client().RunHead(ctx, result.Run)
	if err != nil || again.Since.Counts["still-open"] != head.Summary.Exceptions || len(again.Since.Counts) != 1 || head.Summary.Exceptions < 30_000 {
		t.Errorf("of %d exceptions the next run says %v, %v", head.Summary.Exceptions, again.Since.Counts, err)
	}
	p.stop(t, syscall.SIGTERM)
	checkSound(t, data)
}

// TestCancel cancels a load and a run: the job says so, and nothing of them stays.
func TestCancel(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	data := t.TempDir()
	p := serve(t, data)
	c := p.client()
	left, right := large(t, t.TempDir(), 200_000)
	for set, file := range map[string]string{"left": left, "right": right} {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		load(t, c, set, text)
	}
	if _, err := c.CreateSieve(ctx, largeSieve()); err != nil {
		t.Fatal(err)
	}
	begin := map[string]func() (view.Job, error){
		"run": func() (view.Job, error) { return c.Run(ctx, "large") },
		"load": func() (view.Job, error) {
			f, err := os.Open(left)
			if err != nil {
				return view.Job{}, err
			}
			defer f.Close()
			return c.LoadFile(ctx, "third", "left.csv", f, view.Recipe{})
		},
	}
	for kind, start := range begin {
		job, err := start()
		if err != nil {
			t.Fatal(err)
		}
		_, err = c.Wait(ctx, job, func(j view.Job) {
			if j.State == store.JobRunning && j.Fraction > 0 {
				if _, err := c.Cancel(ctx, j.ID); err != nil {
					t.Error(err)
				}
			}
		})
		if !view.Cancelled.Is(asProblem(err)) {
			t.Errorf("a cancelled %s ended with %v", kind, err)
		}
	}
	if sets, err := c.Sets(ctx); err != nil || len(sets.Sets) != 2 {
		t.Errorf("sets after the cancelled load: %v %v", sets, err)
	}
	if runs, err := c.Runs(ctx, "", 10); err != nil || len(runs.Runs) != 0 {
		t.Errorf("runs after the cancelled run: %v %v", runs, err)
	}
	var err error
	// Of two counts of one draft, the first is given up, and the second goes on.
	var counts [2]view.Job
	for i := range counts {
		if counts[i], err = c.CountDraft(ctx, largeSieve(), "bench"); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := c.Wait(ctx, counts[0], nil); !view.Cancelled.Is(asProblem(err)) {
		t.Errorf("the first count of the draft: %v", err)
	}
	if result, err := c.Wait(ctx, counts[1], nil); err != nil || result.Counts.Summary.Records[0] != 200_000 {
		t.Errorf("the second count of the draft: %v", err)
	}
	p.stop(t, syscall.SIGTERM)
	checkSound(t, data)
}

// TestGracefulStop: SIGTERM during a run ends the service soon; whoever follows the job hears that it was interrupted.
func TestGracefulStop(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	data := t.TempDir()
	p := serve(t, data)
	left, _ := large(t, t.TempDir(), 300_000)
	f, err := os.Open(left)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	job, err := p.client().LoadFile(ctx, "left", "left.csv", f, view.Recipe{})
	if err != nil {
		t.Fatal(err)
	}
	asked := false
	_, err = p.client().Wait(ctx, job, func(j view.Job) {
		if !asked && j.Fraction > 0 {
			asked = true
			_ = p.cmd.Process.Signal(syscall.SIGTERM)
		}
	})
	if !view.Interrupted.Is(asProblem(err)) {
		t.Errorf("the follower heard %v", err)
	}
	p.stop(t, syscall.SIGTERM)
	if status := p.cmd.ProcessState.ExitCode(); status != 0 {
		t.Errorf("exit %d after SIGTERM: %s", status, p.log)
	}
	checkSound(t, data)
	if _, err := http.Get(p.address + "/healthz"); !errors.Is(err, syscall.ECONNREFUSED) {
		t.Errorf("something still answers: %v", err)
	}
}

// TestSize sifts a million records a side: with a memory budget of 64 MB, with one worker and with many, and with both
// inputs shuffled. The exceptions are the same byte for byte, bytes were spilled, and no temporary file is left, not even
// by a kill.
func TestSize(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	left, right := large(t, dir, 1_000_000)
	temp := filepath.Join(dir, "temp")
	if err := os.Mkdir(temp, 0o755); err != nil {
		t.Fatal(err)
	}
	sift := func(left, right, out string, args ...string) []string {
		return append([]string{"sift", left, right, "-k", "call", "-k", "day", "-k", "code", "-c", "amount: as decimal, within 0.05", "-c", "vessel",
			"--temp-dir", temp, "--out", filepath.Join(dir, out)}, args...)
	}
	outputs := map[string]ran{}
	for name, args := range map[string][]string{
		"plain": sift(left, right, "plain"), "one worker": sift(left, right, "one worker", "--workers", "1"),
		"many workers": sift(left, right, "many workers", "--workers", "7"), "little memory": sift(left, right, "little memory", "--memory", "64MB"),
	} {
		if outputs[name] = run(t, nil, args...); outputs[name].status != 1 {
			t.Fatalf("%s: exit %d, %s", name, outputs[name].status, outputs[name].errors)
		}
	}
	want, err := os.ReadFile(filepath.Join(dir, "plain"))
	if err != nil {
		t.Fatal(err)
	}
	// The report without the lines that name the file written and the bytes spilled.
	report := func(name string) (lines []string) {
		for line := range strings.Lines(outputs[name].out) {
			if !strings.Contains(line, "exceptions written to") && !strings.Contains(line, "temporary files") && strings.TrimSpace(line) != "" {
				lines = append(lines, line)
			}
		}
		return lines
	}
	for name := range outputs {
		got, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil || string(got) != string(want) {
			t.Errorf("%s: other exceptions (%v), %d bytes and %d", name, err, len(got), len(want))
		}
		if lines := report(name); len(lines) < 20 || !slices.Equal(lines, report("plain")) {
			t.Errorf("%s: another report:\n%s", name, outputs[name].out)
		}
	}
	if !strings.Contains(outputs["little memory"].out, "bytes went to temporary files") || strings.Contains(outputs["plain"].out, "temporary files") {
		t.Errorf("spilling is not reported as it was:\n%s", outputs["little memory"].out)
	}
	for name, signal := range map[string]os.Signal{"killed": os.Kill, "interrupted": os.Interrupt} {
		cmd := exec.Command(program, sift(left, right, name, "--memory", "64MB")...)
		var errs bytes.Buffer
		cmd.Stderr = &errs
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		for deadline := time.Now().Add(20 * time.Second); !spills(cmd.Process.Pid, temp); {
			if time.Now().After(deadline) {
				t.Fatal("nothing was spilled within 20 s")
			}
		}
		_ = cmd.Process.Signal(signal)
		_ = cmd.Wait()
		if left, err := os.ReadDir(temp); err != nil || len(left) > 0 {
			t.Errorf("%s: temporary files left: %v %v", name, left, err)
		}
		if _, err := os.Stat(filepath.Join(dir, name)); !errors.Is(err, os.ErrNotExist) {
			t.Errorf("a sift that was %s left its output: %v", name, err)
		}
		if name == "interrupted" && (cmd.ProcessState.ExitCode() != 3 || errs.String() != "twinsieve: interrupted\n") {
			t.Errorf("interrupted: exit %d, %q", cmd.ProcessState.ExitCode(), errs.String())
		}
	}
}

// spills reports whether a process has a temporary file open.
func spills(pid int, temp string) bool {
	files, err := filepath.Glob(filepath.Join("/proc", strconv.Itoa(pid), "fd", "*"))
	if err != nil {
		return false
	}
	for _, f := range files {
		if to, err := os.Readlink(f); err == nil && strings.HasPrefix(to, temp+"/") {
			return true
		}
	}
	return false
}
