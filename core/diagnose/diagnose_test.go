package diagnose_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/diagnose"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

var columns = [2][]string{{"call_no", "service_date", "service_code", "amount"}, {"Call", "Day", "Svc", "Amount"}}

// planted is two sets in which every cause is planted so many times.
type planted struct {
	rand *rand.Rand
	rows [2][][]string
	want map[string][2]int64
	used map[string]bool
}

// record returns a new record, alike on both sides but for the layout of the day.
func (p *planted) record() (l, r []string) {
	for {
		call := fmt.Sprintf("MW-%06d", 100_000+p.rand.IntN(900_000))
		day := 2 + p.rand.IntN(25)
		if day == 3 || p.used[call] { // the third of the third month is its own exchange
			continue
		}
		p.used[call] = true
		code, amount := []string{"PIL", "TUG", "MOR"}[p.rand.IntN(3)], fmt.Sprintf("%d.%02d", p.rand.IntN(9000), p.rand.IntN(100))
		return []string{call, fmt.Sprintf("2031-03-%02d", day), code, amount}, []string{call, fmt.Sprintf("%02d.03.2031", day), code, amount}
	}
}

func (p *planted) add(l, r []string) {
	for s, row := range [2][]string{l, r} {
		if row != nil {
			p.rows[s] = append(p.rows[s], row)
		}
	}
}

// plant plants a cause a few times; change returns the records as they are written, nil where one is left out.
func (p *planted) plant(cause string, change func(l, r []string) ([]string, []string)) {
	for range 3 + p.rand.IntN(4) {
		l, r := change(p.record())
		p.add(l, r)
		n := p.want[cause]
		for s, row := range [2][]string{l, r} {
			if row != nil {
				n[s]++
			}
		}
		p.want[cause] = n
	}
}

func plant(seed uint64) *planted {
	p := &planted{rand: rand.New(rand.NewPCG(seed, 4)), want: map[string][2]int64{}, used: map[string]bool{}}
	for range 400 {
		p.add(p.record())
	}
	call := func(cause string, change func(call string) string) {
		p.plant(cause, func(l, r []string) ([]string, []string) {
			r[0] = change(r[0])
			return l, r
		})
	}
	call("reading 0 drop-invisible", func(c string) string { return c[:4] + "\u200b" + c[4:] })
	call("reading 0 trim", func(c string) string { return "\u00a0" + c + "\t" })
	call("reading 0 plain-marks", func(c string) string { return strings.Replace(c, "-", "–", 1) })
	call("reading 0 plain-letters", func(c string) string { return strings.Replace(c, "M", "М", 1) })
	call("reading 0 ignore-case", strings.ToLower)
	call("reading 0 drop-accents", func(c string) string { return strings.Replace(c, "W", "Ẃ", 1) })
	call("reading 0 drop-zeros-in-digit-runs", func(c string) string { return strings.Replace(c, "-", "-00", 1) })
	call("reading 0 letters-and-digits", func(c string) string { return strings.Replace(c, "-", "", 1) })
	call("reading 0 right drop-ending /M", func(c string) string { return c + "/M" })
	call("several 0 ignore-case 0 drop-zeros-in-digit-runs", func(c string) string { return strings.ToLower(strings.Replace(c, "-", "-0", 1)) })
	call("exchanged 0", func(c string) string {
		for at := len(c) - 1; ; at-- {
			if c[at] != c[at-1] {
				return c[:at-1] + c[at:at+1] + c[at-1:at] + c[at+1:]
			}
		}
	})
	call("one-character 0", func(c string) string { return c[:7] + "X" + c[8:] })
	part := func(cause string, side, column int, text string) {
		p.plant(cause, func(l, r []string) ([]string, []string) {
			if side == 0 {
				l[column], r = text, nil
			} else {
				r[column], l = text, nil
			}
			return l, r
		})
	}
	p.plant("reading 2 trim", func(l, r []string) ([]string, []string) {
		l[2] += " "
		return l, r
	})
	p.plant("reading 1 right date DD.MM.YYYY or YYYY-MM-DD", func(l, r []string) ([]string, []string) {
		r[1] = l[1]
		return l, r
	})
	p.plant("day-off 1", func(l, r []string) ([]string, []string) {
		var day int
		if _, err := fmt.Sscanf(r[1], "%d.03.2031", &day); err != nil {
			panic(err)
		}
		r[1] = fmt.Sprintf("%02d.03.2031", day+1-2*p.rand.IntN(2))
		return l, r
	})
	p.plant("day-and-month 1", func(l, r []string) ([]string, []string) {
		l[1], r[1] = "2031-03-07", "03.07.2031"
		return l, r
	})
	p.plant("other-part 2", func(l, r []string) ([]string, []string) {
		r[2] = "WASTE"
		return l, r
	})
	p.plant("filter -1", func(l, r []string) ([]string, []string) {
		q := slices.Clone(r)
		q[3] = "-1" // which the filter leaves out
		p.rows[1] = append(p.rows[1], q)
		return l, nil
	})
	part("blank 0", 0, 0, "")
	part("blank 2", 1, 2, "")
	part("unreadable 1", 1, 1, "31.02.2031")
	p.plant("nothing -1", func(l, r []string) ([]string, []string) { return l, nil })
	p.plant("nothing -1", func(l, r []string) ([]string, []string) { return nil, r })
	for s := range 2 {
		p.rand.Shuffle(len(p.rows[s]), func(i, j int) { p.rows[s][i], p.rows[s][j] = p.rows[s][j], p.rows[s][i] })
	}
	return p
}

func (p *planted) definition(t testing.TB) sieve.Definition {
	pair := func(i int) sieve.Columns { return sieve.Columns{Left: columns[0][i], Right: columns[1][i]} }
	return sieve.Definition{Left: "log", Right: "bills", Where: sieve.Where{Right: "zero(Amount) >= 0"},
		Key:     []sieve.KeyPart{{Columns: pair(0)}, {Columns: pair(1), Readings: reading.MustParse("left date YYYY-MM-DD", "right date DD.MM.YYYY")}, {Columns: pair(2)}},
		Compare: []sieve.Field{{Columns: pair(3), As: "decimal"}}}
}

func run(t testing.TB, d sieve.Definition, rows [2][][]string) (*match.Index, *diagnose.Diagnosis) {
	t.Helper()
	plan, err := d.Compile(columns[0], columns[1])
	if err != nil {
		t.Fatal(err)
	}
	tables := [2]record.Table{recordtest.Table(t, columns[0], rows[0]), recordtest.Table(t, columns[1], rows[1])}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	out, err := diagnose.Of(context.Background(), plan, index, tables, nil)
	if err != nil {
		t.Fatal(err)
	}
	return index, out
}

// write names a cause by its kind, part and readings.
func write(c diagnose.Cause) string {
	if len(c.Changes) == 0 {
		return fmt.Sprintf("%s %d", c.Kind, c.Part)
	}
	parts := []string{string(c.Kind)}
	for _, change := range c.Changes {
		for _, r := range change.Readings {
			parts = append(parts, fmt.Sprint(change.Part), r.String())
		}
	}
	return strings.Join(parts, " ")
}

// TestPlanted: for ten seeds, each planted cause is named with exactly its records; applying the readings one by one leaves
// only what has a slip, no value, a filter, or nothing like it.
func TestPlanted(t *testing.T) {
	for seed := range uint64(10) {
		p := plant(seed)
		d := p.definition(t)
		index, out := run(t, d, p.rows)
		got := map[string][2]int64{}
		var explained int64
		for _, c := range out.Causes {
			got[write(c)] = c.Records
			explained += c.Records[0] + c.Records[1]
			if int64(len(c.Found)) != c.Records[0]+c.Records[1] {
				t.Errorf("seed %d: %s lists %d records of %v", seed, write(c), len(c.Found), c.Records)
			}
			for _, f := range c.Found {
				if !index.Sides[f.Side].Trays[f.Row].Lonely() {
					t.Errorf("seed %d: %s explains a record in tray %s", seed, write(c), index.Sides[f.Side].Trays[f.Row])
				}
			}
		}
		if !maps.Equal(got, p.want) {
			for name, n := range p.want {
				if got[name] != n {
					t.Errorf("seed %d: %s has %v records, planted %v", seed, name, got[name], n)
				}
			}
			for name, n := range got {
				if _, ok := p.want[name]; !ok {
					t.Errorf("seed %d: %s has %v records, and was not planted", seed, name, n)
				}
			}
			return
		}
		if all := out.Records[0] + out.Records[1]; explained != all || out.Looked != out.Records {
			t.Errorf("seed %d: %d of %d records are explained", seed, explained, all)
		}
		remedies := 0
		for {
			at := slices.IndexFunc(out.Causes, func(c diagnose.Cause) bool { return len(c.Changes) > 0 })
			if at < 0 {
				break
			}
			before := out.Records
			d = out.Causes[at].Apply(d)
			remedied := out.Causes[at].Records
			_, out = run(t, d, p.rows)
			for s := range 2 {
				if out.Records[s] > before[s]-remedied[s] {
					t.Fatalf("seed %d: after %d remedies %d records are left of %d, of which one more should have paired %d", seed, remedies, out.Records[s], before[s], remedied[s])
				}
			}
			if remedies++; remedies > 30 {
				t.Fatalf("seed %d: remedies never end: %+v", seed, out.Causes[at])
			}
		}
		left := map[string][2]int64{}
		for _, c := range out.Causes {
			left[write(c)] = c.Records
		}
		for name := range p.want {
			if strings.HasPrefix(name, "reading") || strings.HasPrefix(name, "several") {
				delete(p.want, name)
			}
		}
		if !maps.Equal(left, p.want) {
			t.Errorf("seed %d: after %d remedies %v are left, planted %v", seed, remedies, left, p.want)
		}
	}
}

// TestOfBoth: what has a partner by a reading counts even where that partner is taken; numbers and dates in two forms are found
// as such.
func TestOfBoth(t *testing.T) {
	pair := func(i int) sieve.Columns { return sieve.Columns{Left: columns[0][i], Right: columns[1][i]} }
	for name, c := range map[string]struct {
		key  []sieve.KeyPart
		rows [2][][]string
		want string
	}{
		"taken": {[]sieve.KeyPart{{Columns: pair(0)}}, [2][][]string{{{"A", "", "", ""}}, {{"a", "", "", ""}, {"A", "", "", ""}}}, "reading 0 ignore-case [0 1]"},
		"dates": {[]sieve.KeyPart{{Columns: pair(1)}}, [2][][]string{{{"", "2031-03-14", "", ""}, {"", "2031-03-15", "", ""}}, {{"", "14.03.2031", "", ""}, {"", "16.03.2031", "", ""}}},
			"reading 0 left date YYYY-MM-DD 0 right date DD.MM.YYYY [1 1]; nothing -1 [1 1]"},
		"numbers": {[]sieve.KeyPart{{Columns: pair(3)}}, [2][][]string{{{"", "", "", "1234.50"}, {"", "", "", "7.25"}}, {{"", "", "", "1.234,50"}, {"", "", "", "7,26"}}},
			"reading 0 left number point 0 right number comma [1 1]; nothing -1 [1 1]"},
		"emptied": {[]sieve.KeyPart{{Columns: pair(0), Readings: reading.MustParse("trim")}}, [2][][]string{{{" ", "", "", ""}}, {{"", "", "", ""}}},
			"blanks-equal 0 [1 1]"},
		"blank on one side": {[]sieve.KeyPart{{Columns: pair(0), Readings: reading.MustParse("trim")}}, [2][][]string{{{" ", "", "", ""}, {"", "", "", ""}}, {{"x", "", "", ""}}},
			"blank 0 [1 0]; emptied 0 [1 0]; nothing -1 [0 1]"},
		"nothing to say": {[]sieve.KeyPart{{Columns: pair(0)}}, [2][][]string{{{"A", "", "", ""}}, {{"A", "", "", ""}}}, ""},
	} {
		_, out := run(t, sieve.Definition{Key: c.key}, c.rows)
		var parts []string
		for _, cause := range out.Causes {
			parts = append(parts, fmt.Sprint(write(cause), " ", cause.Records))
		}
		if got := strings.Join(parts, "; "); got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
	if tray.Surplus.Lonely() || tray.Excluded.Lonely() {
		t.Error("a surplus or excluded record is to be explained")
	}
}
