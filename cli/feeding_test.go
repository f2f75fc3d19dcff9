package cli

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
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

// TestOtherEncodingLater: a file that begins as ASCII may prove to be in another encoding far into it. Then it is read in that one from the
// beginning, and what was read before is not told twice.
func TestOtherEncodingLater(t *testing.T) {
	dir := t.TempDir()
	file := func(name, captain string) string {
		var text strings.Builder
		text.WriteString("call,captain\nMW-0,a,line,too,long\n")
		for n := range 20_000 { // several times as much as is looked at
			fmt.Fprintf(&text, "MW-%06d,Okafor\n", n)
		}
		text.WriteString("MW-X," + captain + "\n")
		name = filepath.Join(dir, name)
		if err := os.WriteFile(name, []byte(text.String()), 0o600); err != nil {
			t.Fatal(err)
		}
		return name
	}
	narrow, wide, broken := file("narrow.csv", "M\xfcller"), file("wide.csv", "Müller"), file("broken.csv", "Müller\xfc")
	out := filepath.Join(dir, "exceptions.csv")
	for _, c := range []struct {
		args []string
		want int // exit status
		rows int // of the exceptions
	}{
		{[]string{narrow, wide}, 1, 2},
		{[]string{wide, narrow}, 1, 2},
		{[]string{narrow, narrow}, 1, 2},
		{[]string{wide, broken}, 2, 0}, // it is no other encoding for one byte
		{[]string{wide, broken, "--right-invalid-bytes", "reject"}, 1, 4},
		{[]string{wide, broken, "--right-encoding", "windows-1252"}, 1, 3},
		{[]string{narrow, wide, "--left-encoding", "UTF-8"}, 2, 0},
	} {
		_ = os.Remove(out) // where there is one
		status := Run(t.Context(), append([]string{"sift", "--key", "call", "--compare", "captain", "--out", out}, c.args...))
		text, _ := os.ReadFile(out) // no file has no lines
		if rows := max(strings.Count(string(text), "\n")-1, 0); status != c.want || rows != c.rows {
			t.Errorf("%v: exit status %d with %d exceptions, want %d with %d:\n%s", c.args, status, rows, c.want, c.rows, text)
		}
	}
}

// TestWorkers: however many workers read and match, what is written is the same, of files that are read again from their places, of such with
// lines that are no plain ones, and of one that is packed and so is kept.
func TestWorkers(t *testing.T) {
	dir := t.TempDir()
	var left, right strings.Builder
	left.WriteString("call,amount,remark\n")
	right.WriteString("call,amount,remark\n")
	r := rand.New(rand.NewPCG(8, 27))
	for n := range 30_000 {
		for _, side := range []*strings.Builder{&left, &right} {
			switch r.IntN(40) {
			case 0: // is not there
			case 1:
				fmt.Fprintf(side, "MW-%06d,%d,\"by hand, twice\"\n", n, n)
				fmt.Fprintf(side, "MW-%06d,%d,\"two\nlines\"\n", n, n+1)
			case 2:
				fmt.Fprintf(side, "MW-%06d,%d,too,long\n\n", n, n)
			case 3:
				fmt.Fprintf(side, ",%d,no key\n", n)
			default:
				fmt.Fprintf(side, "MW-%06d,%d,entry\n", n, n)
			}
		}
	}
	put := func(name string, text []byte) string {
		name = filepath.Join(dir, name)
		if err := os.WriteFile(name, text, 0o600); err != nil {
			t.Fatal(err)
		}
		return name
	}
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, err := w.Write([]byte(right.String()))
	if err := errors.Join(err, w.Close()); err != nil {
		t.Fatal(err)
	}
	log, bills, sent := put("log.csv", []byte(left.String())), put("bills.csv", []byte(right.String())), put("bills.csv.gz", packed.Bytes())
	var want string
	for _, workers := range []string{"1", "2", "3", "7"} {
		for _, other := range []string{bills, sent} {
			out := filepath.Join(dir, "exceptions.csv")
			status := Run(t.Context(), []string{"sift", log, other, "--key", "call", "--compare", "amount: as decimal", "--workers", workers, "--memory", "16MB", "--out", out})
			text, err := os.ReadFile(out)
			if status != exitExceptions || err != nil {
				t.Fatalf("%s workers, %s: exit status %d, %v", workers, other, status, err)
			}
			if want == "" {
				want = string(text)
				if n := strings.Count(want, "\n"); n < 3_000 {
					t.Fatalf("only %d lines", n)
				}
			}
			if string(text) != want {
				t.Errorf("%s workers write of %s another file than one", workers, filepath.Base(other))
			}
		}
	}
}
