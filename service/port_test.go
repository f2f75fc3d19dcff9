package service

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
	"twinsieve/store"
)

// port is a service with a folder, two sets from files in it, and a sieve over them.
type port struct {
	*Service
	dir     string
	t       *testing.T
	written int
}

func newPort(t *testing.T) *port {
	t.Helper()
	s, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	p := &port{dir: t.TempDir(), t: t}
	p.Service = New(s, Options{Folder: p.dir, LookEvery: time.Hour})
	t.Cleanup(func() {
		p.Close()
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	})
	for _, set := range []string{"log", "bills"} {
		p.comes(set, "call,amount\nMW-1,1\n")
	}
	_, err = p.CreateSieve(t.Context(), sieve.Definition{Name: "calls", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// write writes a file of the folder, newer than whatever there was.
func (p *port) write(set, text string) {
	p.t.Helper()
	name := filepath.Join(p.dir, set+".csv")
	if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
		p.t.Fatal(err)
	}
	p.written++
	if err := os.Chtimes(name, time.Time{}, time.Now().Add(time.Duration(p.written-100)*time.Minute)); err != nil { // as files that are copied keep their times
		p.t.Fatal(err)
	}
}

// comes loads a set from a file of the folder.
func (p *port) comes(set, text string) {
	p.t.Helper()
	p.write(set, text)
	job, err := p.Load(p.t.Context(), set, view.Recipe{Source: view.SourceRef{Place: view.Place{Path: set + ".csv"}}})
	if err != nil {
		p.t.Fatal(err)
	}
	if end, err := p.await(p.t.Context(), job); err != nil || end.Problem != nil {
		p.t.Fatal(end.Problem, err)
	}
}

// ran runs a sieve and returns the head of its report.
func (p *port) ran(name string) *view.Run {
	p.t.Helper()
	job, err := p.Run(p.t.Context(), name)
	if err != nil {
		p.t.Fatal(err)
	}
	end, err := p.await(p.t.Context(), job)
	if err != nil || end.Problem != nil {
		p.t.Fatal(end.Problem, err)
	}
	head, err := p.RunHead(p.t.Context(), end.Result.Run)
	if err != nil {
		p.t.Fatal(err)
	}
	return head
}
