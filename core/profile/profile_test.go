package profile_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"twinsieve/core/profile"
	"twinsieve/core/record"
)

func table(t testing.TB, columns []string, rows [][]record.Cell) *record.Spool {
	t.Helper()
	s := record.NewSpool(columns, 1<<30, t.TempDir())
	t.Cleanup(func() { s.Close() })
	b := record.NewBuilder(len(columns))
	add := func(batch *record.Batch) {
		if batch != nil {
			if err := s.Add(batch); err != nil {
				t.Fatal(err)
			}
		}
	}
	for _, row := range rows {
		for c, cell := range row {
			if cell.Null {
				b.Marker(c, []byte(cell.Text))
			} else {
				b.Cell(c, []byte(cell.Text))
			}
		}
		add(b.Close(1))
	}
	add(b.Flush())
	return s
}

func random(r *rand.Rand) record.Cell {
	switch r.IntN(10) {
	case 0:
		return record.Cell{Null: true}
	case 1:
		return record.Cell{Text: "n/a", Null: true}
	case 2:
		return record.Cell{}
	case 3:
		return record.Cell{Text: fmt.Sprintf(" Żuraw-%02d", r.IntN(30))}
	case 4:
		return record.Cell{Text: strings.Repeat("mw", r.IntN(9))}
	case 5:
		return record.Cell{Text: strings.ToUpper(strings.Repeat("mw", r.IntN(9)))}
	}
	return record.Cell{Text: fmt.Sprintf("MW-%04d", r.IntN(3000))}
}

// TestAgainstCounting holds profiles against plain counting, in one pass and in many.
func TestAgainstCounting(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var rows [][]record.Cell
	sum := decimal.Zero
	for range 40_000 {
		amount := decimal.New(r.Int64N(2_000_000)-500_000, -2)
		sum = sum.Add(amount)
		rows = append(rows, []record.Cell{random(r), {Text: amount.StringFixed(2)}})
	}
	for range 500 {
		row := rows[r.IntN(len(rows))]
		rows = append(rows, row)
		a, err := decimal.NewFromString(row[1].Text)
		if err != nil {
			t.Fatal(err)
		}
		sum = sum.Add(a)
	}
	tab := table(t, []string{"call", "amount"}, rows)
	whole, err := profile.Of(context.Background(), tab, profile.Options{})
	if err != nil {
		t.Fatal(err)
	}
	parts, err := profile.Of(context.Background(), tab, profile.Options{Budget: 200_000, Workers: 2})
	if err != nil {
		t.Fatal(err)
	}
	if a, b := asJSON(t, whole), asJSON(t, parts); a != b {
		t.Errorf("in one pass\n%s\nin many\n%s", a, b)
	}
	counts, seen := map[string]int64{}, map[string]bool{}
	var nulls, markers, empty, spaces, same int64
	for _, row := range rows {
		if key := fmt.Sprintf("%q", []any{row[0].Text, row[0].Null, row[1].Text}); seen[key] {
			same++
		} else {
			seen[key] = true
		}
		c := row[0]
		switch {
		case c.Null && c.Text == "":
			nulls++
		case c.Null:
			markers++
		case c.Text == "":
			empty++
		default:
			counts[c.Text]++
			if strings.TrimSpace(c.Text) != c.Text {
				spaces++
			}
		}
	}
	var repeated, caseOnly int64
	longest, folded := 0, map[string]int64{}
	var texts []string
	for text, n := range counts {
		if n > 1 {
			repeated += n
		}
		longest = max(longest, utf8.RuneCountInString(text))
		folded[strings.ToLower(text)]++
		texts = append(texts, text)
	}
	for _, n := range folded {
		if n > 1 {
			caseOnly += n
		}
	}
	slices.Sort(texts)
	got := whole.Columns[0]
	want := fmt.Sprint(nulls, markers, empty, len(counts), repeated, spaces, caseOnly, longest, texts[0], texts[len(texts)-1])
	if is := fmt.Sprint(got.Nulls, got.Markers, got.Empty, got.Distinct, got.Repeated, got.Spaces, got.CaseOnly, got.Longest.Characters, got.Least, got.Greatest); is != want {
		t.Errorf("counted %s, want %s", is, want)
	}
	for _, c := range got.Common {
		if counts[c.Text] != c.Records {
			t.Errorf("%q is said to be in %d records, and is in %d", c.Text, c.Records, counts[c.Text])
		}
	}
	if len(got.Common) != 10 || whole.Repeated != same || same < 500 {
		t.Errorf("%d common values; %d repeated records, want %d", len(got.Common), whole.Repeated, same)
	}
	amounts := whole.Columns[1]
	if amounts.Total != sum.String() || amounts.Type.String() != "decimal point" {
		t.Errorf("total %s of %s, want %s", amounts.Total, amounts.Type.Type, sum)
	}
	for _, c := range whole.Columns {
		n := int64(0)
		for _, b := range c.Histogram {
			n += b.Records
		}
		if n != int64(len(rows))-c.Blanks() {
			t.Errorf("%s: the histogram has %d records", c.Name, n)
		}
	}
}

func asJSON(t *testing.T, v any) string {
	t.Helper()
	text, err := json.MarshalIndent(v, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// TestColumns profiles small columns that show one thing each.
func TestColumns(t *testing.T) {
	cells := func(texts ...string) (rows [][]record.Cell) {
		for _, x := range texts {
			rows = append(rows, []record.Cell{{Text: x}})
		}
		return rows
	}
	for name, c := range map[string]struct {
		rows [][]record.Cell
		want string
	}{
		"numbers by size": {cells("9", "10", "-2", "10"), "integer -2 10 total 27 number -2..-2:1 -1..-1:0 0..0:0 1..1:0 2..2:0 3..3:0 4..4:0 5..5:0 6..6:0 7..7:0 8..8:0 9..9:1 10..10:2"},
		"dates by day":    {cells("31.12.2025", "01.01.2026"), "date DD.MM.YYYY 31.12.2025 01.01.2026 total  date 2025-12-31..2025-12-31:1 2026-01-01..2026-01-01:1"},
		"ambiguous dates": {cells("03/04/2026", "05/04/2026"), "date 03/04/2026 05/04/2026 total  length 10..10:2"},
		"comma":           {cells("1.000,50", "2,00"), "decimal comma 2,00 1.000,50 total 1002.5 number 0..100:1 100..200:0 200..300:0 300..400:0 400..500:0 500..600:0 600..700:0 700..800:0 800..900:0 900..1000:0 1000..1100:1"},
		"before 1970":     {cells("1969-12-31", "1969-12-30"), "date YYYY-MM-DD 1969-12-30 1969-12-31 total  date 1969-12-30..1969-12-30:1 1969-12-31..1969-12-31:1"},
		"one value":       {cells("2.5", "2.5"), "decimal point 2.5 2.5 total 5 number 2.5..2.5:2"},
		"far apart":       {cells("1", "4000001", "17"), "integer 1 4000001 total 4000019 number 0..499999:2"},
		"nothing":         {cells("", ""), "text   total "},
	} {
		p, err := profile.Of(context.Background(), table(t, []string{"x"}, c.rows), profile.Options{})
		if err != nil {
			t.Fatal(err)
		}
		col := p.Columns[0]
		got := fmt.Sprintf("%s %s %s total %s %s", col.Type.Type, col.Least, col.Greatest, col.Total, col.By)
		for _, b := range col.Histogram {
			got += fmt.Sprintf(" %s..%s:%d", b.From, b.To, b.Records)
		}
		if !strings.HasPrefix(strings.TrimSpace(got), strings.TrimSpace(c.want)) {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
	}
}

func BenchmarkProfile(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	var rows [][]record.Cell
	for n := range 200_000 {
		rows = append(rows, []record.Cell{{Text: fmt.Sprintf("MW-%07d", n)}, {Text: fmt.Sprintf("2026-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28))}, {Text: fmt.Sprintf("%d.%02d", r.IntN(5000), r.IntN(100))}, {Text: "tow"}})
	}
	tab := table(b, []string{"call", "date", "amount", "service"}, rows)
	for b.Loop() {
		if _, err := profile.Of(context.Background(), tab, profile.Options{}); err != nil {
			b.Fatal(err)
		}
	}
}

// TestRepeatedRecords counts repeated records in tables of which few columns tell the records apart, or none, or only all of them together.
func TestRepeatedRecords(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for n := range 40 {
		values := make([]int, 1+r.IntN(5)) // of each column
		var names []string
		for c := range values {
			names, values[c] = append(names, fmt.Sprint("column ", c)), 1+r.IntN([]int{2, 30, 100_000}[r.IntN(3)])
		}
		var rows [][]record.Cell
		for range r.IntN(4000) {
			var row []record.Cell
			for _, v := range values {
				text := fmt.Sprint(r.IntN(v))
				row = append(row, record.Cell{Text: text, Null: r.IntN(50) == 0 && text != ""}) // of which the text is the same
			}
			if rows = append(rows, row); r.IntN(20) == 0 {
				rows = append(rows, rows[r.IntN(len(rows))])
			}
		}
		want, seen := int64(0), map[string]bool{}
		for _, row := range rows {
			key := fmt.Sprint(row) // of digits
			if seen[key] {
				want++
			}
			seen[key] = true
		}
		tab := table(t, names, rows)
		for _, budget := range []int64{0, 20_000} {
			p, err := profile.Of(t.Context(), tab, profile.Options{Budget: budget})
			if err != nil || p.Repeated != want {
				t.Errorf("table %d of %d records, values %v, budget %d: %d repeated records, want %d; %v", n, len(rows), values, budget, p.Repeated, want, err)
			}
		}
	}
}
