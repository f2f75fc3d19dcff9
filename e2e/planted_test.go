package e2e

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

// checkPlanted holds a summary against what a scenario states about itself.
func checkPlanted(t *testing.T, where string, p *demo.Outcome, s *summary.Summary, rejects [2]int64) {
	t.Helper()
	for side := range 2 {
		if s.Records[side] != int64(p.Records[side]) {
			t.Errorf("%s: %d %s records, planted %d", where, s.Records[side], tray.Side(side), p.Records[side])
		}
		if rejects[side] != int64(p.Rejects[side]) {
			t.Errorf("%s: %d rejects on the %s, planted %d", where, rejects[side], tray.Side(side), p.Rejects[side])
		}
		for _, at := range tray.All {
			if got, want := s.Tray(at).Records[side], int64(p.Trays[side][at]); got != want {
				t.Errorf("%s: %d %s records in tray %s, planted %d", where, got, tray.Side(side), at, want)
			}
			if got, want := s.Balance[0].Trays[side][at], p.Amounts[side][at].String(); got != want {
				t.Errorf("%s: %s crowns on the %s in tray %s, planted %s", where, got, tray.Side(side), at, want)
			}
		}
	}
	for _, c := range s.Comparisons {
		if want, ok := p.Comparisons[string(c.Comparison)]; !ok || c.Rows != int64(want) {
			t.Errorf("%s: %s has %d rows, planted %d", where, c.Comparison, c.Rows, want)
		}
	}
	if b := s.Balance[0]; b.Left != p.Totals[0].String() || b.Right != p.Totals[1].String() || !b.Closes || !s.Accounted {
		t.Errorf("%s: totals %s and %s (closes: %t), planted %s and %s", where, b.Left, b.Right, b.Closes, p.Totals[0], p.Totals[1])
	}
}

// TestPlanted holds every count of the command line, of HTTP, of the client's commands and of the console against the
// generator's statement, for ten seeds.
func TestPlanted(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	console := newBrowser(t, p)
	for seed := range uint64(10) {
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			s := demo.New(demo.Options{Seed: seed})
			dir := t.TempDir()
			if err := s.Write(dir); err != nil {
				t.Fatal(err)
			}
			r := run(t, nil, "sift", dir+"/"+demo.ServiceLogFile, dir+"/"+demo.InvoicesFile, "--sieve", dir+"/"+demo.BillingFile, "-o", "json")
			var sifted struct {
				summary.Summary
				Rejects [2]int64 `json:"rejects"`
			}
			if err := json.Unmarshal([]byte(r.out), &sifted); err != nil || r.status != 1 {
				t.Fatalf("sift: exit %d, %v\n%s", r.status, err, r.errors)
			}
			checkPlanted(t, "sift", &s.Planted.Billing, &sifted.Summary, sifted.Rejects)

			r = run(t, nil, "sift", dir+"/"+demo.InvoicesFile, dir+"/"+demo.ReceiptsFile, "--sieve", dir+"/"+demo.PaymentsFile, "-o", "json")
			var paid struct {
				summary.Summary
				Rejects [2]int64 `json:"rejects"`
			}
			if err := json.Unmarshal([]byte(r.out), &paid); err != nil || r.status != 1 {
				t.Fatalf("sift of the payments: exit %d, %v\n%s", r.status, err, r.errors)
			}
			checkPlanted(t, "sift of the payments", &s.Planted.Payments, &paid.Summary, paid.Rejects)
			checkSwapped(t, dir, &sifted.Summary)

			head := loadDemo(t, c, s)
			checkPlanted(t, "HTTP", &s.Planted.Billing, &head.Summary, [2]int64{head.Sides[0].Rejects, head.Sides[1].Rejects})

			r = run(t, p.at(), "counts", head.Sieve, "-o", "csv")
			rows, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
			if err != nil || r.status != 0 {
				t.Fatalf("counts: exit %d, %v, %s", r.status, err, r.errors)
			}
			for _, row := range rows[1:] {
				if want := fmt.Sprint(s.Planted.Billing.Comparisons[row[0]]); row[1] != want {
					t.Errorf("counts: %s has %s rows, planted %s", row[0], row[1], want)
				}
			}
			checkEntries(t, p, head.ID, &s.Planted.Billing)
			checkConsole(console, p, head, &s.Planted.Billing)
		})
	}
}

// checkConsole reads the trays of the report and the count board of the workbench off the screen.
func checkConsole(b *browser, p *process, head *view.Run, planted *demo.Outcome) {
	b.t.Helper()
	b.do(chromedp.Navigate(fmt.Sprintf("%s/reports/%d", p.address, head.ID)))
	b.says("closes to the last digit")
	b.checkTrays(planted)
	b.do(chromedp.Navigate(p.address + "/sieves/of/" + url.PathEscape(head.Sieve)))
	b.checkCounts(planted)
}

// checkSwapped holds a sift with its sides exchanged against the one as it was: every count is the mirror's.
func checkSwapped(t *testing.T, dir string, plain *summary.Summary) {
	t.Helper()
	r := run(t, nil, "sift", dir+"/"+demo.ServiceLogFile, dir+"/"+demo.InvoicesFile, "--sieve", dir+"/"+demo.BillingFile, "--swap", "-o", "json")
	var turned summary.Summary
	if err := json.Unmarshal([]byte(r.out), &turned); err != nil || r.status != 1 {
		t.Fatalf("sift --swap: exit %d, %v\n%s", r.status, err, r.errors)
	}
	mirror := map[tray.Tray]tray.Tray{tray.Missing: tray.Orphaned, tray.Orphaned: tray.Missing}
	for _, at := range tray.All {
		other, ok := mirror[at]
		if !ok {
			other = at
		}
		a, b := plain.Tray(at).Records, turned.Tray(other).Records
		if a[0] != b[1] || a[1] != b[0] {
			t.Errorf("%s has %v records, swapped %v", at, a, b)
		}
	}
	if plain.Balance[0].Left != turned.Balance[0].Right || !turned.Accounted {
		t.Errorf("totals %s and swapped %s", plain.Balance[0].Left, turned.Balance[0].Right)
	}
}

// checkEntries counts the report's entries tray by tray, in pages, and in the hand-over.
func checkEntries(t *testing.T, p *process, id uint, planted *demo.Outcome) {
	t.Helper()
	for _, at := range append(tray.All[:], tray.Reject) {
		want := planted.Trays[0][at]
		if !at.Paired() {
			want += planted.Trays[1][at]
		}
		if at == tray.Reject {
			want = planted.Rejects[0] + planted.Rejects[1]
		}
		seen := map[string]bool{}
		q := clientQuery(at.String(), 7)
		for {
			page, err := p.client().Entries(context.Background(), id, q)
			if err != nil {
				t.Fatal(err)
			}
			if page.Total != int64(want) {
				t.Fatalf("tray %s says that it has %d entries, planted %d", at, page.Total, want)
			}
			for _, e := range page.Entries {
				if seen[e.ID] || e.Tray != at {
					t.Fatalf("entry %s of tray %s came twice or in tray %s", e.ID, e.Tray, at)
				}
				seen[e.ID] = true
			}
			if q.After = page.Next; q.After == "" {
				break
			}
			q.Limit = 100
		}
		if len(seen) != want {
			t.Errorf("%d entries in tray %s, planted %d", len(seen), at, want)
		}
		r := run(t, p.at(), "export", fmt.Sprint(id), "--tray", at.String())
		rows, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
		if err != nil || len(rows) != want+1 {
			t.Errorf("the hand-over of tray %s has %d rows (%v), planted %d", at, len(rows)-1, err, want)
		}
	}
}

// TestSiftAgainstItself: a set against itself leaves only its unkeyed records and its rejects; without blank keys and faulty lines it leaves nothing.
func TestSiftAgainstItself(t *testing.T) {
	t.Parallel()
	s := demo.New(demo.Options{Seed: 3})
	dir := t.TempDir()
	all := write(t, dir, "service-log.csv", s.ServiceLog)
	var keyed [][]string
	r := csv.NewReader(strings.NewReader(string(s.ServiceLog)))
	r.FieldsPerRecord = -1
	rows, err := r.ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range rows {
		if strings.TrimSpace(row[0]) != "" && len(row) == len(rows[0]) {
			keyed = append(keyed, row)
		}
	}
	var text strings.Builder
	if err := csv.NewWriter(&text).WriteAll(keyed); err != nil {
		t.Fatal(err)
	}
	some := write(t, dir, "keyed.csv", []byte(text.String()))
	for file, want := range map[string]struct{ status, unkeyed, rejects int }{all: {1, s.Planted.Billing.Trays[0][tray.Unkeyed], s.Planted.Billing.Rejects[0]}, some: {0, 0, 0}} {
		r := run(t, nil, "sift", file, file, "-k", "call_no: trim", "-k", "service_date", "-k", "service_code: trim", "-c", "amount_due: as decimal", "-o", "json")
		var got summary.Summary
		if err := json.Unmarshal([]byte(r.out), &got); err != nil || r.status != want.status {
			t.Fatalf("%s: exit %d, want %d (%v) %s", file, r.status, want.status, err, r.errors)
		}
		if got.Exceptions != int64(2*(want.unkeyed+want.rejects)) || got.Tray(tray.Unkeyed).Records[0] != int64(want.unkeyed) {
			t.Errorf("%s: %d exceptions, want the unkeyed records and rejects of both sides, 2·(%d + %d): %s", file, got.Exceptions, want.unkeyed, want.rejects, got.Verdict)
		}
	}
}
