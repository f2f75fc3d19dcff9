package handover_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/outform"
	"twinsieve/service/handover"
)

// TestWriteCSV writes a list of several parts by several workers, with texts that must be quoted or that a spreadsheet would run, as column names, too,
// and holds it against its rows, made one by one from copies of the records and written by encoding/csv.
func TestWriteCSV(t *testing.T) {
	r := rand.New(rand.NewPCG(27, 11))
	columns := []string{"call", "=fee", "a, \"b\""}
	texts := []string{"", "by hand", "=1+1", "-5", "-5-", "a,b", "two\nlines", " Tar Quay", "\"", "é\u2028"}
	var sides [2][][]string
	for n := range 15_000 {
		for s := range sides {
			if r.IntN(3) > 0 {
				sides[s] = append(sides[s], []string{fmt.Sprintf("MW-%06d", n), fmt.Sprint(r.IntN(2)), texts[r.IntN(len(texts))]})
			}
		}
	}
	for s := range sides {
		r.Shuffle(len(sides[s]), func(i, j int) { sides[s][i], sides[s][j] = sides[s][j], sides[s][i] })
	}
	p := plan(t, columns, columns, sieve.Definition{Key: key("call", ""), Compare: []sieve.Field{{Columns: sieve.Columns{Left: "=fee"}, As: "decimal"}}})
	tables := [2]record.Table{recordtest.Batches(t, columns, sides[0], 700), recordtest.Batches(t, columns, sides[1], 900)}
	index, err := match.Build(t.Context(), p, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	places := exception.Places(index, tray.Differing, tray.Missing, tray.Orphaned)
	entries, err := exception.Read(t.Context(), p, index, tables, places)
	if err != nil {
		t.Fatal(err)
	}
	rejects := func(visit func([]exception.Entry) error) error {
		return visit([]exception.Entry{exception.OfReject(p, tray.Right, record.NewReject(9, "1 cell where 3 columns are named", []byte("=x")))})
	}
	for _, exact := range []bool{false, true} {
		layout := handover.NewLayout(p)
		layout.Exact = exact
		var want bytes.Buffer
		w := csv.NewWriter(&want)
		put := func(row []string) error {
			row = slices.Clone(row)
			for i := range row {
				if !exact {
					row[i] = outform.Harmless(row[i])
				}
			}
			return w.Write(row)
		}
		if err := put(layout.Columns()); err != nil {
			t.Fatal(err)
		}
		all := slices.Clone(entries)
		if err := rejects(func(list []exception.Entry) error { all = append(all, list...); return nil }); err != nil {
			t.Fatal(err)
		}
		for i := range all {
			if _, err := layout.Rows(&all[i], nil, put); err != nil {
				t.Fatal(err)
			}
		}
		w.Flush()
		near, err := handover.Near(t.Context(), p, index, tables, places, [2][]uint32{}, handover.Options{Workers: 3, Budget: 1 << 20, TempDir: t.TempDir()})
		if err != nil {
			t.Fatal(err)
		}
		defer near.Close()
		var got bytes.Buffer
		if err := layout.WriteCSV(t.Context(), &got, index, near, places, rejects); err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(got.Bytes(), want.Bytes()) {
			a, b := strings.SplitAfter(got.String(), "\n"), strings.SplitAfter(want.String(), "\n")
			for i := range min(len(a), len(b)) {
				if a[i] != b[i] {
					t.Fatalf("exact %v, line %d is %q, want %q", exact, i+1, a[i], b[i])
				}
			}
			t.Fatalf("exact %v: %d lines, want %d", exact, len(a), len(b))
		}
	}
	if len(places) < 8_001 {
		t.Errorf("only %d exceptions, which are no more than two parts", len(places))
	}
}

// TestColumnsAreHarmless: a column name that a spreadsheet would run is made harmless, as cells are.
func TestColumnsAreHarmless(t *testing.T) {
	left, right := []string{"call", "=fee"}, []string{"Call", "@due"}
	p := plan(t, left, right, sieve.Definition{Key: key("call", "Call")})
	tables := [2]record.Table{recordtest.Batches(t, left, [][]string{{"MW-1", "2"}}, 1), recordtest.Batches(t, right, [][]string{{"MW-1", "2"}}, 1)}
	index, err := match.Build(t.Context(), p, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	for exact, want := range map[bool]string{false: "tray,reason,left line,right line,call,'=fee,Call,'@due\n", true: "tray,reason,left line,right line,call,=fee,Call,@due\n"} {
		layout := handover.NewLayout(p)
		layout.Exact = exact
		near, err := handover.Near(t.Context(), p, index, tables, nil, [2][]uint32{}, handover.Options{})
		if err != nil {
			t.Fatal(err)
		}
		defer near.Close()
		var got bytes.Buffer
		err = layout.WriteCSV(t.Context(), &got, index, near, nil, func(func([]exception.Entry) error) error { return nil })
		if err != nil || got.String() != want {
			t.Errorf("exact %v: %q, %v, want %q", exact, got.String(), err, want)
		}
	}
}
