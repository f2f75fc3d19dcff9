package again_test

import (
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/tray"
)

// TestSame finds exceptions by their prints first and recognises the rest: the same is recognised as by looking at all marks at once, and as by the rule said plainly.
func TestSame(t *testing.T) {
	total := 0
	for seed := range uint64(80) {
		r := rand.New(rand.NewPCG(seed, 9))
		before, now := randomMarks(r, 1+r.IntN(300)), randomMarks(r, 1+r.IntN(300))
		for n := range now { // most are as they were, and some are so twice
			if r.IntN(3) > 0 {
				now[n] = before[r.IntN(len(before))]
				now[n].Gone = false
			}
		}
		want := again.Recognise(before, now, false)
		for _, budget := range []int64{1, 1 << 30} {
			dir := t.TempDir()
			same := again.NewSame(budget, dir)
			for b := range before {
				p := before[b].Print
				if before[b].Gone {
					p = again.Print{}
				}
				if err := same.Before(p); err != nil {
					t.Fatal(err)
				}
			}
			for n := range now {
				if err := same.Now(now[n].Print); err != nil {
					t.Fatal(err)
				}
			}
			got, taken := make([]int, len(now)), make([]bool, len(before))
			for n := range got {
				got[n] = -1
			}
			err := same.Find(t.Context(), func(n, b int) {
				total++
				if got[n], taken[b] = b, true; plainly(before, now, now[n].Print) != 1 || before[b].Gone || before[b].Print != now[n].Print {
					t.Errorf("seed %d: %d is not the same as %d alone", seed, n, b)
				}
			})
			if err != nil {
				t.Fatal(err)
			}
			if err := same.Close(); err != nil {
				t.Fatal(err)
			}
			if left, _ := os.ReadDir(dir); len(left) > 0 {
				t.Errorf("temporary files were left: %v", left)
			}
			var olds, news []int
			var restBefore, restNow []again.Mark
			for b := range before {
				if !taken[b] {
					olds, restBefore = append(olds, b), append(restBefore, before[b])
				}
			}
			for n := range now {
				if got[n] >= 0 {
					continue
				}
				news, restNow = append(news, n), append(restNow, now[n])
				if plainly(before, now, now[n].Print) == 1 {
					t.Errorf("seed %d: %d has not been found the same", seed, n)
				}
			}
			for n, b := range again.Recognise(restBefore, restNow, false) {
				if b >= 0 {
					got[news[n]] = olds[b]
				}
			}
			if !slices.Equal(got, want) {
				t.Fatalf("seed %d: got %v, want %v", seed, got, want)
			}
		}
	}
	if total < 1000 {
		t.Errorf("only %d were found the same", total)
	}
}

// plainly is how many pairs of an exception of before that was not gone and one of the run have a print.
func plainly(before, now []again.Mark, p again.Print) int {
	b, n := 0, 0
	for i := range before {
		if before[i].Print == p && !before[i].Gone {
			b++
		}
	}
	for i := range now {
		if now[i].Print == p {
			n++
		}
	}
	return b * n
}

// TestPrint holds that two exceptions have the same print just where they show the same.
func TestPrint(t *testing.T) {
	rec := func(number uint32, cells ...string) *exception.Record {
		r := &exception.Record{Number: number, Origin: record.Origin{Line: int64(number) + 2}}
		for _, c := range cells {
			r.Cells = append(r.Cells, record.Cell{Text: c})
		}
		return r
	}
	on := func(at tray.Tray, left, right *exception.Record) *exception.Entry {
		return &exception.Entry{Tray: at, Sides: [2]*exception.Record{left, right}}
	}
	group := func(left, right []*exception.Record) *exception.Entry {
		e := on(tray.Differing, left[0], right[0])
		e.Group = &exception.Group{}
		for s, list := range [2][]*exception.Record{left, right} {
			for _, r := range list {
				e.Group.Records[s] = append(e.Group.Records[s], *r)
			}
		}
		return e
	}
	blank := rec(1, "a", "")
	blank.Cells[1] = record.Cell{Text: "NULL", Null: true}
	kinds := [][]*exception.Entry{
		{on(tray.Missing, rec(1, "a", "b"), nil), on(tray.Missing, rec(7, "a", "b"), nil)}, // wherever it stands
		{on(tray.Surplus, rec(1, "a", "b"), nil)},
		{on(tray.Missing, nil, rec(1, "a", "b"))},
		{on(tray.Missing, rec(1, "ab", ""), nil)},
		{on(tray.Missing, rec(1, "", "ab"), nil)},
		{on(tray.Missing, rec(1, "a", "b", ""), nil)},
		{on(tray.Missing, rec(1, "a", ""), nil), on(tray.Missing, blank, nil)}, // however blanks are marked
		{on(tray.Differing, rec(1, "a", "b"), rec(1, "a", "c"))},
		{on(tray.Differing, rec(1, "a", "c"), rec(1, "a", "b"))},
		{group([]*exception.Record{rec(1, "a", "1"), rec(2, "a", "2")}, []*exception.Record{rec(1, "a", "4")}), group([]*exception.Record{rec(1, "a", "1"), rec(9, "a", "2")}, []*exception.Record{rec(3, "a", "4")})},
		{group([]*exception.Record{rec(1, "a", "1"), rec(2, "a", "3")}, []*exception.Record{rec(1, "a", "4")})},
		{group([]*exception.Record{rec(1, "a", "1")}, []*exception.Record{rec(1, "a", "4"), rec(2, "a", "2")})},
	}
	is := map[again.Print]int{again.PrintReject(tray.Left, "a,b"): -1, again.PrintReject(tray.Right, "a,b"): -2, again.PrintReject(tray.Left, "a,bc"): -3, {}: -4}
	if len(is) != 4 {
		t.Error("rejects of other sides or texts have the same print")
	}
	var p again.Printer
	for kind, list := range kinds {
		for i, e := range list {
			print := p.Of(e)
			if at, there := is[print]; there != (i > 0) || there && at != kind {
				t.Errorf("kind %d, %d: has the print of %d: %t", kind, i, at, there)
			}
			is[print] = kind
		}
	}
	one, other := []*exception.Record{rec(1, "a", "1"), rec(2, "a", "2")}, []*exception.Record{rec(1, "a", "4")}
	turned := group(one, other)
	slices.Reverse(turned.Group.Records[0])
	if p.Of(turned) != p.Of(kinds[9][0]) {
		t.Error("the order of a group's records is in its print")
	}
}
