package delimited

import (
	"bytes"
	"fmt"
	"io"
	"iter"
	"math/rand/v2"
	"slices"
	"testing"
	"testing/iotest"

	"twinsieve/core/record"
	"twinsieve/formats/lines"
)

// TestLines holds records that are given as lines, and as batches where that is not possible or somebody does not want it, against the same
// as batches alone; and so what is read from the file again.
func TestLines(t *testing.T) {
	type read struct {
		cells []string
		line  int64 // 0: not told
	}
	for seed := range uint64(24) {
		r := rand.New(rand.NewPCG(seed, 11))
		returns := []func() bool{func() bool { return false }, func() bool { return true }, func() bool { return r.IntN(2_000) == 0 }}[seed%3]
		text := oddLines(r, 40_000, []int{0, 20, 3_000, 20_000}[seed/3%4], returns)
		opts := Options{Delimiter: ',', Footers: []string{"total"}}
		if seed%2 == 1 {
			opts.Trailer = &lines.Trailer{From: int64(bytes.Count([]byte(text), []byte{'\n'}) - r.IntN(3_000))}
		}
		var want []read
		of := func(b *record.Batch, into []read) []read {
			if b.First != int64(len(into)) {
				t.Fatalf("seed %d: a batch begins with record %d, want %d", seed, b.First, len(into))
			}
			for i := range b.Records() {
				var cells []string
				for _, col := range b.Columns {
					cells = append(cells, col.Value(i))
				}
				into = append(into, read{cells, b.Line(i)})
			}
			return into
		}
		alone := open(t, bytes.NewReader(text), opts)
		for b := range batches(t, alone) {
			want = of(b, want)
		}
		var got []read
		mixed, given := open(t, iotest.HalfReader(bytes.NewReader(text)), opts), 0
		for {
			var lines *record.Lines
			var err error
			if r.IntN(20) > 0 {
				if lines, err = mixed.Lines(); err != nil {
					t.Fatal(err)
				}
			}
			if lines != nil {
				given += lines.Records()
				if lines.First != int64(len(got)) {
					t.Fatalf("seed %d: lines begin with record %d, want %d", seed, lines.First, len(got))
				}
				columns := [3]record.Places{lines.Column(0), lines.Column(1), lines.Column(2)}
				for i := range lines.Records() {
					var cells []string
					for c := range columns {
						cells = append(cells, string(columns[c].Cell(i)))
					}
					got = append(got, read{cells: cells})
				}
				if columns[2].Len() != lines.Records() {
					t.Fatalf("seed %d: %d cells of %d records", seed, columns[2].Len(), lines.Records())
				}
				mixed.Reuse(lines)
				continue
			}
			b, err := mixed.Next()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			got = of(b, got)
		}
		compare := func(how string, got []read) {
			if len(got) != len(want) {
				t.Fatalf("seed %d: %d records %s, want %d", seed, len(got), how, len(want))
			}
			for i := range want {
				if !slices.Equal(got[i].cells, want[i].cells) || got[i].line > 0 && got[i].line != want[i].line {
					t.Fatalf("seed %d: record %d is %q %s, want %q", seed, i, got[i].cells, how, want[i].cells)
				}
			}
		}
		compare("as lines", got)
		if mixed.Rejects() != alone.Rejects() {
			t.Fatalf("seed %d: %d rejects, want %d", seed, mixed.Rejects(), alone.Rejects())
		}
		if even := seed%3 < 2; even && seed/3%4 != 1 && given < len(want)/4 {
			t.Errorf("seed %d: only %d of %d records were given as lines", seed, given, len(want))
		}
		table := mixed.Table(bytes.NewReader(text))
		var again []read
		for i, start := range table.Starts() {
			b, err := table.Batch(t.Context(), i)
			if err != nil || b.First != start {
				t.Fatalf("seed %d: batch %d of the table, from %d: %v", seed, i, start, err)
			}
			again = of(b, again)
		}
		compare("when read again", again)
		var rows []uint32
		for n := range want {
			if r.IntN(300) == 0 {
				rows = append(rows, uint32(n))
			}
		}
		if err := record.Gather(t.Context(), table, rows, func(n int, b *record.Batch, i int) {
			if w := want[rows[n]]; b.Columns[1].Value(i) != w.cells[1] || b.Line(i) != w.line {
				t.Fatalf("seed %d: record %d is %v on line %d when it is picked, want %q on %d", seed, rows[n], b.Cells(i), b.Line(i), w.cells, w.line)
			}
		}); err != nil {
			t.Fatal(err)
		}
	}
}

// TestLinesFail: what is wrong with a text is found among lines as among batches.
func TestLinesFail(t *testing.T) {
	var plain bytes.Buffer
	plain.WriteString("call,quay\n")
	for n := range 50_000 {
		fmt.Fprintf(&plain, "MW-%06d,Quay %d\n", n, n%7)
	}
	for name, end := range map[string]string{"a NUL": "MW-1,\x00\n", "not UTF-8": "M\xfcller,2\n", "a quote that stays open": "\"MW-1,2\n"} {
		for _, quick := range []bool{false, true} {
			r, records := open(t, bytes.NewReader(append(slices.Clone(plain.Bytes()), end...)), Options{}), 0
			var err error
			for err == nil {
				var lines *record.Lines
				if quick {
					lines, err = r.Lines()
				}
				if lines != nil {
					records += lines.Records()
				} else if err == nil {
					_, err = r.Next()
				}
			}
			if fault, ok := err.(*record.Unreadable); !ok || fault.Line != 50_002 {
				t.Errorf("%s, as lines %t: %v", name, quick, err)
			}
			if quick && records < 40_000 {
				t.Errorf("%s: only %d records before it", name, records)
			}
		}
	}
}

func open(t *testing.T, text io.Reader, opts Options) *Reader {
	t.Helper()
	r, err := NewReader(text, opts)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// batches are those that a reader gives until its text ends.
func batches(t *testing.T, r *Reader) iter.Seq[*record.Batch] {
	return func(yield func(*record.Batch) bool) {
		for {
			b, err := r.Next()
			if err != nil && err != io.EOF {
				t.Fatal(err)
			}
			if err == io.EOF || !yield(b) {
				return
			}
		}
	}
}
