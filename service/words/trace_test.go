package words_test

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
	"twinsieve/core/trace"
	"twinsieve/core/tray"
	"twinsieve/service/handover"
	"twinsieve/service/words"
)

var update = flag.Bool("update", false, "write the golden files anew")

var columns = [2][]string{{"call_no", "service_date", "vessel", "amount_due"}, {"Voyage Call", "Invoiced On", "Ship", "Amount"}}

func billing(t testing.TB) sieve.Definition {
	pair := func(i int) sieve.Columns { return sieve.Columns{Left: columns[0][i], Right: columns[1][i]} }
	return sieve.Definition{Left: "service-log", Right: "invoices", Where: sieve.Where{Left: `vessel != "Tender" && zero(amount_due) >= 0`},
		Key: []sieve.KeyPart{{Columns: pair(0), Readings: reading.MustParse("trim", "ignore-case", "drop-zeros-in-digit-runs")},
			{Columns: pair(1), Readings: reading.MustParse("left date YYYY-MM-DD", "right date DD.MM.YYYY")}},
		Compare: []sieve.Field{{Columns: pair(2), Readings: reading.MustParse("ignore-case")}, {Columns: pair(3), As: "decimal", Within: "0.05"}}}
}

// TestTraces holds the traces of a record of every tray and of each cause of an unkeyed one against golden files.
func TestTraces(t *testing.T) {
	rows := [2][][]string{
		{{"MW-04417", "2031-03-02", "Quillon", "120.00"}, {"MW-04418", "2031-03-02", "Quillon", "75.00"}, {"MW-04419", "2031-03-03", "Yarrow", "10.00"},
			{"MW-04420", "2031-03-03", "Yarrow", "10.00"}, {"MW-04420", "2031-03-03", "Yarrow", "11.00"}, {"", "2031-03-04", "Żuraw", "5.00"}, {"   ", "2031-03-04", "Żuraw", "5.00"},
			{"MW-04421", "2031-02-31", "Żuraw", "5.00"}, {"MW-04422", "2031-03-05", "Tender", "5.00"}, {"MW-04423", "2031-03-05", "Yarrow", "see note"},
			{"MW-04424", "2031-03-06", "Saltmarsh Wren", "9.00"}, {"MW-04430", "2031-03-07", "Umber Jack", "9.00"}},
		{{"mw-4417", "02.03.2031", "QUILLON", "120.05"}, {" MW-4418", "02.03.2031", "QUILL\u041eN", "75"}, {"MW-4491", "03.03.2031", "YARROW", "10"},
			{"mw-4420", "03.03.2031", "YARROW", "11"}, {"\u041cW-4424", "06.03.2031", "SALTMARSH WREN", "9"}, {"MW-7777", "09.03.2031", "VESPER LIGHT", "1"}, {"mw-4431", "07.03.2031", "UMBER JACK", "9"}},
	}
	d := billing(t)
	for name, c := range map[string]struct {
		change func(d *sieve.Definition, p *sieve.Plan)
		which  []string
	}{
		"pairs":  {nil, []string{"left-1 matched", "right-2 differing", "left-3 missing", "right-6 orphaned", "left-4 surplus", "left-5 matched", "left-6 unkeyed", "left-7 unkeyed", "left-8 unkeyed", "left-9 excluded", "left-10 excluded", "left-11 missing"}},
		"totals": {func(d *sieve.Definition, _ *sieve.Plan) { d.Repeats = "totals" }, []string{"left-4 differing", "right-4 differing"}},
		"crosswalk": {func(_ *sieve.Definition, p *sieve.Plan) {
			p.Crosswalk = sieve.Crosswalk{Version: 2, Keys: []sieve.KeysEqual{{Left: []string{"MW-04430", "2031-03-07"}, Right: []string{"mw-4431", "07.03.2031"}}},
				Hand: []sieve.PairedHand{{ID: 7, Columns: columns, Records: [2][][]record.Cell{{cells(rows[0][2])}, {cells(rows[1][2])}}}}}
		}, []string{"left-12 matched", "right-3 matched"}},
	} {
		changed := d
		if c.change != nil && name == "totals" {
			c.change(&changed, nil)
		}
		plan, err := changed.Compile(columns[0], columns[1])
		if err != nil {
			t.Fatal(err)
		}
		if c.change != nil && name == "crosswalk" {
			c.change(nil, plan)
		}
		tables := [2]record.Table{recordtest.Table(t, columns[0], rows[0]), recordtest.Table(t, columns[1], rows[1])}
		index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
		if err != nil {
			t.Fatal(err)
		}
		var got strings.Builder
		for _, which := range c.which {
			var side, at string
			var number uint32
			if _, err := fmt.Sscanf(strings.Replace(which, "-", " ", 1), "%s %d %s", &side, &number, &at); err != nil {
				t.Fatal(err)
			}
			s := tray.Left
			if side == "right" {
				s = tray.Right
			}
			way, err := trace.Of(context.Background(), plan, index, tables, s, number-1)
			if err != nil {
				t.Fatal(err)
			}
			if is := index.Sides[s].Trays[number-1]; is.String() != at {
				t.Errorf("%s is %s", which, is)
			}
			told := words.Trace(plan, way, [2]words.Source{{Name: "service-log.csv", Snapshot: 1}, {Name: "invoices.csv", Snapshot: 3}}, handover.Reason(plan, &way.Entry))
			fmt.Fprintln(&got, strings.Join(told.Lines(), "\n"))
			fmt.Fprintln(&got)
		}
		file := filepath.Join("testdata", name+".trace")
		if *update {
			if err := os.WriteFile(file, []byte(got.String()), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(file)
		if err != nil || got.String() != string(want) {
			t.Errorf("%s (%v): got\n%s", file, err, got.String())
		}
	}
}

func cells(row []string) (list []record.Cell) {
	for _, c := range row {
		list = append(list, record.Cell{Text: c})
	}
	return list
}
