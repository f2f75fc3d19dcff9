package e2e

import (
	"bytes"
	"fmt"
	"os"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/formats/intake/badfiles"
	"twinsieve/service/view"
)

// peakMemory is the most memory, in bytes, that a service has had.
func peakMemory(t *testing.T, p *process) int64 {
	t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", p.cmd.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	var kilobytes int64
	_, at, _ := strings.Cut(string(status), "VmHWM:")
	if _, err := fmt.Sscanf(at, "%d kB", &kilobytes); err != nil {
		t.Fatal(err)
	}
	return kilobytes << 10
}

// TestUnreadableUploads sends everything that cannot be read: each is refused with what is wrong and where, the service's memory stays
// bounded, and nothing is left of any of them.
func TestUnreadableUploads(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir(), "--memory", "256MB", "--upload-limit", "120MB")
	c := p.client()
	for _, bad := range badfiles.All() {
		if bad.MostUnpack > 0 {
			continue // the service's limit is larger than a test's file
		}
		name := bad.FileName
		if name == "" {
			name = "bad"
		}
		job, err := c.LoadFile(t.Context(), "bad", name, bytes.NewReader(bad.File()), view.Recipe{Choices: bad.Choices})
		if err == nil {
			_, err = c.Wait(t.Context(), job, nil)
		}
		problem := asProblem(err)
		if problem == nil || !strings.Contains(problem.Detail, bad.Err) || problem.Status != 422 && problem.Status != 400 || len(problem.Faults) > 1 && problem.Faults[1].Where != "choices.invalidBytes" {
			t.Errorf("%s: %v, want %q", bad.Name, err, bad.Err)
		}
		if set, err := c.Set(t.Context(), "bad"); !view.NotFound.Is(asProblem(err)) {
			t.Errorf("%s left %+v, %v", bad.Name, set, err)
		}
	}
	if _, err := c.Upload(t.Context(), "large.csv", bytes.NewReader(make([]byte, 130_000_000))); !view.TooLarge.Is(asProblem(err)) || !strings.Contains(err.Error(), "pack it with gzip or zstd") {
		t.Errorf("a file larger than the limit: %v", err)
	}
	if list, err := c.Sets(t.Context()); err != nil || len(list.Sets) != 0 {
		t.Errorf("left are %+v, %v", list, err)
	}
	if peak := peakMemory(t, p); peak > 400<<20 {
		t.Errorf("the service had %d MB", peak>>20)
	} else {
		t.Logf("the service had at most %d MB", peak>>20)
	}
}

// TestRejects exports all rejected lines, more than a page has.
func TestRejects(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	load(t, c, "log", []byte("call_no,fee\nMW-1,1.00\n"+strings.Repeat("=only one\n", 2500)))
	var out bytes.Buffer
	if err := c.ExportRejects(t.Context(), "log", client.Format{}, &out); err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	if len(lines) != 2501 || lines[0] != "line,reason,text" || lines[1] != "3,1 cell where 2 columns are named,'=only one" || lines[2500] != "2502,1 cell where 2 columns are named,'=only one" {
		t.Errorf("%d lines: %s … %s", len(lines), lines[:2], lines[len(lines)-1])
	}
	file := t.TempDir() + "/rejects.ndjson"
	if got := run(t, p.at(), "records", "log", "--rejects", "--out", file); got.status != 0 {
		t.Fatal(got.errors)
	}
	text, err := os.ReadFile(file)
	if err != nil || !strings.HasPrefix(string(text), `{"line":3,"reason":"1 cell where 2 columns are named","text":"=only one"}`+"\n") {
		t.Errorf("%.200s, %v", text, err)
	}
}
