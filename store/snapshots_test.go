package store_test

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"

	"twinsieve/core/record"
	"twinsieve/store"
)

// TestWrittenIsRead: what is read of a snapshot straight after it was written, and what is read of it by a service that has started since, is
// what was written; its hash is that of all batches in their order, although several are under way at once.
func TestWrittenIsRead(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	columns := []string{"call", "amount", "remark"}
	var written []*record.Batch
	b, r := record.NewBuilder(len(columns)), rand.New(rand.NewPCG(5, 3))
	for n := range 40 {
		for i := range 1 + r.IntN(2000) {
			b.Cell(0, fmt.Appendf(nil, "MW-%d", r.IntN(50)))
			if b.Cell(1, fmt.Appendf(nil, "%d.%02d", n, i)); i%7 == 0 {
				b.Marker(2, []byte("n/a"))
			} else {
				b.Cell(2, fmt.Appendf(nil, "%x", r.Uint64()))
			}
			if b.Close(int64(i)) != nil {
				t.Fatal("a batch is full")
			}
		}
		written = append(written, b.Flush())
	}
	w, err := s.NewSnapshot(t.Context(), "log", store.Snapshot{Columns: columns})
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.New()
	head, _ := json.Marshal(columns)
	sum.Write(head)
	for _, batch := range written {
		if err := w.Add(t.Context(), batch); err != nil {
			t.Fatal(err)
		}
		for _, col := range batch.Columns {
			_ = binary.Write(sum, binary.LittleEndian, col.ValueOffsets())
			sum.Write(col.ValueBytes())
			for i := range col.Len() {
				if col.IsNull(i) {
					_ = binary.Write(sum, binary.LittleEndian, uint32(i))
				}
			}
		}
	}
	snap, err := w.Seal(t.Context(), 1, "{}")
	if err != nil {
		t.Fatal(err)
	}
	if want := hex.EncodeToString(sum.Sum(nil)); snap.Hash != want {
		t.Errorf("the hash is %s, want %s", snap.Hash, want)
	}
	if s.Near() == 0 {
		t.Error("nothing of what was written is at hand")
	}
	check := func(s *store.Store, when string) {
		table := s.Table(snap)
		for n, want := range written {
			got, err := table.Batch(t.Context(), n)
			if err != nil {
				t.Fatal(err)
			}
			for i := range want.Records() {
				if g, w := got.Cells(i), want.Cells(i); !reflect.DeepEqual(g, w) || got.Line(i) != want.Line(i) || got.First != snap.Starts[n] {
					t.Fatalf("%s record %d of batch %d from %d on is %v of line %d, want %v of %d", when, i, n, got.First, g, got.Line(i), w, want.Line(i))
				}
			}
			if _, err := record.ColumnOf(t.Context(), table, n, 2); err != nil {
				t.Fatal(err)
			}
		}
	}
	check(s, "straight afterwards")
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	s = open(t, dir)
	if s.Near() != 0 {
		t.Error("there is something at hand before anything was read")
	}
	check(s, "after a restart")

	// What is given up, and what is removed, leaves nothing at hand.
	near := s.Near()
	again, err := s.NewSnapshot(t.Context(), "log", store.Snapshot{Columns: columns})
	if err != nil {
		t.Fatal(err)
	}
	for _, batch := range written {
		if err := again.Add(t.Context(), batch); err != nil {
			t.Fatal(err)
		}
	}
	if again.Hash(); s.Near() < near {
		t.Errorf("%d bytes at hand, %d before", s.Near(), near)
	}
	if err := again.Drop(); err != nil {
		t.Fatal(err)
	}
	if s.Near() != near {
		t.Errorf("%d bytes are at hand after a load was given up, %d before", s.Near(), near)
	}
	if _, err := s.DeleteSet(t.Context(), "log"); err != nil {
		t.Fatal(err)
	}
	if s.Near() != 0 {
		t.Errorf("%d bytes are at hand of a set that is gone", s.Near())
	}
}
