package near_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"
	"time"

	"twinsieve/core/match"
	"twinsieve/core/near"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
)

var columns = []string{"call", "day", "code", "vessel", "amount"}

// corrupted makes n pairs that a slip or a blank keeps apart, and n/10 records a side that have no partner at all. It returns the
// partner of each left record, -1 where there is none.
func corrupted(n int, seed uint64) (rows [2][][]string, truth map[int]int) {
	r := rand.New(rand.NewPCG(seed, 11))
	calls := r.Perm(9 * n)
	made := 0
	fresh := func() []string {
		made++
		day := time.Date(2031, 1, 1+r.IntN(365), 0, 0, 0, 0, time.UTC)
		return []string{fmt.Sprintf("MW-%07d", calls[made]+1_000_000), day.Format("2006-01-02"), []string{"PIL", "TUG", "MOR", "WTR"}[r.IntN(4)],
			fmt.Sprintf("%s %d", []string{"Saltmarsh Wren", "Ardent Heron", "Ebba Lind", "Quillon"}[r.IntN(4)], r.IntN(50)), fmt.Sprintf("%d.%02d", r.IntN(9000), r.IntN(100))}
	}
	type pair struct{ l, r []string }
	var pairs []pair
	for range n {
		l := fresh()
		m := append([]string{}, l...)
		at := 3 + r.IntN(6)
		switch r.IntN(8) {
		case 0: // two digits exchanged
			for m[0][at] == m[0][at+1] {
				at = 3 + r.IntN(6)
			}
			m[0] = m[0][:at] + m[0][at+1:at+2] + m[0][at:at+1] + m[0][at+2:]
		case 1: // one wrong
			m[0] = m[0][:at] + string('0'+(m[0][at]-'0'+1+byte(r.IntN(8)))%10) + m[0][at+1:]
		case 2: // one missing
			m[0] = m[0][:at] + m[0][at+1:]
		case 3: // a date some days off
			d, _ := time.Parse("2006-01-02", l[1])
			m[1] = d.AddDate(0, 0, 1+r.IntN(4)).Format("2006-01-02")
		case 4: // a blank part
			m[r.IntN(2)] = ""
		case 5: // another code
			m[2] = "WASTE"
		case 6: // two wrong, and the vessel written otherwise
			m[0] = m[0][:at] + "X" + m[0][at+1:]
			m[3] = strings.ToUpper(m[3])
		case 7: // a slip, and another amount
			m[0] = m[0][:at] + m[0][at+1:]
			m[4] = fmt.Sprintf("%d.%02d", r.IntN(9000), r.IntN(100))
		}
		pairs = append(pairs, pair{l, m})
	}
	for range n / 10 {
		pairs = append(pairs, pair{l: fresh()}, pair{r: fresh()})
	}
	places := r.Perm(len(pairs))
	truth = map[int]int{}
	right := make([]int, len(pairs))
	for _, p := range places {
		if right[p] = -1; pairs[p].r != nil {
			right[p] = len(rows[1])
			rows[1] = append(rows[1], pairs[p].r)
		}
	}
	for i, p := range pairs {
		if p.l != nil {
			truth[len(rows[0])] = right[i]
			rows[0] = append(rows[0], p.l)
		}
	}
	return rows, truth
}

func suggest(t testing.TB, rows [2][][]string) *near.Suggestions {
	t.Helper()
	pair := func(i int) sieve.Columns { return sieve.Columns{Left: columns[i]} }
	d := sieve.Definition{Key: []sieve.KeyPart{{Columns: pair(0)}, {Columns: pair(1), Readings: reading.MustParse("date YYYY-MM-DD")}, {Columns: pair(2)}},
		Compare: []sieve.Field{{Columns: pair(3)}, {Columns: pair(4), As: "decimal"}}}
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	tables := [2]record.Table{recordtest.Table(t, columns, rows[0]), recordtest.Table(t, columns, rows[1])}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	out, err := near.Of(context.Background(), plan, index, tables, near.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// measured is how many of the true pairs were suggested, and how many of the suggestions are true.
func measured(out *near.Suggestions, truth map[int]int) (recall, precision float64) {
	right, pairs := 0, 0
	for _, r := range truth {
		if r >= 0 {
			pairs++
		}
	}
	for _, p := range out.Pairs {
		if truth[int(p.Left)] == int(p.Right) {
			right++
		}
	}
	return float64(right) / float64(pairs), float64(right) / float64(max(len(out.Pairs), 1))
}

// TestCorrupted: of known corruptions at least 90 in 100 are suggested, and at least 95 in 100 suggestions are true; each record is
// in one suggestion at most.
func TestCorrupted(t *testing.T) {
	for seed := range uint64(5) {
		rows, truth := corrupted(1500, seed)
		out := suggest(t, rows)
		recall, precision := measured(out, truth)
		t.Logf("seed %d: recall %.3f, precision %.3f", seed, recall, precision)
		if recall < 0.90 || precision < 0.95 {
			t.Errorf("seed %d: recall %.3f, precision %.3f", seed, recall, precision)
		}
		left, right := map[uint32]bool{}, map[uint32]bool{}
		for i, p := range out.Pairs {
			if left[p.Left] || right[p.Right] || p.Score < near.DefaultLeast || i > 0 && p.Score > out.Pairs[i-1].Score || len(p.Reasons) != 5 {
				t.Fatalf("seed %d: suggestion %d is %+v", seed, i, p)
			}
			left[p.Left], right[p.Right] = true, true
		}
	}
}

// TestReasons: what is said of a pair is so.
func TestReasons(t *testing.T) {
	filler := [][]string{}
	for i := range 40 {
		filler = append(filler, []string{fmt.Sprintf("ZZ-%d", i*977), fmt.Sprintf("2030-%02d-%02d", 1+i%12, 1+i%28), "ABCD"[i%4 : i%4+1], fmt.Sprint("S", i), fmt.Sprint(i * 31)})
	}
	for name, c := range map[string]struct {
		left, right []string
		want        string
	}{
		"exchanged":  {[]string{"MW-4417", "2031-03-02", "PIL", "Wren", "5.5"}, []string{"MW-4471", "2031-03-02", "PIL", "Wren", "5.5"}, "[{2 0.95 0} {0 1 0} {0 1 0} {0 1 0} {0 1 0}]"},
		"look alike": {[]string{"MW-4417", "2031-03-02", "PIL", "Wren", "5.5"}, []string{"МW-4417", "2031-03-02", "PIL", "Wren", "5.5"}, "[{1 0.98 0} {0 1 0} {0 1 0} {0 1 0} {0 1 0}]"},
		"days":       {[]string{"MW-4417", "2031-03-02", "PIL", "Wren", "5.5"}, []string{"MW-4417", "2031-03-03", "PIL", "Wren", "5.5"}, "[{0 1 0} {5 0.86 1} {0 1 0} {0 1 0} {0 1 0}]"},
		"blank":      {[]string{"", "2031-03-02", "PIL", "Wren", "5.5"}, []string{"MW-4417", "2031-03-02", "PIL", "Wren", "5.5"}, "[{7 0.50 0} {0 1 0} {0 1 0} {0 1 0} {0 1 0}]"},
		"strangers":  {[]string{"MW-4417", "2031-03-02", "PIL", "Wren", "5.5"}, []string{"QX-1", "2031-09-02", "PIL", "Heron", "900"}, ""},
	} {
		out := suggest(t, [2][][]string{append([][]string{c.left}, filler[:20]...), append([][]string{c.right}, filler[20:]...)})
		got := ""
		for _, p := range out.Pairs {
			if p.Left == 0 && p.Right == 0 {
				var parts []string
				for _, r := range p.Reasons {
					alike := strings.TrimSuffix(fmt.Sprintf("%.2f", r.Alike), ".00")
					parts = append(parts, fmt.Sprintf("{%d %s %d}", r.Kind, alike, r.Apart))
				}
				got = "[" + strings.Join(parts, " ") + "]"
			}
		}
		if got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

// BenchmarkNear suggests pairs among 50,000 records a side without a partner, and says recall, precision and memory.
func BenchmarkNear(b *testing.B) {
	rows, truth := corrupted(45_500, 1)
	b.ResetTimer()
	for b.Loop() {
		out := suggest(b, rows)
		recall, precision := measured(out, truth)
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		b.ReportMetric(recall, "recall")
		b.ReportMetric(precision, "precision")
		b.ReportMetric(float64(m.HeapSys)/(1<<20), "MB")
		b.ReportMetric(float64(out.Looked[0]), "records")
	}
}
