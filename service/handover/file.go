package handover

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// WriteFile writes a file whole or not at all: what write produces goes to a new file beside it, which takes its place
// when everything is written.
func WriteFile(name string, write func(io.Writer) error) error { return writeFile(name, 0o644, write) }

// WriteSecret is [WriteFile] for a file that only its owner can read.
func WriteSecret(name string, write func(io.Writer) error) error {
	return writeFile(name, 0o600, write)
}

func writeFile(name string, mode os.FileMode, write func(io.Writer) error) (err error) {
	f, err := os.CreateTemp(filepath.Dir(name), "."+filepath.Base(name)+".*")
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w; name a file in a folder that can be written", name, err)
	}
	defer func() {
		if err != nil {
			_ = f.Close()
			_ = os.Remove(f.Name())
		}
	}()
	w := bufio.NewWriterSize(f, 1<<20)
	if err = write(w); err != nil {
		return err
	}
	if err = w.Flush(); err != nil {
		return fmt.Errorf("writing %s: %w", name, err)
	}
	if err = f.Chmod(mode); err != nil {
		return fmt.Errorf("writing %s: %w", name, err)
	}
	if err = f.Close(); err != nil {
		return fmt.Errorf("writing %s: %w", name, err)
	}
	if err = os.Rename(f.Name(), name); err != nil {
		return fmt.Errorf("%s cannot be replaced: %w; close the program that holds it, or name another file", name, err)
	}
	return nil
}
