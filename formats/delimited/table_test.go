package delimited

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/lines"
)

// oddText is a text of three columns with plain lines and, as often as wanted, everything else. Lines end in both ways.
func oddText(r *rand.Rand, records, odd int) []byte {
	return oddLines(r, records, odd, func() bool { return r.IntN(4) == 0 })
}

// oddLines is oddText that says of each line whether it ends with a carriage return, too.
func oddLines(r *rand.Rand, records, odd int, returns func() bool) []byte {
	var text bytes.Buffer
	text.WriteString("\xEF\xBB\xBFcall,quay,remark\n")
	for n := range records {
		end := "\n"
		if returns() {
			end = "\r\n"
		}
		kind := 9
		if odd > 0 && r.IntN(odd) == 0 {
			kind = r.IntN(9)
		}
		switch kind {
		case 0:
			fmt.Fprintf(&text, "\"MW,%d\",Quay,\"two\nlines\"%s", n, end)
		case 1:
			text.WriteString(end)
		case 2:
			fmt.Fprintf(&text, "MW-%d,one too few%s", n, end)
		case 3:
			fmt.Fprintf(&text, "MW-%d,a,b,one too many%s", n, end)
		case 4:
			fmt.Fprintf(&text, "MW-%d,say \"\"so,x%s", n, end)
		case 5:
			fmt.Fprintf(&text, "MW-%d,Käpt’n Ärmel,%s%s", n, strings.Repeat("é", r.IntN(60)), end)
		case 6:
			fmt.Fprintf(&text, "total,%d,%s", n, end)
		case 7:
			fmt.Fprintf(&text, "MW-%d,%s,x%s", n, strings.Repeat("long ", 10+r.IntN(60)/59*30_000), end)
		default:
			fmt.Fprintf(&text, "MW-%d,%s,%d%s", n, strings.Repeat("q", r.IntN(40)), r.IntN(1e6), end)
		}
	}
	return text.Bytes()
}

// TestTable holds what is read from the file again against what was read first: whole batches, single columns, and some records.
func TestTable(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(12) {
		r := rand.New(rand.NewPCG(seed, 7))
		text := oddText(r, 60_000, []int{0, 2, 400, 20_000}[seed%4])
		opts := Options{Delimiter: ',', Footers: []string{"total"}}
		var records, before int64
		if seed%3 > 0 { // the last lines are trailers
			opts.Trailer = &lines.Trailer{From: int64(bytes.Count(text, []byte{'\n'}) - r.IntN(3_000))}
		}
		for b := range batches(t, open(t, bytes.NewReader(text), Options{Delimiter: ',', Footers: opts.Footers})) {
			for i := range b.Records() {
				if !opts.Trailer.Has(b.Line(i)) {
					before++
				}
			}
		}
		source := open(t, bytes.NewReader(text), opts)
		batches := slices.Collect(batches(t, source))
		for _, b := range batches {
			records += int64(b.Records())
		}
		if records != before {
			t.Fatalf("seed %d: %d records before the trailer lines, want %d", seed, records, before)
		}
		table := source.Table(bytes.NewReader(text))
		if len(table.Starts()) != len(batches) {
			t.Fatalf("%d batches, want %d", len(table.Starts()), len(batches))
		}
		var rows []uint32
		for i, want := range batches {
			got, err := table.Batch(ctx, i)
			if err != nil {
				t.Fatal(err)
			}
			same(t, got, want)
			col, err := record.ColumnOf(ctx, table, i, 1)
			if err != nil || !slices.Equal(col.ValueBytes(), want.Columns[1].ValueBytes()) {
				t.Fatalf("batch %d: another column when read alone: %v", i, err)
			}
			for n := range want.Records() {
				for r.IntN(50) == 0 {
					rows = append(rows, uint32(want.First)+uint32(n))
				}
			}
		}
		seen := 0
		err := record.Gather(ctx, table, rows, func(n int, b *record.Batch, i int) {
			at := slices.IndexFunc(batches, func(x *record.Batch) bool { return int64(rows[n]) < x.First+int64(x.Records()) })
			want := batches[at]
			k := int(int64(rows[n]) - want.First)
			if !slices.Equal(b.Cells(i), want.Cells(k)) || b.Line(i) != want.Line(k) {
				t.Fatalf("record %d is %v on line %d, want %v on %d", rows[n], b.Cells(i), b.Line(i), want.Cells(k), want.Line(k))
			}
			seen++
		})
		if err != nil || seen != len(rows) {
			t.Fatalf("%d of %d records were read: %v", seen, len(rows), err)
		}
	}
}

func same(t *testing.T, got, want *record.Batch) {
	t.Helper()
	if got.First != want.First || !slices.Equal(got.Lines, want.Lines) {
		t.Fatalf("a batch from %d of %d records, want from %d of %d; or other lines", got.First, got.Records(), want.First, want.Records())
	}
	for c := range want.Columns {
		if !slices.Equal(got.Columns[c].ValueBytes(), want.Columns[c].ValueBytes()) || !slices.Equal(got.Columns[c].ValueOffsets(), want.Columns[c].ValueOffsets()) {
			t.Fatalf("column %d is another", c)
		}
	}
}

// TestTableOfChangedFile checks that a file that has become shorter, or has other lines, is not read on with.
func TestTableOfChangedFile(t *testing.T) {
	text := oddText(rand.New(rand.NewPCG(1, 1)), 1000, 0)
	source, err := NewReader(bytes.NewReader(text), Options{Delimiter: ','})
	if err != nil {
		t.Fatal(err)
	}
	for err == nil {
		_, err = source.Next()
	}
	for name, changed := range map[string][]byte{"shorter": text[:len(text)/2], "without lines": bytes.ReplaceAll(text, []byte{'\n'}, []byte{' '})} {
		table := source.Table(bytes.NewReader(changed))
		if _, err := table.Batch(context.Background(), 0); err == nil || !strings.Contains(err.Error(), "has been changed") {
			t.Errorf("%s: read with error %v", name, err)
		}
		if _, _, err := table.Pick(context.Background(), 0, []int{500}); err == nil {
			t.Errorf("%s: a record was picked", name)
		}
	}
}

// TestOnly checks that columns that were not asked for are not there, and that everything else is the same.
func TestOnly(t *testing.T) {
	text := oddText(rand.New(rand.NewPCG(2, 2)), 20_000, 300)
	read := func(only []int) (b *record.Batch, rejects int64) {
		r, err := NewReader(bytes.NewReader(text), Options{Delimiter: ','})
		if err != nil {
			t.Fatal(err)
		}
		if only != nil {
			r.Only(only)
		}
		b, err = r.Next()
		if err != nil {
			t.Fatal(err)
		}
		return b, r.Rejects()
	}
	whole, rejects := read(nil)
	some, others := read([]int{2})
	if some.Columns[0] != nil || some.Columns[1] != nil || rejects != others || rejects == 0 {
		t.Errorf("columns %v, %d rejects, want the last and %d", some.Columns, others, rejects)
	}
	if !slices.Equal(some.Columns[2].ValueBytes(), whole.Columns[2].ValueBytes()) || !slices.Equal(some.Lines, whole.Lines) {
		t.Error("the column is another when read alone")
	}
}

// TestMark holds the marks of vectors against those of words, and those against a look at each byte.
func TestMark(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	text := make([]byte, 40*step)
	for range 200 {
		for i := range text {
			text[i] = []byte{',', '\n', '"', '\r', 'a', 0x80, 0xff, 0x2c ^ 0x80, 0x0b, 0x2d, byte(r.IntN(256))}[r.IntN(11)]
		}
		got, words := make([]marks, 40), make([]marks, 40)
		mark(text, ',', got)
		markWords(text, ',', words)
		if !slices.Equal(got, words) {
			t.Fatal("vectors and words mark differently")
		}
		for i, c := range text {
			bit := uint64(1) << (i % step)
			m := got[i/step]
			if (m.delimiters&bit != 0) != (c == ',') || (m.feeds&bit != 0) != (c == '\n') || (m.quotes&bit != 0) != (c == '"') || (m.high&bit != 0) != (c >= 0x80) {
				t.Fatalf("byte %d, %q, is marked wrongly", i, c)
			}
		}
	}
}
