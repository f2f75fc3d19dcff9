package demo_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"twinsieve/core/tray"
	"twinsieve/demo"
)

// TestSameSeedSameFiles: a scenario is a function of its seed, and other seeds make other scenarios.
func TestSameSeedSameFiles(t *testing.T) {
	a, b, other := demo.New(demo.Options{Seed: 5}), demo.New(demo.Options{Seed: 5}), demo.New(demo.Options{Seed: 6})
	for name, pair := range map[string][3][]byte{"service log": {a.ServiceLog, b.ServiceLog, other.ServiceLog}, "invoices": {a.Invoices, b.Invoices, other.Invoices}, "receipts": {a.Receipts, b.Receipts, other.Receipts}, "statement": {a.Statement, b.Statement, other.Statement}} {
		if !bytes.Equal(pair[0], pair[1]) {
			t.Errorf("the %s of one seed differ", name)
		}
		if bytes.Equal(pair[0], pair[2]) {
			t.Errorf("the %s of two seeds are the same", name)
		}
	}
}

// TestStatementAddsUp checks that what a scenario states of itself is whole: every tray and case is there, sums are sums.
func TestStatementAddsUp(t *testing.T) {
	for seed := range uint64(20) {
		p := demo.New(demo.Options{Seed: seed}).Planted
		for name, o := range map[string]demo.Outcome{"billing": p.Billing, "payments": p.Payments, "settled": p.Settled} {
			for s := range 2 {
				records, total := 0, demo.Crowns(0)
				for at, n := range o.Trays[s] {
					records += n
					total += o.Amounts[s][at]
					if n == 0 && at != tray.Excluded && name == "billing" {
						t.Errorf("seed %d: nothing is planted in tray %s", seed, at)
					}
				}
				if records != o.Records[s] || total != o.Totals[s] || records < 1000 {
					t.Errorf("seed %d, %s: %d records in trays of %d, %s crowns of %s", seed, name, records, o.Records[s], total, o.Totals[s])
				}
			}
			c := o.Comparisons
			if c["full"] != c["left"]+c["right-anti"] || c["left-semi"]+c["left-anti"] != o.Records[0] {
				t.Errorf("seed %d, %s: the comparisons do not fit together: %v", seed, name, c)
			}
		}
		if len(p.Cases) < 25 {
			t.Errorf("only %d kinds of cases", len(p.Cases))
		}
	}
}

// TestWrite writes a scenario, and counts the records of the quays' logs.
func TestWrite(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "new", "folder")
	s := demo.New(demo.Options{Services: 50})
	if err := s.Write(dir); err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(filepath.Join(dir, demo.PlantedFile))
	if err != nil {
		t.Fatal(err)
	}
	var planted struct{ Quays map[string]int }
	if err := json.Unmarshal(text, &planted); err != nil {
		t.Fatal(err)
	}
	sum := 0
	for quay, n := range planted.Quays {
		text, err := os.ReadFile(filepath.Join(dir, quay+".csv"))
		if err != nil {
			t.Fatal(err)
		}
		rows, err := csv.NewReader(bytes.NewReader(text)).ReadAll()
		if err != nil || len(rows) != n+1 {
			t.Errorf("%s has %d records, planted %d (%v)", quay, len(rows)-1, n, err)
		}
		sum += n
	}
	if sum != s.Planted.Billing.Records[0] || len(planted.Quays) != 3 {
		t.Errorf("the quays have %d records, the service log %d", sum, s.Planted.Billing.Records[0])
	}
}
