package again_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// TestHashes holds that of two random months every exception that is recognised has a hash in common with the one that it is, also where the crosswalk joins other keys by then, and that
// every one that has been cleared has one in common with a matched record. Most that have nothing to do with each other have none.
func TestHashes(t *testing.T) {
	recognised, cleared, strangers, pairs := 0, 0, 0, 0
	for n := range 600 {
		r := rand.New(rand.NewPCG(uint64(n), 17))
		keys := []string{"", "A", "A", "B", "C", "D", "E"}
		rows := func() (list [][]string) {
			for range r.IntN(8) {
				list = append(list, []string{keys[r.IntN(len(keys))], []string{"", "1", "2"}[r.IntN(3)], []string{"x", "y"}[r.IntN(2)]})
			}
			return list
		}
		crosswalk := func() (p *sieve.Plan) {
			p = plan(t, []string{"", "totals"}[n%2])
			for range r.IntN(3) {
				p.Crosswalk.Keys = append(p.Crosswalk.Keys, sieve.KeysEqual{Left: []string{keys[1+r.IntN(6)]}, Right: []string{keys[1+r.IntN(6)]}})
			}
			return p
		}
		first, second := run(t, crosswalk(), rows(), rows()), run(t, crosswalk(), rows(), rows())
		kept, asks := again.NewHasher(first.plan), again.NewHasher(second.plan)
		if kept.Reading() != asks.Reading() || kept.Reading()%2 == 0 {
			t.Fatalf("the readings are %d and %d", kept.Reading(), asks.Reading())
		}
		hashes := make([][2]int64, len(first.entries))
		for b := range first.entries {
			hashes[b] = kept.Of(&first.entries[b]).Sides
		}
		shared := func(b int, asked []int64) bool {
			return slices.ContainsFunc(hashes[b][:], func(s int64) bool { return s != 0 && slices.Contains(asked, s) })
		}
		marker := again.NewMarker(second.plan, first.plan.Columns)
		mark := func(list []exception.Entry) (marks []again.Mark) {
			for i := range list {
				marks = append(marks, marker.Mark(&list[i]))
			}
			return marks
		}
		olds, news := mark(first.entries), mark(second.entries)
		for n, b := range again.Recognise(olds, news, false) {
			var asked []int64
			asks.Asked(&second.entries[n], func(s int64) { asked = append(asked, s) })
			if b >= 0 {
				if recognised++; !shared(b, asked) {
					t.Errorf("%s is %s, and has no hash of it", says(&second.entries[n]), says(&first.entries[b]))
				}
			}
			for b := range olds {
				if pairs++; !shared(b, asked) {
					strangers++
				}
			}
		}
		met, err := again.Met(t.Context(), second.plan, second.index, second.tables, func(int64) bool { return true })
		if err != nil {
			t.Fatal(err)
		}
		fates, err := marker.Fates(t.Context(), second.index, second.tables, olds)
		if err != nil {
			t.Fatal(err)
		}
		for b, fate := range fates {
			if fate == again.Cleared {
				if cleared++; !shared(b, met) {
					t.Errorf("%s has been cleared, and nothing matched has a hash of it", says(&first.entries[b]))
				}
			}
		}
	}
	if recognised < 500 || cleared < 200 || strangers < pairs/2 {
		t.Errorf("%d were recognised and %d cleared; %d of %d pairs are strangers", recognised, cleared, strangers, pairs)
	}
}

// TestReading holds that hashes of a sieve that reads keys in another way, or of other columns, say that they are so.
func TestReading(t *testing.T) {
	p := plan(t, "")
	same := again.NewHasher(p).Reading()
	d := p.Definition
	d.Compare, d.Where.Left = nil, `call == "A"`
	columns := []string{"call", "amount", "remark"}
	reading := func(d sieve.Definition, left []string) int64 {
		t.Helper()
		p, err := d.Compile(left, columns)
		if err != nil {
			t.Fatal(err)
		}
		return again.NewHasher(p).Reading()
	}
	if reading(d, columns) != same {
		t.Error("what is compared changes how the key is read")
	}
	if reading(d, []string{"call", "remark", "amount"}) == same {
		t.Error("other columns are the same")
	}
	d.Key = []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}, Blanks: "equal"}}
	if reading(d, columns) == same {
		t.Error("another key is the same")
	}
	s := again.NewHasher(p)
	if left, right := s.OfReject(tray.Left, "a,b"), s.OfReject(tray.Right, "a,b"); left.Sides[0] == 0 || left.Sides[0] == right.Sides[1] || left.Sides[1] != 0 {
		t.Errorf("rejects are kept under %v and %v", left, right)
	}
}

// TestNothingCompared: where a sieve compares nothing, an exception has changed when its record has.
func TestNothingCompared(t *testing.T) {
	d := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}}
	p, err := d.Compile([]string{"call", "remark"}, []string{"call"})
	if err != nil {
		t.Fatal(err)
	}
	marker := again.NewMarker(p)
	mark := func(remark string) again.Mark {
		e := exception.Entry{Tray: tray.Missing, Sides: [2]*exception.Record{{Cells: []record.Cell{{Text: "MW-2"}, {Text: remark}}}}}
		return marker.Mark(&e)
	}
	before, now := []again.Mark{mark("at the quay"), mark("2")}, []again.Mark{mark("2"), mark("at anchor")}
	if found := again.Recognise(before, now, false); !slices.Equal(found, []int{1, 0}) || again.Became(&before[1], &now[0]) != again.StillOpen || again.Became(&before[0], &now[1]) != again.Changed {
		t.Errorf("they are %v", found)
	}
}
