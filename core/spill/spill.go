// Package spill gives a computation temporary files for what does not fit its memory budget.
//
// A [File] is append-only and can be read at any place while it grows. On systems that allow it the file never has a name,
// or its name is removed as soon as the file is open, so that the space comes back when the process ends, however it ends.
// Elsewhere the name is removed by [File.Close], and [Clear] removes what a crashed process left.
package spill

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
)

const namePrefix = "twinsieve-spill-"

// File is a growing temporary file. Its methods may be called from several goroutines at once.
type File struct {
	file *os.File
	name string // empty where the file has none
	end  atomic.Int64
}

// Create opens a new temporary file in dir; an empty dir means the system's folder for temporary files.
func Create(dir string) (*File, error) {
	if dir == "" {
		dir = os.TempDir()
	}
	if f, err := nameless(dir); err == nil {
		return &File{file: f}, nil
	}
	f, err := os.CreateTemp(dir, namePrefix+"*")
	if err != nil {
		return nil, fmt.Errorf("no temporary file for what exceeds the memory budget: %w", err)
	}
	// Where an open file cannot be unlinked this fails, and Close or Clear removes the name instead.
	_ = os.Remove(f.Name())
	return &File{file: f, name: f.Name()}, nil
}

// Append writes b at the end and returns where it starts.
func (f *File) Append(b []byte) (int64, error) {
	at := f.end.Add(int64(len(b))) - int64(len(b))
	if _, err := f.file.WriteAt(b, at); err != nil {
		return 0, fmt.Errorf("writing %d bytes that exceed the memory budget to a temporary file: %w", len(b), err)
	}
	return at, nil
}

// ReadAt fills b from the bytes that start at offset at.
func (f *File) ReadAt(b []byte, at int64) error {
	if _, err := f.file.ReadAt(b, at); err != nil {
		return fmt.Errorf("reading a temporary file back: %w", err)
	}
	return nil
}

// Size is the number of bytes written so far.
func (f *File) Size() int64 {
	if f == nil {
		return 0
	}
	return f.end.Load()
}

// Close gives the file's space back. A nil File may be closed.
func (f *File) Close() error {
	if f == nil {
		return nil
	}
	err := f.file.Close()
	if f.name != "" {
		_ = os.Remove(f.name)
	}
	return err
}

// Clear removes the files that an ended process left in dir. Only the owner of dir may call it, before it creates any.
func Clear(dir string) error {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), namePrefix) {
			if err := os.Remove(filepath.Join(dir, e.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}
