package e2e

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/xuri/excelize/v2"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/demo"
	"twinsieve/service/view"
)

// handedOver is a report as a file.
func handedOver(t testing.TB, c *client.Client, run uint, q client.Query, format string) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := c.Export(t.Context(), run, q, client.Format{Name: format}, &out); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestWorkbook reads the workbook of a report back: its sheets, the types of its cells, and its amounts, which add up to the balance.
func TestWorkbook(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	s := demo.New(demo.Options{Services: 150})
	loadDemo(t, c, s)
	head := loadRound(t, c, s.Later[0])
	if _, err := c.ChangeEntry(t.Context(), head.ID, "1", 1, view.WorkChange{Status: text("explained"), Reason: text("rounding"), Owner: text("me")}); err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(bytes.NewReader(handedOver(t, c, head.ID, client.Query{}, "xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if got, want := strings.Join(book.GetSheetList(), " "), "summary balance differing missing orphaned surplus unkeyed reject matched"; got != want {
		t.Errorf("sheets %q, want %q", got, want)
	}
	rows := func(sheet string) [][]string {
		t.Helper()
		rows, err := book.GetRows(sheet, excelize.Options{RawCellValue: true})
		if err != nil {
			t.Fatal(err)
		}
		panes, err := book.GetPanes(sheet)
		if err != nil || !panes.Freeze || panes.YSplit != 1 {
			t.Errorf("the head of %s is not frozen: %+v, %v", sheet, panes, err)
		}
		return rows
	}
	summary := fmt.Sprint(rows("summary"))
	for _, want := range []string{head.Summary.Verdict, head.Sides[0].Hash, head.Sides[1].Hash, "Not signed.", "by ines, finished", "[since run 1, cleared " + fmt.Sprint(head.Since.Counts["cleared"])} {
		if !strings.Contains(summary, want) {
			t.Errorf("the summary does not say %q:\n%s", want, summary)
		}
	}
	// The sheets' sums are the steps of the balance.
	steps := map[string]decimal.Decimal{}
	for _, step := range head.Summary.Balance[0].Steps {
		steps[step.Tray.String()] = steps[step.Tray.String()].Add(decimal.RequireFromString(step.Change))
	}
	told := decimal.Zero
	balance := rows("balance")
	for i, row := range balance[1:] {
		n := decimal.RequireFromString(row[2])
		if i < len(balance)-2 {
			told = told.Add(n)
		} else if !told.Round(6).Equal(n.Round(6)) || row[3] != "closes to the last digit" {
			t.Errorf("the steps of the balance lead to %s, and the right total is %s; it %s", told, n, row[3])
		}
	}
	for _, at := range []string{"differing", "missing", "orphaned", "surplus", "unkeyed", "reject"} {
		list := rows(at)
		column := map[string]int{}
		for i, name := range list[0] {
			column[name] = i
		}
		parsed, err := tray.ParseException(at)
		if err != nil {
			t.Fatal(err)
		}
		if n := head.Summary.Tray(parsed).Entries; int64(len(list)-1) != n {
			t.Errorf("%s has %d rows, and the report %d entries", at, len(list)-1, n)
		}
		sum := decimal.Zero
		for n, row := range list[1:] {
			if text := row[column["moves the balance by"]]; text != "" {
				sum = sum.Add(decimal.RequireFromString(text))
			}
			for name, want := range map[string]excelize.CellType{"moves the balance by": excelize.CellTypeNumber, "found first": excelize.CellTypeNumber,
				"amount_due": excelize.CellTypeInlineString, "amount_due (normalised)": excelize.CellTypeNumber, "Amount": excelize.CellTypeInlineString,
				"service_date": excelize.CellTypeInlineString, "service_date (normalised)": excelize.CellTypeNumber, "Invoiced On (normalised)": excelize.CellTypeNumber, "vessel": excelize.CellTypeInlineString} {
				if _, there := column[name]; !there {
					t.Fatalf("%s has no column %q: %q", at, name, list[0])
				}
				if column[name] >= len(row) || row[column[name]] == "" {
					continue
				}
				cell, err := excelize.CoordinatesToCellName(column[name]+1, n+2)
				if err != nil {
					t.Fatal(err)
				}
				kind, err := book.GetCellType(at, cell)
				if err != nil {
					t.Fatal(err)
				}
				_, plain := strconv.ParseFloat(row[column[name]], 64)
				if kind == excelize.CellTypeUnset {
					kind = excelize.CellTypeNumber
				}
				if kind == excelize.CellTypeSharedString {
					kind = excelize.CellTypeInlineString
				}
				if kind != want && !(plain != nil && want == excelize.CellTypeNumber) { // "see note" is no amount, and 31.02. no day
					t.Errorf("%s %s, %s: %q has type %d, want %d", at, cell, name, row[column[name]], kind, want)
				}
				if strings.HasSuffix(name, "service_date (normalised)") && plain == nil {
					shown, err := book.GetCellValue(at, cell)
					if _, parse := time.Parse(time.DateOnly, shown); err != nil || parse != nil {
						t.Errorf("%s %s is shown as %q, %v", at, cell, shown, err)
					}
				}
			}
		}
		if !sum.Round(6).Equal(steps[at].Round(6)) {
			t.Errorf("the amounts of %s add up to %s, and the balance's step is %s", at, sum, steps[at])
		}
		for i, name := range list[0] {
			letter, err := excelize.ColumnNumberToName(i + 1)
			if err != nil {
				t.Fatal(err)
			}
			if width, err := book.GetColWidth(at, letter); err != nil || width < float64(len(name)) {
				t.Errorf("%s: the column of %q is %v wide, %v", at, name, width, err)
			}
		}
	}
	if list := rows("differing"); list[1][2] != "explained" || list[1][3] != "ines" || list[1][4] != "rounding" {
		t.Errorf("the work on the first: %q", list[1][:6])
	}
	// Narrowed, only what is chosen is there.
	narrow, err := excelize.OpenReader(bytes.NewReader(handedOver(t, c, head.ID, client.Query{Tray: "missing", Change: []string{"new"}}, "xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	defer narrow.Close()
	list, err := narrow.GetRows("missing")
	if err != nil || strings.Join(narrow.GetSheetList(), " ") != "summary balance missing" || len(list) < 2 || len(list)-1 > int(head.Since.Counts["new"]) {
		t.Errorf("%v, %d rows, %v", narrow.GetSheetList(), len(list), err)
	}
}

// TestDocuments hands over a report whose texts are markup and formulas, signed and not, in every format: it is shown as text, it says that it is
// signed, and it states the newest entry of the history, which is still there.
func TestDocuments(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	tam := p.as(p.person(t, "tam", view.Analyst))
	nasty := `<script>alert("ship")</script>`
	load(t, c, "log", []byte("call,ship,amount\nMW-1,\""+strings.ReplaceAll(nasty, `"`, `""`)+"\",10\nMW-2,=1+1,20\n"))
	load(t, c, "bills", []byte("call,ship,amount\nMW-1,<b>Wren</b>,10\n"))
	_, err := c.CreateSieve(t.Context(), sieve.Definition{Name: "<i>calls", Left: "log", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "ship"}}, {Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}})
	if err != nil {
		t.Fatal(err)
	}
	job, err := c.Run(t.Context(), "<i>calls")
	id := done(t, c, job, err).Run
	for _, signed := range []bool{false, true} {
		if signed {
			if _, err := c.Sign(t.Context(), id, 0, view.SignStep{Step: "submit", Note: "for the record"}); err != nil {
				t.Fatal(err)
			}
			if _, err := tam.Sign(t.Context(), id, 1, view.SignStep{Step: "sign", Note: "for the record"}); err != nil {
				t.Fatal(err)
			}
		}
		says := map[bool]string{false: "Not signed.", true: "Signed by tam on "}[signed]
		before, err := c.Verify(t.Context(), nil)
		if err != nil {
			t.Fatal(err)
		}
		page := string(handedOver(t, c, id, client.Query{}, "html"))
		for _, want := range []string{"&lt;script&gt;alert(&#34;ship&#34;)&lt;/script&gt;", "&lt;b&gt;Wren&lt;/b&gt;", "&lt;i&gt;calls", says, before.Newest, "<svg", "size: A4 landscape", "default-src 'none'"} {
			if !strings.Contains(page, want) {
				t.Errorf("the page does not hold %q", want)
			}
		}
		for _, not := range []string{"<script", "<b>Wren", "<i>calls", "src=", "href=", "@import"} {
			if strings.Contains(page, not) {
				t.Errorf("the page holds %q", not)
			}
		}
		if pdf := handedOver(t, c, id, client.Query{}, "pdf"); !bytes.HasPrefix(pdf, []byte("%PDF-")) || !bytes.Contains(pdf[len(pdf)-32:], []byte("%%EOF")) || !bytes.Contains(pdf, []byte("/FontFile2")) {
			t.Errorf("a PDF of %d bytes is not whole", len(pdf))
		}
		rows, err := csv.NewReader(bytes.NewReader(handedOver(t, c, id, client.Query{}, "csv"))).ReadAll()
		if err != nil || len(rows) != 3 {
			t.Fatalf("%d rows, %v", len(rows), err)
		}
		for _, row := range rows[1:] {
			if n := len(row); row[n-1] != before.Newest || !strings.HasPrefix(row[n-2], says) {
				t.Errorf("a row ends with %q", row[n-2:])
			}
		}
		for _, format := range []string{"ndjson", "json"} {
			if list := string(handedOver(t, c, id, client.Query{}, format)); strings.Count(list, before.Newest) != 2 {
				t.Errorf("%s does not state the history: %s", format, list)
			}
		}
		if list := handedOver(t, c, id, client.Query{}, "parquet"); !bytes.Contains(list, []byte(before.Newest)) {
			t.Error("the Parquet file does not state the history")
		}
		found, err := c.Verify(t.Context(), []string{before.Newest})
		if err != nil || !found.Holds {
			t.Errorf("%+v, %v", found, err)
		}
		resp, err := http.Get(fmt.Sprintf("%s/api/v1/runs/%d/export?format=pdf", p.address, id))
		if err != nil {
			t.Fatal(err)
		}
		_, _ = io.Copy(io.Discard, resp.Body)
		_ = resp.Body.Close()
		if resp.Header.Get("Twinsieve-History") != before.Newest || resp.Header.Get("Content-Type") != "application/pdf" {
			t.Errorf("%v", resp.Header)
		}
	}
	// On the command line: whole or not at all, and what cannot be written says so.
	dir := t.TempDir()
	if r := run(t, p.at(), "export", fmt.Sprint(id), "--out", filepath.Join(dir, "report.pdf")); r.status != 0 {
		t.Error(r.errors)
	}
	if content, err := os.ReadFile(filepath.Join(dir, "report.pdf")); err != nil || !bytes.HasPrefix(content, []byte("%PDF-")) {
		t.Errorf("%d bytes, %v", len(content), err)
	}
	if r := run(t, p.at(), "export", fmt.Sprint(id), "--out", filepath.Join(dir, "no such folder", "report.html")); r.status != 3 || !strings.Contains(r.errors, "cannot be written") || strings.Count(r.errors, "\n") != 1 {
		t.Errorf("%+v", r)
	}
	if r := run(t, p.at(), "export", fmt.Sprint(id), "--format", "docx"); r.status != 2 || !strings.Contains(r.errors, "html, pdf") {
		t.Errorf("%+v", r)
	}
}
