package lines_test

import (
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"twinsieve/core/record"
	"twinsieve/formats/lines"
)

// text is a random text of some lines, perhaps with empty ones, and perhaps without an end of its last line.
func text(r *rand.Rand) string {
	var out strings.Builder
	for range r.IntN(8) {
		out.WriteString(strings.Repeat("x", r.IntN(5)))
		out.WriteString([]string{"\n", "\r\n", "\n\n"}[r.IntN(3)])
	}
	out.WriteString(strings.Repeat("y", r.IntN(4)))
	return out.String()
}

// split is what a text's lines are: each with its end, an empty end of the text being none.
func split(text string) []string {
	list := strings.SplitAfter(text, "\n")
	if list[len(list)-1] == "" {
		list = list[:len(list)-1]
	}
	return list
}

// TestHoldBack holds the reader against splitting the whole text, for random texts in pieces of any size.
func TestHoldBack(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 7))
	held := 0
	for range 5000 {
		in, n := text(r), 1+r.IntN(4)
		all := split(in)
		keep := max(len(all)-n, 0)
		var source io.Reader = strings.NewReader(in)
		if r.IntN(2) == 0 {
			source = iotest.OneByteReader(source)
		}
		h := lines.NewHoldBack(source, n)
		got, err := io.ReadAll(h)
		if err != nil {
			t.Fatal(err)
		}
		first, texts := h.Held()
		var want []string
		for _, l := range all[keep:] {
			want = append(want, strings.TrimRight(l, "\r\n"))
		}
		if string(got) != strings.Join(all[:keep], "") || !slices.Equal(texts, want) || len(want) > 0 && first != int64(keep+1) {
			t.Fatalf("%q without %d lines: %q, held %q from line %d; want %q from %d", in, n, got, texts, first, want, keep+1)
		}
		held += len(texts)
	}
	if held < 5000 {
		t.Errorf("only %d lines were held back: the texts no longer cover it", held)
	}
}

// TestHoldBackIsBounded: last lines that are too long to hold are an error.
func TestHoldBackIsBounded(t *testing.T) {
	h := lines.NewHoldBack(io.MultiReader(strings.NewReader("a\n"), strings.NewReader(strings.Repeat("x", 40<<20))), 1)
	n, err := io.Copy(io.Discard, h)
	if own := new(record.Unreadable); !errors.As(err, &own) || n != 2 {
		t.Errorf("%d bytes, %v", n, err)
	}
}

// TestCounter knows the line of every place of random texts.
func TestCounter(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 2000 {
		in := text(r)
		c := lines.NewCounter(iotest.HalfReader(strings.NewReader(in)))
		if _, err := io.ReadAll(c); err != nil {
			t.Fatal(err)
		}
		for at := 0; at < len(in); at += 1 + r.IntN(3) {
			if got, want := c.Line(int64(at)), int64(strings.Count(in[:at], "\n")+1); got != want {
				t.Fatalf("%q: byte %d is on line %d, want %d", in, at, got, want)
			}
		}
	}
}

// TestReader reads lines with their ends and numbers, without a byte-order mark, and refuses a line beyond the limit.
func TestReader(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 8))
	for range 2000 {
		in := text(r)
		reader := lines.NewReader(iotest.OneByteReader(strings.NewReader("\xEF\xBB\xBF" + in)))
		var got []string
		for {
			line, err := reader.Next("too long")
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			got = append(got, string(line))
			if reader.Line() != int64(len(got)) {
				t.Fatalf("%q is line %d", line, reader.Line())
			}
		}
		want := split(in)
		if in == "" {
			want = []string{""} // the mark alone is a line without text
		}
		if !slices.Equal(got, want) || reader.Bytes() != int64(len(in)+3) {
			t.Fatalf("%q: %q of %d bytes", in, got, reader.Bytes())
		}
	}
	long := lines.NewReader(strings.NewReader("a\n" + strings.Repeat("x", record.MaxRecordBytes/2) + "\n" + strings.Repeat("x", record.MaxRecordBytes+1<<20)))
	for n, want := range []string{"2 <nil>", fmt.Sprint(record.MaxRecordBytes/2+1, " <nil>"), "0 line 3: too long"} {
		line, err := long.Next("too long")
		if got := fmt.Sprint(len(line), " ", err); got != want {
			t.Errorf("line %d: %s, want %s", n+1, got, want)
		}
	}
}
