package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// TestUnchanged: a file that is written to while it is read makes the result worth nothing, and that is said.
func TestUnchanged(t *testing.T) {
	dir := t.TempDir()
	s := &sifting{files: [2]string{filepath.Join(dir, "left.csv"), filepath.Join(dir, "right.csv")}}
	for _, name := range s.files {
		if err := os.WriteFile(name, []byte("call,amount\nMW-1,2\n"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	f := &feeding{sifting: s, root: &rootFlags{}, result: &sifted{}, progress: newProgress(&strings.Builder{})}
	if err := f.open(); err != nil {
		t.Fatal(err)
	}
	defer f.close()
	if err := f.unchanged(); err != nil {
		t.Errorf("files that are as they were: %s", err)
	}
	if n := f.expected(); n < 2 || n > 6 {
		t.Errorf("%d records are expected of two files of one", n)
	}
	if err := os.Chtimes(s.files[1], time.Time{}, time.Now().Add(time.Minute)); err != nil {
		t.Fatal(err)
	}
	if err := f.unchanged(); err == nil || !strings.Contains(err.Error(), "right.csv was changed at") || !strings.Contains(err.Error(), "compare again") {
		t.Errorf("a file that has changed: %v", err)
	}
}
