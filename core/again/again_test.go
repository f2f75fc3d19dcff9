package again_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"twinsieve/core/again"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// plan is a sieve of calls: the call is the key, the amount is compared, and the remark is nothing to it.
func plan(t *testing.T, repeats string) *sieve.Plan {
	t.Helper()
	d := sieve.Definition{Name: "Calls", Left: "log", Right: "bills", Repeats: repeats,
		Key:     []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
	p, err := d.Compile([]string{"call", "amount", "remark"}, []string{"call", "amount", "remark"})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// month is what one run finds.
type month struct {
	plan    *sieve.Plan
	index   *match.Index
	tables  [2]record.Table
	entries []exception.Entry // the exceptions
	all     []exception.Entry // the matched, too
}

func run(t *testing.T, p *sieve.Plan, left, right [][]string) *month {
	t.Helper()
	m := &month{plan: p}
	for s, rows := range [2][][]string{left, right} {
		m.tables[s] = recordtest.Table(t, p.Columns[s], rows)
	}
	var err error
	if m.index, err = match.Build(t.Context(), p, m.tables[0], m.tables[1], match.Options{Workers: 2}); err != nil {
		t.Fatal(err)
	}
	var trays []tray.Tray
	for _, at := range tray.All {
		if at.Exception() {
			trays = append(trays, at)
		}
	}
	for _, of := range []struct {
		into  *[]exception.Entry
		trays []tray.Tray
	}{{&m.entries, trays}, {&m.all, append(trays, tray.Matched)}} {
		if *of.into, err = exception.Read(t.Context(), p, m.index, m.tables, exception.Places(m.index, of.trays...)); err != nil {
			t.Fatal(err)
		}
	}
	return m
}

func (m *month) marks() (marks []again.Mark) {
	marker := again.NewMarker(m.plan, m.plan.Columns)
	for i := range m.entries {
		marks = append(marks, marker.Mark(&m.entries[i]))
	}
	return marks
}

// says tells entries in the short: tray, and each side's cells.
func says(e *exception.Entry) string {
	text := e.Tray.String()
	for _, r := range e.Sides {
		text += " "
		if r == nil {
			text += "-"
			continue
		}
		for _, c := range r.Cells {
			text += c.Text + ","
		}
	}
	return text
}

// compare runs two months and tells what became of each exception: of those of the second month by what they are, then of those that
// are not in it.
func compare(t *testing.T, first, second *month) (told []string) {
	t.Helper()
	before, now := first.marks(), second.marks()
	taken := make([]bool, len(before))
	found := again.Recognise(before, now, false)
	again.Join(before, now, found)
	for n, b := range found {
		change := again.New
		if b >= 0 {
			change = again.Became(&before[b], &now[n])
			taken[b] = true
			told = append(told, fmt.Sprintf("%s: %s > %s", change, says(&first.entries[b]), says(&second.entries[n])))
			continue
		}
		told = append(told, fmt.Sprintf("%s: %s", change, says(&second.entries[n])))
	}
	var lost []again.Mark
	var names []string
	for b := range before {
		if before[b].Joined {
			told = append(told, fmt.Sprintf("joined: %s", says(&first.entries[b])))
		} else if !taken[b] {
			lost = append(lost, before[b])
			names = append(names, says(&first.entries[b]))
		}
	}
	fates, err := again.NewMarker(second.plan, first.plan.Columns).Fates(context.Background(), second.index, second.tables, lost)
	if err != nil {
		t.Fatal(err)
	}
	for i, fate := range fates {
		told = append(told, fmt.Sprintf("%s: %s", fate, names[i]))
	}
	slices.Sort(told)
	return told
}

// TestTold is a table of months, each record as call,amount,remark, and what is told of them.
func TestTold(t *testing.T) {
	rows := func(text string) (list [][]string) {
		for line := range strings.FieldsSeq(text) {
			list = append(list, strings.Split(line, ","))
		}
		return list
	}
	for _, c := range []struct {
		name                     string
		left1, right1, left2, r2 string
		want                     []string
	}{
		{"nothing moves", "A,1,x", "", "A,1,x", "", []string{"still-open: missing A,1,x, - > missing A,1,x, -"}},
		{"a remark says nothing to the sieve", "A,1,x", "", "A,1,y", "", []string{"still-open: missing A,1,x, - > missing A,1,y, -"}},
		{"the same amount written differently", "A,1,x", "", "A,1.00,x", "", []string{"still-open: missing A,1,x, - > missing A,1.00,x, -"}},
		{"another amount", "A,1,x", "", "A,2,x", "", []string{"changed: missing A,1,x, - > missing A,2,x, -"}},
		{"an amount becomes blank", "A,1,x", "", "A,,x", "", []string{"changed: missing A,1,x, - > missing A,,x, -"}},
		{"an unreadable amount becomes another", "A,?,x", "", "A,!,x", "", []string{"changed: missing A,?,x, - > missing A,!,x, -"}},
		{"billed at last", "A,1,x", "", "A,1,x", "A,1,y", []string{"cleared: missing A,1,x, -"}},
		{"billed at last, and wrongly", "A,1,x", "", "A,1,x", "A,3,y", []string{"changed: missing A,1,x, - > differing A,1,x, A,3,y,"}},
		{"gone with its month", "A,1,x", "", "B,1,x", "", []string{"absent: missing A,1,x, -", "new: missing B,1,x, -"}},
		{"the other side alone is another exception", "A,1,x", "", "", "A,1,x", []string{"absent: missing A,1,x, -", "new: orphaned - A,1,x,"}},
		{"a pair loses its right record", "A,1,x", "A,2,y", "A,1,x", "", []string{"changed: differing A,1,x, A,2,y, > missing A,1,x, -"}},
		{"a pair loses its left record", "A,1,x", "A,2,y", "", "A,2,y", []string{"changed: differing A,1,x, A,2,y, > orphaned - A,2,y,"}},
		{"a pair agrees at last", "A,1,x", "A,2,y", "A,2,x", "A,2,y", []string{"cleared: differing A,1,x, A,2,y,"}},
		{"of two surplus ones the identical first", "A,1,x A,2,y A,3,z", "A,3,z", "A,2,y A,3,z", "A,3,z", []string{"cleared: surplus A,1,x, -", "still-open: surplus A,2,y, - > surplus A,2,y, -"}},
		{"then the nearest", "A,1,x A,20,y A,300,z", "A,300,z", "A,19,n A,300,z", "A,300,z", []string{"changed: surplus A,20,y, - > surplus A,19,n, -", "cleared: surplus A,1,x, -"}},
		{"without a key, by content", ",1,x ,1,y", "", ",1,y ,2,x", "", []string{"absent: unkeyed ,1,x, -", "new: unkeyed ,2,x, -", "still-open: unkeyed ,1,y, - > unkeyed ,1,y, -"}},
		{"twice the same without a key", ",1,x ,1,x", "", ",1,x", "", []string{"absent: unkeyed ,1,x, -", "still-open: unkeyed ,1,x, - > unkeyed ,1,x, -"}},
	} {
		p := plan(t, "")
		got := compare(t, run(t, p, rows(c.left1), rows(c.right1)), run(t, p, rows(c.left2), rows(c.r2)))
		if !slices.Equal(got, c.want) {
			t.Errorf("%s:\n got %q\nwant %q", c.name, got, c.want)
		}
	}
}

// TestCrosswalkClass recognises keys that the crosswalk has joined meanwhile, and columns that were not there before.
func TestCrosswalkClass(t *testing.T) {
	p := plan(t, "")
	first := run(t, p, [][]string{{"A-1", "1", "x"}, {"B", "5", "x"}}, [][]string{{"A1", "2", "y"}, {"C", "6", "x"}})
	joined := plan(t, "")
	joined.Crosswalk = sieve.Crosswalk{Version: 1, Keys: []sieve.KeysEqual{{Left: []string{"A-1"}, Right: []string{"A1"}}, {Left: []string{"B"}, Right: []string{"C"}}}}
	second := run(t, joined, [][]string{{"A-1", "1", "x"}, {"B", "6", "x"}}, [][]string{{"A1", "2", "y"}, {"C", "6", "x"}})
	before := func(m *month, marker *again.Marker) (marks []again.Mark) {
		for i := range m.entries {
			marks = append(marks, marker.Mark(&m.entries[i]))
		}
		return marks
	}
	marker := again.NewMarker(joined, p.Columns)
	olds, news := before(first, marker), before(second, marker)
	found := again.Recognise(olds, news, false)
	if len(found) != 1 || found[0] < 0 || olds[found[0]].Tray == tray.Surplus || again.Became(&olds[found[0]], &news[0]) != again.Changed {
		t.Errorf("%v of %+v", found, olds)
	}
	fates, err := marker.Fates(t.Context(), second.index, second.tables, olds)
	if err != nil || fmt.Sprint(fates) != "[absent cleared absent cleared]" {
		t.Errorf("%v, %v", fates, err) // that of the pair still differs, so it is not asked about but when it lost to the other
	}

	wide := sieve.Definition{Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}}}
	w, err := wide.Compile([]string{"clerk", "call", "remark"}, []string{"call"})
	if err != nil {
		t.Fatal(err)
	}
	marker = again.NewMarker(w, p.Columns)
	was := exception.Entry{Tray: tray.Missing}
	was.Sides[0] = &exception.Record{Cells: marker.Arrange(tray.Left, p.Columns[0], []record.Cell{{Text: "A"}, {Text: "1"}, {Text: "x"}})}
	is := exception.Entry{Tray: tray.Missing}
	is.Sides[0] = &exception.Record{Cells: []record.Cell{{Text: "orrell"}, {Text: "A"}, {Text: "x"}}}
	a, b := marker.MarkBefore(&was, p.Columns), marker.Mark(&is)
	if a.Tray != b.Tray || !slices.Contains(b.Sides[0].Fewer, a.Sides[0].Content) || b.Sides[0].Content == a.Sides[0].Content || a.Print == b.Print || again.Became(&a, &b) != again.StillOpen { // the clerk is no content of both, but is shown
		t.Errorf("%+v and %+v", a, b)
	}
	if gone := a; !func() bool { gone.Gone = true; return again.Became(&gone, &b) == again.Returned }() {
		t.Error("what was gone has not returned")
	}
}

// TestAgainstOracle holds what is told of random months against a plain reading of what it means: of all pairs of an exception before
// and one of now that have a record of one side with the same key, the nearest first. It is told, too, whatever the order of the records.
func TestAgainstOracle(t *testing.T) {
	cases := 3000
	if testing.Short() {
		cases = 300
	}
	for n := range cases {
		r := rand.New(rand.NewPCG(uint64(n), 6))
		rows := func() (list [][]string) {
			for range r.IntN(9) {
				list = append(list, []string{[]string{"", "A", "A", "B", "C"}[r.IntN(5)], []string{"", "1", "2", "2.0", "7", "?"}[r.IntN(6)], []string{"x", "y"}[r.IntN(2)]})
			}
			return list
		}
		p := plan(t, "")
		left1, right1, left2, right2 := rows(), rows(), rows(), rows()
		first, second := run(t, p, left1, right1), run(t, p, left2, right2)
		got, want := compare(t, first, second), oracle(first, second)
		if !slices.Equal(got, want) {
			t.Fatalf("case %d: %v %v, then %v %v:\n got %q\nwant %q", n, left1, right1, left2, right2, got, want)
		}
		for _, list := range [][][]string{left2, right2} {
			r.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
		}
		if shuffled := compare(t, first, run(t, p, left2, right2)); !slices.Equal(got, shuffled) {
			t.Fatalf("case %d: in another order\n%q\nand not\n%q", n, shuffled, got)
		}
	}
}

// oracle tells the same by looking at everything each time.
func oracle(first, second *month) (told []string) {
	type pair struct{ b, n int }
	key := func(e *exception.Entry, s tray.Side) string { return e.Sides[s].Cells[0].Text }
	share := func(a, b *exception.Entry) bool {
		for _, s := range tray.Sides {
			if a.Sides[s] == nil || b.Sides[s] == nil {
				continue
			}
			if k := key(a, s); k != "" && k == key(b, s) || k == "" && key(b, s) == "" && fmt.Sprint(a.Sides[s].Cells) == fmt.Sprint(b.Sides[s].Cells) {
				return true
			}
		}
		return false
	}
	value := func(text string) string {
		if f, err := strconv.ParseFloat(text, 64); err == nil {
			return strconv.FormatFloat(f, 'f', -1, 64)
		}
		return text
	}
	rank := func(a, b *exception.Entry) string {
		alike, shared, moved, shape, apart := 0, 0, 0, true, ""
		for _, s := range tray.Sides {
			l, r := a.Sides[s], b.Sides[s]
			if l == nil || r == nil {
				shape = shape && l == r
				continue
			}
			shared++
			if fmt.Sprint(l.Cells) == fmt.Sprint(r.Cells) {
				alike++
			}
			if x, y := l.Cells[1].Text, r.Cells[1].Text; value(x) != value(y) {
				moved++
				f, err := strconv.ParseFloat(x, 64)
				g, err2 := strconv.ParseFloat(y, 64)
				if err != nil || err2 != nil {
					f, g = 0, 0
				}
				apart += fmt.Sprintf("%06.1f ", max(f, g)-min(f, g))
			}
		}
		likeness := 2
		if shape && alike == shared {
			likeness = 0
		} else if alike > 0 {
			likeness = 1
		}
		elsewhere := 0
		if a.Tray != b.Tray {
			elsewhere = 1
		}
		content := ""
		for _, e := range []*exception.Entry{b, a} {
			for _, s := range tray.Sides {
				if e.Sides[s] != nil {
					for _, c := range e.Sides[s].Cells {
						content += fmt.Sprintf("%d%s", len(c.Text), c.Text)
					}
				}
				content += " "
			}
		}
		return fmt.Sprintf("%d %d %-20s %d %s %d", likeness, moved, apart, elsewhere, content, b.Tray)
	}
	usedB, usedN := map[int]bool{}, map[int]bool{}
	for {
		best, at := "", pair{-1, -1}
		for b := range first.entries {
			for n := range second.entries {
				if usedB[b] || usedN[n] || !share(&first.entries[b], &second.entries[n]) {
					continue
				}
				if k := rank(&first.entries[b], &second.entries[n]); best == "" || k < best {
					best, at = k, pair{b, n}
				}
			}
		}
		if best == "" {
			break
		}
		usedB[at.b], usedN[at.n] = true, true
		a, b := &first.entries[at.b], &second.entries[at.n]
		change := again.StillOpen
		if a.Tray != b.Tray {
			change = again.Changed
		}
		for _, s := range tray.Sides {
			if a.Sides[s] != nil && b.Sides[s] != nil && value(a.Sides[s].Cells[1].Text) != value(b.Sides[s].Cells[1].Text) {
				change = again.Changed
			}
		}
		told = append(told, fmt.Sprintf("%s: %s > %s", change, says(a), says(b)))
	}
	for n := range second.entries {
		if !usedN[n] {
			told = append(told, fmt.Sprintf("new: %s", says(&second.entries[n])))
		}
	}
	for b := range first.entries {
		if usedB[b] {
			continue
		}
		fate := again.Absent
		for i := range second.all {
			if e := &second.all[i]; e.Tray == tray.Matched {
				for _, s := range tray.Sides {
					if first.entries[b].Sides[s] != nil && key(&first.entries[b], s) != "" && key(&first.entries[b], s) == key(e, s) {
						fate = again.Cleared
					}
				}
			}
		}
		told = append(told, fmt.Sprintf("%s: %s", fate, says(&first.entries[b])))
	}
	slices.Sort(told)
	return told
}
