package cli

import (
	"context"
	"fmt"
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

// TestNowhereToSpill: where the memory does not suffice and no temporary file can be made, sift says so, and does not wait for itself.
func TestNowhereToSpill(t *testing.T) {
	dir := t.TempDir()
	var names []string
	for _, side := range []string{"left", "right"} {
		var text strings.Builder
		text.WriteString("call,remark\n")
		for n := range 300_000 {
			fmt.Fprintf(&text, "MW-%08d,entry %d by hand\n", n, n)
		}
		names = append(names, filepath.Join(dir, side+".csv"))
		if err := os.WriteFile(names[len(names)-1], []byte(text.String()), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	args := append([]string{"sift"}, names...)
	if status := Run(ctx, append(args, "--key", "call", "--memory", "1MB", "--temp-dir", filepath.Join(dir, "none"))); status != 3 || ctx.Err() != nil {
		t.Errorf("exit status %d (%v), want 3", status, ctx.Err())
	}
}
