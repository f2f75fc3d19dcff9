package e2e

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"twinsieve/client"
	"twinsieve/demo"
	"twinsieve/formats/sievefile"
	"twinsieve/service/view"
)

// program is the built binary that the tests drive.
var program string

func TestMain(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "twinsieve-e2e-")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		program = filepath.Join(dir, "twinsieve")
		build := exec.Command("go", "build", "-o", program, "twinsieve/cmd/twinsieve")
		build.Stderr = os.Stderr
		if err := build.Run(); err != nil {
			panic(err)
		}
		return m.Run()
	}())
}

// process is a running service.
type process struct {
	address string
	cmd     *exec.Cmd
	log     *lockedBuffer
	ended   chan struct{}
	admin   entered
}

type lockedBuffer struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (l *lockedBuffer) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.Write(p)
}

func (l *lockedBuffer) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.String()
}

// serve starts a service on a free port and waits until it says where it listens.
func serve(t testing.TB, data string, args ...string) *process {
	t.Helper()
	p := &process{cmd: exec.Command(program, append([]string{"serve", "--listen", "127.0.0.1:0", "--data", data}, args...)...), log: &lockedBuffer{}, ended: make(chan struct{})}
	p.cmd.Stderr = p.log
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := p.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	lines, link := bufio.NewScanner(out), ""
	for lines.Scan() {
		if at := strings.Index(lines.Text(), "http"); strings.Contains(lines.Text(), "/enter/") {
			link = lines.Text()[at:]
		}
		if _, address, ok := strings.Cut(lines.Text(), "listens on "); ok {
			p.address = address
			break
		}
	}
	go func() {
		_ = p.cmd.Wait()
		close(p.ended)
	}()
	t.Cleanup(func() {
		if p.stop(t, syscall.SIGKILL); t.Failed() { // why may be in what it said last
			said := p.log.String()
			t.Logf("the service said last:\n%s", said[max(0, len(said)-10_000):])
		}
	})
	if p.address == "" {
		t.Fatalf("the service did not start: %s", p.log)
	}
	p.admin = signIn(t, p.address, data, link)
	return p
}

// stop sends a signal and waits for the end.
func (p *process) stop(t testing.TB, signal syscall.Signal) {
	t.Helper()
	select {
	case <-p.ended:
		return
	default:
	}
	_ = p.cmd.Process.Signal(signal)
	select {
	case <-p.ended:
	case <-time.After(20 * time.Second):
		t.Errorf("the service did not end within 20 s of %v", signal)
		_ = p.cmd.Process.Kill()
	}
}

func (p *process) client() *client.Client { return client.New(p.address, p.admin.token) }

// load loads a text as a record set.
func load(t testing.TB, c *client.Client, set string, text []byte) *view.Set {
	t.Helper()
	ctx := context.Background()
	job, err := c.LoadFile(ctx, set, set+".csv", bytes.NewReader(text), view.Recipe{})
	if err != nil {
		t.Fatal(err)
	}
	result, err := c.Wait(ctx, job, nil)
	if err != nil {
		t.Fatal(err)
	}
	return result.Set
}

// done waits for a job that was begun.
func done(t testing.TB, c *client.Client, job view.Job, err error) *view.JobResult {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
	result, err := c.Wait(t.Context(), job, nil)
	if err != nil {
		t.Fatal(err)
	}
	return result
}

// loadScenario loads the demo's service log and invoices.
func loadScenario(t testing.TB, c *client.Client, s *demo.Scenario) {
	t.Helper()
	load(t, c, demo.ServiceLog, s.ServiceLog)
	load(t, c, demo.Invoices, s.Invoices)
}

// loadDemo loads a scenario, saves its sieve, runs it, and returns the run.
func loadDemo(t testing.TB, c *client.Client, s *demo.Scenario) *view.Run {
	t.Helper()
	loadScenario(t, c, s)
	d, err := sievefile.Read(demo.Billing)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.CreateSieve(t.Context(), d); err != nil && !view.NameTaken.Is(asProblem(err)) {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), d.Name)
	head, err := c.RunHead(t.Context(), done(t, c, job, err).Run)
	if err != nil {
		t.Fatal(err)
	}
	return &head
}

func asProblem(err error) *view.Problem {
	var p *view.Problem
	errors.As(err, &p)
	return p
}

// ran is what a finished command left.
type ran struct {
	status      int
	out, errors string
}

// run runs a command of the program to its end.
func run(t testing.TB, env []string, args ...string) ran {
	t.Helper()
	return runIn(t, env, "", args...)
}

// runIn is run with something on standard input.
func runIn(t testing.TB, env []string, in string, args ...string) ran {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Stdin = strings.NewReader(in)
	cmd.Env = append(os.Environ(), env...)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return ran{cmd.ProcessState.ExitCode(), out.String(), errs.String()}
}

// at tells the client's commands where the service is.
func (p *process) at() []string {
	return []string{"TWINSIEVE_SERVER=" + p.address, "TWINSIEVE_TOKEN=" + p.admin.token}
}

func write(t testing.TB, dir, name string, text []byte) string {
	t.Helper()
	file := filepath.Join(dir, name)
	if err := os.WriteFile(file, text, 0o644); err != nil {
		t.Fatal(err)
	}
	return file
}

func clientQuery(tray string, limit int) client.Query { return client.Query{Tray: tray, Limit: limit} }
