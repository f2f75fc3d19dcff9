package record_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/arrow/memory"

	"twinsieve/core/record"
)

// TestColumnForms writes columns of every kind and reads them back, cell for cell: of few values and of many, of short and of long ones, with
// nulls that keep their text; and holds the size of what is written against that of the text.
func TestColumnForms(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 9))
	for name, c := range map[string]struct {
		cell func() string
		most int // bytes of a cell, on average
	}{
		"one value":            {func() string { return "PIL" }, 1},
		"few values":           {func() string { return fmt.Sprintf("Quay %d", r.IntN(9)) }, 2},
		"300 values":           {func() string { return fmt.Sprintf("Vessel %d", r.IntN(300)) }, 3},
		"a thousand values":    {func() string { return fmt.Sprintf("Vessel of Marrowick %d", r.IntN(1000)) }, 5},
		"nothing but blanks":   {func() string { return "" }, 1},
		"each another":         {func() string { return fmt.Sprint(r.Uint64()) }, 21},
		"long, each another":   {func() string { return strings.Repeat(fmt.Sprint(r.Uint64()), 20) }, 420},
		"very long ones":       {func() string { return strings.Repeat("x", r.IntN(70_000)) }, 36_000},
		"short, each another":  {func() string { return fmt.Sprint(r.IntN(10_000)) }, 7},
		"of other letters":     {func() string { return []string{"Käpt’n", "Ærø", "Żuraw"}[r.IntN(3)] }, 3},
		"empty ones among few": {func() string { return []string{"", "a long enough value", "another of these"}[r.IntN(3)] }, 2},
	} {
		for _, nulls := range []bool{false, true} {
			b := record.NewBuilder(1)
			var want []record.Cell
			n := 1 + r.IntN(3000)
			for range n {
				cell := record.Cell{Text: c.cell()}
				if nulls && r.IntN(4) == 0 {
					cell.Null = true
					b.Marker(0, []byte(cell.Text))
				} else {
					b.Cell(0, []byte(cell.Text))
				}
				want = append(want, cell)
				if batch := b.Close(0); batch != nil {
					checkColumn(t, name, batch.Columns[0], want, c.most)
					want = nil
				}
			}
			if batch := b.Flush(); batch != nil {
				checkColumn(t, name, batch.Columns[0], want, c.most)
			}
		}
	}
}

func checkColumn(t *testing.T, name string, col *array.String, want []record.Cell, most int) {
	t.Helper()
	blob, err := record.EncodeColumn(col)
	if err != nil {
		t.Fatalf("%s: %s", name, err)
	}
	back, err := record.DecodeColumn(blob)
	if err != nil || back.Len() != len(want) {
		t.Fatalf("%s: %d cells came back of %d (%v)", name, back.Len(), len(want), err)
	}
	for i, cell := range want {
		if back.Value(i) != cell.Text || back.IsNull(i) != cell.Null {
			t.Fatalf("%s: cell %d is %q (null: %t), want %+v", name, i, back.Value(i), back.IsNull(i), cell)
		}
	}
	if limit := len(want)*most + len(want)/8 + 4000 + len(want); len(blob) > limit {
		t.Errorf("%s: %d cells take %d bytes, more than %d", name, len(want), len(blob), limit)
	}
}

// TestEarlierForms reads columns and lines as they were written by earlier versions.
func TestEarlierForms(t *testing.T) {
	builder := array.NewStringBuilder(memory.DefaultAllocator)
	builder.Append("MW-1")
	builder.AppendNull()
	builder.Append("")
	schema := arrow.NewSchema([]arrow.Field{{Name: "cells", Type: arrow.BinaryTypes.String, Nullable: true}}, nil)
	col, err := record.DecodeColumn(stream(t, schema, builder.NewArray()))
	if err != nil || col.Len() != 3 || col.Value(0) != "MW-1" || !col.IsNull(1) || col.IsNull(2) || col.Value(2) != "" {
		t.Errorf("an earlier column is read as %v (%v)", col, err)
	}
	numbers := array.NewInt64Builder(memory.DefaultAllocator)
	numbers.AppendValues([]int64{2, 3, 7}, nil)
	schema = arrow.NewSchema([]arrow.Field{{Name: "lines", Type: arrow.PrimitiveTypes.Int64}}, nil)
	lines, err := record.DecodeLines(stream(t, schema, numbers.NewArray()))
	if err != nil || !slices.Equal(lines, []int64{2, 3, 7}) {
		t.Errorf("earlier lines are read as %v (%v)", lines, err)
	}
}

func stream(t *testing.T, schema *arrow.Schema, a arrow.Array) []byte {
	t.Helper()
	var out strings.Builder
	w := ipc.NewWriter(&out, ipc.WithSchema(schema), ipc.WithLZ4())
	if err := w.Write(array.NewRecordBatch(schema, []arrow.Array{a}, int64(a.Len()))); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return []byte(out.String())
}
