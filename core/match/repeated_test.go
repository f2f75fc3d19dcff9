package match_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"twinsieve/core/exact"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestRefuse: a rule that refuses repeats names the keys and their counts.
func TestRefuse(t *testing.T) {
	rows := [2][][]string{{{"a", "1"}, {"b", "1"}, {"B ", "1"}, {"c", "1"}, {" A", "1"}, {"a", "1"}, {"", "1"}, {"", "1"}}, {{"a", "1"}, {"c", "1"}, {"c", "1"}}}
	for rule, want := range map[string]string{
		"refuse-left":  "2 keys repeat on the left, where the sieve refuses repeats: a · 1 (3 records), b · 1 (2 records)",
		"refuse-right": "1 key repeats on the right, where the sieve refuses repeats: c · 1 (2 records)",
		"refuse-both":  "2 keys repeat on the left",
		"pair":         "", "totals": "", "": "",
	} {
		d := sieve.Definition{Repeats: rule, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}, Readings: reading.MustParse("trim", "ignore-case")}, {Columns: sieve.Columns{Left: "n"}}}}
		plan, err := d.Compile([]string{"k", "n"}, []string{"k", "n"})
		if err != nil {
			t.Fatal(err)
		}
		index, err := match.Build(context.Background(), plan, recordtest.Batches(t, plan.Columns[0], rows[0], 2), recordtest.Batches(t, plan.Columns[1], rows[1], 2), match.Options{})
		fault := new(match.RepeatedError)
		if want == "" && err != nil || want != "" && (!errors.As(err, &fault) || !strings.HasPrefix(err.Error(), want)) {
			t.Errorf("%s: %v, want %s", rule, err, want)
		}
		if want != "" {
			continue
		}
		list, all, err := match.Repeated(context.Background(), plan, index, [2]record.Table{recordtest.Batches(t, plan.Columns[0], rows[0], 2), recordtest.Batches(t, plan.Columns[1], rows[1], 2)}, 2)
		got := fmt.Sprint(list, all, err)
		if got != "[{[a 1] [3 1]} {[c 1] [1 2]}] 3 <nil>" {
			t.Errorf("%s: repeated %s", rule, got)
		}
	}
}

// TestTotalsAgainstSQL holds the totals of a few thousand keys against an SQL engine's.
func TestTotalsAgainstSQL(t *testing.T) {
	conn, err := sqlite.OpenConn(":memory:")
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	r := rand.New(rand.NewPCG(4, 4))
	var rows [2][][]string
	for s, name := range []string{"l", "r"} {
		if err := sqlitex.ExecuteTransient(conn, "CREATE TABLE "+name+" (k TEXT, cents INTEGER, code TEXT)", nil); err != nil {
			t.Fatal(err)
		}
		for range 6000 {
			key, cents, code := fmt.Sprint(r.IntN(2500)), r.IntN(30), []string{"PIL", "TUG"}[r.IntN(2)]
			rows[s] = append(rows[s], []string{key, exact.Text(exact.Decimal([]byte(fmt.Sprint(cents))).Shift(-2)), code})
			if err := sqlitex.Execute(conn, "INSERT INTO "+name+" VALUES (?, ?, ?)", &sqlitex.ExecOptions{Args: []any{key, cents, code}}); err != nil {
				t.Fatal(err)
			}
		}
	}
	want := map[string]string{}
	err = sqlitex.Execute(conn, `SELECT l.k, abs(l.cents - r.cents) <= 10 AND l.codes = r.codes
		FROM (SELECT k, sum(cents) AS cents, min(code) || max(code) AS codes FROM l GROUP BY k) AS l
		JOIN (SELECT k, sum(cents) AS cents, min(code) || max(code) AS codes FROM r GROUP BY k) AS r ON l.k = r.k`,
		&sqlitex.ExecOptions{ResultFunc: func(stmt *sqlite.Stmt) error {
			want[stmt.ColumnText(0)] = []string{"differing", "matched"}[stmt.ColumnInt(1)]
			return nil
		}})
	if err != nil {
		t.Fatal(err)
	}
	d := sieve.Definition{Repeats: "totals", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal", Within: "0.1"}, {Columns: sieve.Columns{Left: "code"}}}}
	plan, err := d.Compile([]string{"k", "amount", "code"}, []string{"k", "amount", "code"})
	if err != nil {
		t.Fatal(err)
	}
	index, err := match.Build(context.Background(), plan, recordtest.Batches(t, plan.Columns[0], rows[0], 500), recordtest.Batches(t, plan.Columns[1], rows[1], 500), match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	leaders, trays := map[string]int{}, map[string]int{}
	for s := range 2 {
		for i, at := range index.Sides[s].Trays {
			key := rows[s][i][0]
			expected, shared := want[key]
			if !shared {
				expected = [2]tray.Tray{tray.Missing, tray.Orphaned}[s].String()
			}
			if at.String() != expected {
				t.Fatalf("%s record %d of key %s is %s, SQL says %s", tray.Side(s), i, key, at, expected)
			}
			if s == 0 && index.Sides[s].Partners[i] != match.None {
				leaders[key]++
			}
			trays[expected]++
		}
	}
	for key, n := range leaders {
		if n != 1 || want[key] == "" {
			t.Errorf("%d records stand for key %s", n, key)
		}
	}
	counts := slices.Collect(func(yield func(int) bool) {
		for _, n := range trays {
			yield(n)
		}
	})
	if len(leaders) != len(want) || len(counts) < 4 || slices.Min(counts) < 100 {
		t.Errorf("%d groups of %d, records %v", len(leaders), len(want), trays)
	}
}

// TestRepeated holds the list of repeated keys against one that is put in order whole, for lists of any length.
func TestRepeated(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 15))
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "k"}}}}
	plan, err := d.Compile([]string{"k"}, []string{"k"})
	if err != nil {
		t.Fatal(err)
	}
	for range 60 {
		var tables [2]record.Table
		counts, order := map[string]*[2]int64{}, []string(nil)
		for s := range tables {
			var rows [][]string
			for range r.IntN(300) {
				key := fmt.Sprintf("MW-%d", r.IntN(120))
				if r.IntN(12) == 0 {
					key = ""
				} else if counts[key] == nil {
					counts[key], order = &[2]int64{}, append(order, key)
				}
				if rows = append(rows, []string{key}); key != "" {
					counts[key][s]++
				}
			}
			tables[s] = recordtest.Batches(t, plan.Columns[s], rows, 1+r.IntN(50))
		}
		order = slices.DeleteFunc(order, func(k string) bool { return counts[k][0] < 2 && counts[k][1] < 2 })
		total := len(order)
		slices.SortStableFunc(order, func(a, b string) int {
			x, y := counts[a], counts[b]
			if x[0]*x[1] != y[0]*y[1] {
				return int(y[0]*y[1] - x[0]*x[1])
			}
			return int(y[0] + y[1] - x[0] - x[1])
		})
		index, err := match.Build(t.Context(), plan, tables[0], tables[1], match.Options{})
		if err != nil {
			t.Fatal(err)
		}
		for _, most := range []int{0, 1, 2, 10, 1000} {
			list, all, err := match.Repeated(t.Context(), plan, index, tables, most)
			if err != nil {
				t.Fatal(err)
			}
			if all != int64(total) || len(list) != min(most, total) {
				t.Fatalf("%d of %d keys, want %d of %d", len(list), all, min(most, total), total)
			}
			for i, k := range list {
				if want := order[i]; k.Key[0] != want || k.Records != *counts[want] {
					t.Fatalf("key %d of %d is %v, want %s on %v records", i, most, k, want, *counts[want])
				}
			}
		}
	}
}
