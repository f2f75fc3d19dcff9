package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/formats/sievefile"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// checkCurrencies holds the balances of a summary against what a scenario states of each currency.
func checkCurrencies(t *testing.T, where string, s *summary.Summary, planted map[string]demo.Outcome) {
	t.Helper()
	if len(s.Balance) != len(planted) || !s.Accounted || s.Mixed != "" {
		t.Errorf("%s: %d balances, planted %d currencies; accounted %t, %s", where, len(s.Balance), len(planted), s.Accounted, s.Mixed)
	}
	for i, b := range s.Balance {
		p, ok := planted[*b.Currency]
		if !ok || b.Left != p.Totals[0].String() || b.Right != p.Totals[1].String() || b.Difference != (p.Totals[1]-p.Totals[0]).String() || !b.Closes {
			t.Errorf("%s: in %q %s and %s (difference %s, closes %t), planted %s and %s", where, *b.Currency, b.Left, b.Right, b.Difference, b.Closes, p.Totals[0], p.Totals[1])
		}
		for side := range 2 {
			for _, at := range tray.All {
				if got, want := b.Trays[side][at], p.Amounts[side][at].String(); got != want {
					t.Errorf("%s: %s in %q on the %s in tray %s, planted %s", where, got, *b.Currency, tray.Side(side), at, want)
				}
			}
		}
		if *b.Currency == "" && i < len(s.Balance)-1 {
			t.Errorf("%s: amounts without a currency stand before others", where)
		}
	}
}

// loadDeposits loads the agents' deposits and the statement of them, saves their sieve where it is not there, and runs it.
func loadDeposits(t *testing.T, c *client.Client, s *demo.Scenario, carry bool) (sieve.Definition, view.Run) {
	t.Helper()
	load(t, c, demo.Deposits, s.Deposits)
	load(t, c, demo.Statement, s.Statement)
	d, err := sievefile.Read(demo.Agents)
	if err != nil {
		t.Fatal(err)
	}
	d.Carry = carry
	if _, err := c.CreateSieve(t.Context(), d); err != nil && !view.NameTaken.Is(asProblem(err)) {
		t.Fatal(err)
	}
	return d, runSieve(t, c, d.Name)
}

// TestCurrencies holds the balance of each currency against what was planted, for ten seeds, by the command line and by the service, and then
// follows the currencies through the report's lists, the trend and the workbook.
func TestCurrencies(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	var d sieve.Definition
	var head view.Run
	var s *demo.Scenario
	for seed := range uint64(10) {
		s = demo.New(demo.Options{Seed: seed, Services: 20})
		dir := t.TempDir()
		if err := s.Write(dir); err != nil {
			t.Fatal(err)
		}
		r := run(t, nil, "sift", dir+"/"+demo.DepositsFile, dir+"/"+demo.StatementFile, "--sieve", dir+"/"+demo.AgentsFile, "-o", "json")
		var sifted summary.Summary
		if err := json.Unmarshal([]byte(r.out), &sifted); err != nil || r.status != 1 {
			t.Fatalf("sift: exit %d, %v\n%s", r.status, err, r.errors)
		}
		checkCurrencies(t, fmt.Sprintf("sift, seed %d", seed), &sifted, s.Planted.Deposits)
		d, head = loadDeposits(t, c, s, false) // each seed's month for itself
		checkCurrencies(t, fmt.Sprintf("the service, seed %d", seed), &head.Summary, s.Planted.Deposits)
	}
	if !strings.Contains(head.Sentence, "Amounts are balanced apart for each currency in currency and Cur") {
		t.Errorf("the sieve in plain words does not speak of currencies: %s", head.Sentence)
	}

	// Each exception is in one currency, but the one that was booked in another.
	found := 0
	for _, currency := range []string{"crowns", "florins", "marks"} {
		page, err := c.Entries(t.Context(), head.ID, client.Query{In: currency})
		if err != nil {
			t.Fatal(err)
		}
		found += len(page.Entries)
		for _, e := range page.Entries {
			if e.Work.Currency != currency || e.Work.Amount == "" {
				t.Errorf("an exception in %q among those in %s, with the amount %q", e.Work.Currency, currency, e.Work.Amount)
			}
		}
	}
	mixed, err := c.Entries(t.Context(), head.ID, client.Query{In: "florins, marks"})
	if err != nil || len(mixed.Entries) != 1 || mixed.Entries[0].Work.Amount != "" || int64(found+1) != head.Summary.Exceptions {
		t.Errorf("in florins and marks: %+v (%v); %d exceptions are in one currency, of %d", mixed.Entries, err, found, head.Summary.Exceptions)
	}
	trend, err := c.Trend(t.Context(), d.Name)
	if err != nil {
		t.Fatal(err)
	}
	var open []string
	for _, a := range trend.Runs[len(trend.Runs)-1].Amounts {
		open = append(open, a.Currency)
	}
	if !slices.Equal(open, []string{"crowns", "florins", "marks"}) {
		t.Errorf("the trend has open amounts in %q", open)
	}

	book, err := excelize.OpenReader(bytes.NewReader(handedOver(t, c, head.ID, client.Query{}, "xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	rows, err := book.GetRows("balance", excelize.Options{RawCellValue: true})
	if err != nil {
		t.Fatal(err)
	}
	for _, b := range head.Summary.Balance {
		first := slices.IndexFunc(rows, func(row []string) bool { return row[0] == b.Label() })
		if first < 0 || rows[first][2] != b.Left || rows[first][3] != "closes to the last digit" {
			t.Errorf("the workbook's balance has no way for %q: %q", b.Label(), rows)
		}
	}
	printed := string(handedOver(t, c, head.ID, client.Query{}, "html"))
	for _, want := range []string{"in florins", "without a currency", "closes to the last digit"} {
		if !strings.Contains(printed, want) {
			t.Errorf("the page does not say %q", want)
		}
	}

	// What is wrong is said where it is.
	wrong := d
	wrong.Compare = wrong.Compare[1:]
	_, err = c.CreateSieve(t.Context(), func() sieve.Definition { w := wrong; w.Name = "No amounts"; return w }())
	if problem := asProblem(err); problem == nil || !strings.Contains(problem.Detail, "there is no amount to be in a currency") {
		t.Errorf("currencies without amounts: %v", err)
	}
	r := run(t, p.at(), "define", "Odd", "--left", demo.Deposits, "--right", demo.Statement, "--key", "slip=Slip No", "--compare", "amount=Sum: as decimal", "--currency", "money=Cur")
	if r.status != 2 || !strings.Contains(r.errors, `the left side, has no column "money"`) {
		t.Errorf("a currency column that is not there: exit %d, %s", r.status, r.errors)
	}
}
