package diagnose_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"twinsieve/core/diagnose"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
)

// TestRandom: in random messy sets each record without a partner is counted once, nobody else is, and a remedy gives every record that
// it is said to help a partner.
func TestRandom(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	pick := func(from ...string) string { return from[r.IntN(len(from))] }
	kinds := map[diagnose.Kind]int{}
	for n := range 600 {
		var rows [2][][]string
		for s := range rows {
			for range 1 + r.IntN(12) {
				call := pick("MW-1", "mw-1", "MW-01", " MW-1", "MW-2", "MW2", "МW-2", "MW-2/M", "MW–3", "Mẃ-3", "MW-3\u200b", "WM-1", "MW-12", "", "  ", "7")
				day := pick([2]string{"2031-03-%02d", "%02d.03.2031"}[s], [2]string{"2031-03-%02d", "%02d.03.2031"}[s], "2031-%02d-05", "x%02d")
				rows[s] = append(rows[s], []string{call, fmt.Sprintf(day, 4+r.IntN(3)), pick("PIL", "pil ", "TUG", ""), pick("1", "2", "oops")})
			}
		}
		d := sieve.Definition{Left: "log", Right: "bills"}
		pair := func(i int) sieve.Columns { return sieve.Columns{Left: columns[0][i], Right: columns[1][i]} }
		d.Key = []sieve.KeyPart{{Columns: pair(0)}}
		if r.IntN(2) == 0 {
			d.Key[0].Readings = reading.MustParse("trim")
		}
		if r.IntN(2) == 0 {
			d.Key = append(d.Key, sieve.KeyPart{Columns: pair(1), Readings: reading.MustParse("left date YYYY-MM-DD", "right date DD.MM.YYYY")})
		}
		if r.IntN(2) == 0 {
			d.Key = append(d.Key, sieve.KeyPart{Columns: pair(2), Blanks: pick("", "equal")})
		}
		if r.IntN(2) == 0 {
			d.Compare = []sieve.Field{{Columns: pair(3), As: "decimal"}}
		}
		if r.IntN(4) == 0 {
			d.Where.Right = `Svc != "TUG"`
		}
		about := fmt.Sprintf("case %d: %+v of %q", n, d, rows)
		index, out := run(t, d, rows)
		lonely := [2]int{}
		for s := range 2 {
			for _, at := range index.Sides[s].Trays {
				if at.Lonely() {
					lonely[s]++
				}
			}
		}
		if out.Records != [2]int64{int64(lonely[0]), int64(lonely[1])} {
			t.Fatalf("%v records without a partner, want %v\n%s", out.Records, lonely, about)
		}
		counted := map[diagnose.Found]bool{}
		for _, c := range out.Causes {
			kinds[c.Kind]++
			for _, f := range c.Found {
				who := diagnose.Found{Side: f.Side, Row: f.Row}
				if counted[who] || !index.Sides[f.Side].Trays[f.Row].Lonely() {
					t.Fatalf("%s record %d is counted twice, or has a partner\n%s", f.Side, f.Row, about)
				}
				counted[who] = true
			}
			if len(c.Changes) == 0 && c.Kind != diagnose.BlanksEqual {
				continue
			}
			after, _ := run(t, c.Apply(d), rows)
			for _, f := range c.Found {
				if at := after.Sides[f.Side].Trays[f.Row]; at.Lonely() {
					t.Fatalf("%s does not help %s record %d, which is %s\n%s", write(c), f.Side, f.Row, at, about)
				}
				if f.Partner == match.None {
					t.Fatalf("%s names no partner for %s record %d\n%s", write(c), f.Side, f.Row, about)
				}
				if after.Sides[f.Side].Keys[f.Row] != after.Sides[f.Side.Other()].Keys[f.Partner] {
					t.Fatalf("%s does not give %s record %d the key of its partner\n%s", write(c), f.Side, f.Row, about)
				}
			}
		}
		if len(counted) != lonely[0]+lonely[1] {
			t.Fatalf("%d records are explained, of %v\n%s", len(counted), lonely, about)
		}
	}
	t.Logf("causes: %v", kinds)
	for _, k := range []diagnose.Kind{diagnose.Filter, diagnose.Loosened, diagnose.BlanksEqual, diagnose.Several, diagnose.DayOff, diagnose.Blank, diagnose.Emptied, diagnose.Unreadable, diagnose.OtherPart, diagnose.Nothing} {
		if kinds[k] < 5 {
			t.Errorf("only %d causes of the kind %s: the cases no longer cover it", kinds[k], k)
		}
	}
}
