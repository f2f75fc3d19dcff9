package spill_test

import (
	"bytes"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"twinsieve/core/spill"
)

// TestFile writes pieces from several goroutines and reads each back from where it was put.
func TestFile(t *testing.T) {
	dir := t.TempDir()
	f, err := spill.Create(dir)
	if err != nil {
		t.Fatal(err)
	}
	if left, err := os.ReadDir(dir); err != nil || len(left) != 0 {
		t.Errorf("the open file has a name: %v %v", left, err)
	}
	var wg sync.WaitGroup
	for n := range 8 {
		wg.Go(func() {
			for size := range 200 {
				piece := bytes.Repeat([]byte{byte(n)}, size)
				at, err := f.Append(piece)
				if err != nil {
					t.Error(err)
					return
				}
				got := make([]byte, size)
				if err := f.ReadAt(got, at); err != nil || !bytes.Equal(got, piece) {
					t.Errorf("worker %d reads %v at %d (%v)", n, got, at, err)
					return
				}
			}
		})
	}
	wg.Wait()
	if want := int64(8 * 199 * 200 / 2); f.Size() != want {
		t.Errorf("%d bytes, want %d", f.Size(), want)
	}
	if err := f.Close(); err != nil {
		t.Error(err)
	}
	if err := f.ReadAt(make([]byte, 1), 0); err == nil {
		t.Error("a closed file was read")
	}
	var none *spill.File
	if none.Size() != 0 || none.Close() != nil {
		t.Error("no file is not an empty file")
	}
}

// TestClear removes the files of ended processes, and nothing else.
func TestClear(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"twinsieve-spill-1", "twinsieve-spill-2", "notes.txt"} {
		if err := os.WriteFile(filepath.Join(dir, name), nil, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := spill.Clear(dir); err != nil {
		t.Fatal(err)
	}
	if left, err := os.ReadDir(dir); err != nil || len(left) != 1 || left[0].Name() != "notes.txt" {
		t.Errorf("left: %v %v", left, err)
	}
}
