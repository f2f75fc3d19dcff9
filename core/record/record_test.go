package record_test

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/apache/arrow-go/v18/arrow/array"

	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
)

// cells are awkward ones: nulls, empty texts, every kind of letter, and long ones.
func cells(r *rand.Rand) (text string, null bool) {
	switch r.IntN(8) {
	case 0:
		return "", true
	case 1:
		return "", false
	case 2:
		return strings.Repeat("x", r.IntN(40)), false
	case 3:
		return "Żuraw\n\"Île\"\x00", false
	}
	return fmt.Sprint(r.IntN(1000)), false
}

// fill makes a table of random records, and the same records as plain cells.
func fill(t *testing.T, columns, records int, budget int64, seed uint64) (*record.Spool, [][]record.Cell) {
	t.Helper()
	names := make([]string, columns)
	for c := range names {
		names[c] = fmt.Sprint("column ", c)
	}
	s := record.NewSpool(names, budget, t.TempDir())
	t.Cleanup(func() { s.Close() })
	b := record.NewBuilder(columns)
	r := rand.New(rand.NewPCG(seed, 0))
	var want [][]record.Cell
	add := func(full *record.Batch) {
		if full == nil {
			return
		}
		if err := s.Add(full); err != nil {
			t.Fatal(err)
		}
	}
	for n := range records {
		var row []record.Cell
		for c := range columns {
			text, null := cells(r)
			if null {
				b.Null(c)
			} else {
				b.Cell(c, []byte(text))
			}
			row = append(row, record.Cell{Text: text, Null: null})
		}
		want = append(want, row)
		add(b.Close(int64(2*n + 2)))
	}
	add(b.Flush())
	return s, want
}

// TestSpool reads tables back cell by cell, from memory, from a temporary file, and from both, by several readers at once.
func TestSpool(t *testing.T) {
	for name, budget := range map[string]int64{"memory": 1 << 30, "file": 0, "both": 600_000} {
		t.Run(name, func(t *testing.T) {
			s, want := fill(t, 3, 40_000, budget, 1)
			if s.Records() != int64(len(want)) || len(s.Starts()) != 3 {
				t.Fatalf("%d records in %d batches", s.Records(), len(s.Starts()))
			}
			if (s.Spilled() > 0) != (name != "memory") || s.Held() > budget {
				t.Errorf("%d bytes held and %d spilled of a budget of %d", s.Held(), s.Spilled(), budget)
			}
			var wg sync.WaitGroup
			for range 4 {
				wg.Go(func() { check(t, s, want) })
			}
			wg.Wait()
		})
	}
}

func check(t *testing.T, s *record.Spool, want [][]record.Cell) {
	for i := range s.Starts() {
		b, err := s.Batch(context.Background(), i)
		if err != nil {
			t.Error(err)
			return
		}
		for k := range b.Records() {
			n := int(b.First) + k
			if b.Line(k) != int64(2*n+2) {
				t.Errorf("record %d is on line %d", n, b.Line(k))
				return
			}
			for c, got := range b.Cells(k) {
				if got != want[n][c] {
					t.Errorf("record %d, column %d: %+v, want %+v", n, c, got, want[n][c])
					return
				}
			}
		}
	}
}

// TestStoredForm encodes columns as they are stored and decodes them.
func TestStoredForm(t *testing.T) {
	s, want := fill(t, 2, 5000, 1<<30, 2)
	b, err := s.Batch(context.Background(), 0)
	if err != nil {
		t.Fatal(err)
	}
	again := record.Batch{First: b.First}
	for _, col := range b.Columns {
		blob, err := record.EncodeColumn(col)
		if err != nil {
			t.Fatal(err)
		}
		decoded, err := record.DecodeColumn(blob)
		if err != nil {
			t.Fatal(err)
		}
		again.Columns = append(again.Columns, decoded)
		if _, err := record.DecodeColumn(blob[:len(blob)/2]); err == nil {
			t.Error("half a column was decoded")
		}
	}
	blob, err := record.EncodeLines(b.Lines)
	if err != nil {
		t.Fatal(err)
	}
	if again.Lines, err = record.DecodeLines(blob); err != nil {
		t.Fatal(err)
	}
	for i := range again.Records() {
		if fmt.Sprint(again.Cells(i), again.Line(i)) != fmt.Sprint(want[i], 2*i+2) {
			t.Fatalf("record %d: %v on line %d, want %v", i, again.Cells(i), again.Line(i), want[i])
		}
	}
	if _, err := record.DecodeColumn(blob); err == nil {
		t.Error("lines were decoded as a column of text")
	}
}

// TestGather visits records by number, each batch once, and refuses numbers that there are not.
func TestGather(t *testing.T) {
	s, want := fill(t, 2, 40_000, 0, 3)
	rows := []uint32{0, 1, 1, 16_383, 16_384, 30_000, 39_999}
	visited := 0
	err := record.Gather(context.Background(), s, rows, func(n int, b *record.Batch, i int) {
		if n != visited || fmt.Sprint(b.Cells(i)) != fmt.Sprint(want[rows[n]]) {
			t.Errorf("visit %d: %v, want %v", n, b.Cells(i), want[rows[n]])
		}
		visited++
	})
	if err != nil || visited != len(rows) {
		t.Errorf("%d visits, %v", visited, err)
	}
	if err := record.Gather(context.Background(), s, []uint32{40_000}, func(int, *record.Batch, int) {}); err == nil {
		t.Error("a record behind the last was visited")
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if err := record.Gather(ctx, s, rows, func(int, *record.Batch, int) {}); err != context.Canceled {
		t.Errorf("cancelled: %v", err)
	}
}

// near is a table whose batches are read by several at once: one of them waits until the one behind it is being read, too.
type near struct {
	*record.Spool
	mu    sync.Mutex
	read  map[int]int
	ahead int           // how many have been read and not been visited
	most  int           // at one time
	waits int           // which waits
	begun chan struct{} // closed when another one is being read
}

func (n *near) Batch(ctx context.Context, i int) (*record.Batch, error) {
	n.mu.Lock()
	n.read[i]++
	n.ahead++
	n.most = max(n.most, n.ahead)
	n.mu.Unlock()
	if i != n.waits {
		if i > n.waits {
			close(n.begun)
		}
		return n.Spool.Batch(ctx, i)
	}
	select {
	case <-n.begun:
		return n.Spool.Batch(ctx, i)
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// TestGatherAhead: batches are read ahead, just those that are needed, each once, and never many of them.
func TestGatherAhead(t *testing.T) {
	var rows [][]string
	for i := range 400 {
		rows = append(rows, []string{strconv.Itoa(i), strconv.Itoa(-i)})
	}
	table := &near{Spool: recordtest.Batches(t, []string{"a", "b"}, rows, 10), read: map[int]int{}, waits: 37, begun: make(chan struct{})}
	var wanted []uint32
	for i := uint32(0); i < 400; i += 15 {
		wanted = append(wanted, i, i)
	}
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	var got []string
	err := record.GatherBatches(ctx, table, wanted, func(n int, b *record.Batch, at []int) {
		table.mu.Lock()
		table.ahead--
		table.mu.Unlock()
		for _, i := range at {
			got = append(got, b.Columns[0].Value(i))
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	for n, row := range wanted {
		if got[n] != strconv.Itoa(int(row)) {
			t.Fatalf("record %d is %s", row, got[n])
		}
		if table.read[int(row)/10] != 1 {
			t.Errorf("batch %d was read %d times", row/10, table.read[int(row)/10])
		}
	}
	if len(table.read) != 27 || table.most > runtime.GOMAXPROCS(0)+2 {
		t.Errorf("%d batches were read, %d at once", len(table.read), table.most)
	}
	failing := errors.New("cannot be read")
	if err := record.GatherBatches(ctx, &unreadable{table.Spool, 12, failing}, wanted, func(int, *record.Batch, []int) {}); err != failing {
		t.Errorf("a batch that cannot be read: %v", err)
	}
	var pairs []string
	err = record.GatherColumns(t.Context(), table.Spool, []int{1, 0}, wanted, func(n int, columns []*array.String, i int) {
		pairs = append(pairs, columns[1].Value(i)+columns[0].Value(i))
	})
	if err != nil || pairs[0] != "00" || pairs[2] != "15-15" || len(pairs) != len(wanted) {
		t.Errorf("columns: %v, %v", pairs, err)
	}
	if err := record.GatherColumns(t.Context(), table.Spool, []int{0}, []uint32{400}, nil); err == nil {
		t.Error("a record behind the last was read")
	}
}

// unreadable is a table one batch of which cannot be read.
type unreadable struct {
	*record.Spool
	batch int
	err   error
}

func (u *unreadable) Batch(ctx context.Context, i int) (*record.Batch, error) {
	if i == u.batch {
		return nil, u.err
	}
	return u.Spool.Batch(ctx, i)
}

// TestBatchesAreCut checks both limits of a batch.
func TestBatchesAreCut(t *testing.T) {
	b := record.NewBuilder(1)
	for n := range record.BatchRecords {
		b.Cell(0, []byte("x"))
		if batch := b.Close(0); (batch != nil) != (n == record.BatchRecords-1) {
			t.Fatalf("a batch of %d records", n+1)
		}
	}
	long := make([]byte, record.BatchBytes/2)
	b.Cell(0, long)
	if b.Close(0) != nil {
		t.Error("cut before the limit of bytes")
	}
	b.Cell(0, long)
	if batch := b.Close(0); batch == nil || batch.Records() != 2 || batch.First != record.BatchRecords {
		t.Error("not cut at the limit of bytes")
	}
	if b.Flush() != nil {
		t.Error("an empty batch")
	}
}

// TestPlain holds records appended many at a time, column by column, against records appended cell by cell.
func TestPlain(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	whole, apart := record.NewBuilder(3), record.NewBuilder(3)
	line := int64(1)
	var a, b *record.Batch
	for a == nil {
		var text []byte
		var ends []int32
		most := min(whole.Room(9000), 1+r.IntN(90))
		for range most {
			for c := range 3 {
				cell := strings.Repeat(string(rune('a'+r.IntN(26))), r.IntN(90)*r.IntN(2))
				text = append(text, cell...)
				if c == 2 && r.IntN(3) == 0 {
					text = append(text, '\r')
				}
				ends = append(ends, int32(len(text)))
				text = append(text, ';')
				apart.Cell(c, []byte(cell))
			}
			if b != nil {
				t.Fatal("cut before")
			}
			b = apart.Close(line)
			line++
		}
		if r.IntN(20) == 0 && b == nil && whole.Room(9000) > most+1 { // a null before, so that there is a bitmap
			for c := range 3 {
				apart.Null(c)
			}
			b = apart.Close(line)
			whole.Plain(text, ends, line-int64(most))
			for c := range 3 {
				whole.Null(c)
			}
			a = whole.Close(line)
			line++
			continue
		}
		whole.Plain(text, ends, line-int64(most))
		a = whole.Full()
	}
	if b == nil || a.Records() != b.Records() || !slices.Equal(a.Lines, b.Lines) {
		t.Fatalf("%d records, want %v", a.Records(), b)
	}
	for i := range a.Records() {
		if !slices.Equal(a.Cells(i), b.Cells(i)) {
			t.Fatalf("record %d: %v and %v", i, a.Cells(i), b.Cells(i))
		}
	}
}

// TestSpoolWithoutRoom: a folder that cannot be written gives an error that says what for.
func TestSpoolWithoutRoom(t *testing.T) {
	s := record.NewSpool([]string{"a"}, 0, t.TempDir()+"/none")
	b := record.NewBuilder(1)
	b.Cell(0, []byte("x"))
	b.Close(1)
	if err := s.Add(b.Flush()); !errors.Is(err, fs.ErrNotExist) || !strings.Contains(err.Error(), "no temporary file for what exceeds the memory budget") {
		t.Errorf("error %v", err)
	}
}
