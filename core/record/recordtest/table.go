package recordtest

import (
	"strings"
	"testing"

	"twinsieve/core/record"
)

// Null is a cell that is a null, and what begins with Marker one that is a blank marker: a null that keeps its text.
const (
	Null   = "\x00null"
	Marker = "\x00marker "
)

// Table makes a table of rows, in batches of 64. Its records have lines, the first line 2.
func Table(t testing.TB, columns []string, rows [][]string) record.Table {
	t.Helper()
	return Batches(t, columns, rows, 64)
}

// Batches is Table with batches of so many records.
func Batches(t testing.TB, columns []string, rows [][]string, batch int) *record.Spool {
	t.Helper()
	s := record.NewSpool(columns, 1<<40, "")
	b := record.NewBuilder(len(columns))
	add := func(full *record.Batch) {
		if full != nil {
			if err := s.Add(full); err != nil {
				t.Fatal(err)
			}
		}
	}
	for n, row := range rows {
		for c, cell := range row {
			marker, marked := strings.CutPrefix(cell, Marker)
			switch {
			case cell == Null:
				b.Null(c)
			case marked:
				b.Marker(c, []byte(marker))
			default:
				b.Cell(c, []byte(cell))
			}
		}
		add(b.Close(int64(n + 2)))
		if (n+1)%batch == 0 {
			add(b.Flush())
		}
	}
	add(b.Flush())
	return s
}
