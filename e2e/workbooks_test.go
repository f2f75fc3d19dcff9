package e2e

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/xuri/excelize/v2"

	"twinsieve/formats/intake"
	"twinsieve/service/view"
)

// duesBook is a workbook as people make them: a cover, then a sheet whose columns are named by two rows with merged cells, offices that are
// merged over their records, and days that have lost their format.
func duesBook(t *testing.T) []byte {
	t.Helper()
	book := excelize.NewFile()
	defer book.Close()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(book.SetSheetName("Sheet1", "Cover"))
	must(book.SetCellStr("Cover", "A1", "Port of Marrowick"))
	must(book.SetCellStr("Cover", "A2", "Dues of June"))
	_, err := book.NewSheet("Dues")
	must(err)
	for cell, text := range map[string]string{"A1": "Office", "B1": "2031", "D1": "Day", "B2": "booked", "C2": "paid"} {
		must(book.SetCellStr("Dues", cell, text))
	}
	merged := []string{"A1:A2", "B1:C1", "D1:D2"}
	for i := range 12 {
		row := i + 3
		if i%4 == 0 {
			must(book.SetCellStr("Dues", fmt.Sprint("A", row), []string{"North", "South", "East"}[i/4]))
			merged = append(merged, fmt.Sprintf("A%d:A%d", row, row+3))
		}
		must(book.SetCellInt("Dues", fmt.Sprint("B", row), int64(100+i)))
		must(book.SetCellInt("Dues", fmt.Sprint("C", row), int64(100+i-i%3)))
		must(book.SetCellInt("Dues", fmt.Sprint("D", row), int64(48000+i)))
	}
	for _, area := range merged {
		first, last, _ := strings.Cut(area, ":")
		must(book.MergeCell("Dues", first, last))
	}
	var out bytes.Buffer
	must(book.Write(&out))
	return out.Bytes()
}

// TestWorkbooks: of a workbook it is said which sheet is read and what stands in the others; merged cells are told of, and filled on
// request; rows that name the columns together do so; day numbers are days.
func TestWorkbooks(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	dir := t.TempDir()
	book := write(t, dir, "dues.xlsx", duesBook(t))
	ledger := write(t, dir, "ledger.csv", []byte("office,day,booked\nNorth,2031-06-01,100\nNorth,2031-06-02,101\nSouth,2031-06-05,104\nEast,2031-06-12,110\n"))

	const sheets = "it is the first: Cover has 2 rows, Dues has 14 rows"
	for _, r := range []ran{run(t, p.at(), "load", book, "--look"), run(t, p.at(), "load", book), run(t, nil, "sift", book, ledger, "-k", "Port of Marrowick=office")} {
		if !strings.Contains(r.out+r.errors, sheets) {
			t.Errorf("exit %d, nothing is said of the other sheets: %s%s", r.status, r.out, r.errors)
		}
	}
	const merged = "the records have 3 merged areas; all of their cells but the first were read as blank"
	dues := []string{"--sheet", "Dues", "--header-rows", "2"}
	for _, look := range []string{"--look", "--strict"} {
		if r := run(t, p.at(), append([]string{"load", book, "--as", "dues", look}, dues...)...); r.status != 0 || !strings.Contains(r.out+r.errors, merged) {
			t.Errorf("load %s: exit %d, nothing is said of merged areas: %s%s", look, r.status, r.out, r.errors)
		}
	}
	set, err := p.client().Set(t.Context(), "dues")
	if got := fmt.Sprint(set.Snapshot.Columns); err != nil || got != "[Office 2031 booked 2031 paid Day]" || set.Snapshot.Findings.Merged != 3 {
		t.Errorf("columns %s, %d merged areas, %v", got, set.Snapshot.Findings.Merged, err)
	}

	r := run(t, nil, "sift", book, ledger, "--left-sheet", "Dues", "--left-header-rows", "2", "--left-merged", "fill",
		"-k", "Office=office", "-k", "Day=day: left date serial", "-c", "2031 booked=booked: as decimal")
	if r.status != 1 || !strings.Contains(r.out, "3 of 12 dues records agree with a record of ledger") || !strings.Contains(r.out, "1 differing, 8 missing") {
		t.Errorf("sift: exit %d, %s%s", r.status, r.out, r.errors)
	}

	// What was chosen is chosen again when the set is loaded again, and the days are days in the profile, too.
	recipe := view.Recipe{Choices: intake.Choices{Sheet: "Dues", Headers: 2, Merged: intake.MergedFill, Types: map[string]string{"Day": "date serial"}}}
	if _, err := loadWith(t, p.client(), "dues", "dues.xlsx", string(duesBook(t)), recipe); err != nil {
		t.Fatal(err)
	}
	if r := run(t, p.at(), "reload", "dues", book); r.status != 0 || strings.Contains(r.errors, "merged areas") {
		t.Errorf("reload: exit %d, %s", r.status, r.errors)
	}
	if r := run(t, p.at(), "profile", "dues", "-o", "csv"); r.status != 0 || !strings.Contains(r.out, "date serial") {
		t.Errorf("profile: exit %d, %s%s", r.status, r.out, r.errors)
	}
	if r := run(t, p.at(), "records", "dues", "-o", "csv"); strings.Count(r.out, ",East,") != 4 {
		t.Errorf("records: %s%s", r.out, r.errors)
	}
	for want, args := range map[string][]string{
		"--header-rows takes 1 to 10, not 11":                                   {book, "--header-rows", "11"},
		`--merged does not take "down"; write one of blank, fill`:               {book, "--merged", "down"},
		"--header-rows: 2 rows cannot name the columns where no row does":       {book, "--header-rows", "2", "--header", "none"},
		"--merged: this is read as delimited text, about which it says nothing": {ledger, "--merged", "fill"},
		`row 3 of the sheet "Cover" is empty and names no columns; fewer rows`:  {book, "--header-rows", "3"},
	} {
		if r := run(t, p.at(), append([]string{"load"}, args...)...); r.status != 2 || !strings.Contains(r.errors, want) {
			t.Errorf("load %v: exit %d, %s; want %q", args, r.status, r.errors, want)
		}
	}
}

// TestWorkbookInConsole: a workbook with a cover is dropped, and what the sheet behind it needs is chosen.
func TestWorkbookInConsole(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	book := write(t, t.TempDir(), "dues.xlsx", duesBook(t))
	w.do(chromedp.Navigate(p.address + "/sets"))
	w.says("There are no record sets yet")
	w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{book}))
	w.says("Dues of June") // the cover's only record
	w.says("The sheet Cover is shown: it is the first: Cover has 2 rows, Dues has 14 rows.")
	w.says("Looked at all 1 record.")
	w.shoot("cover.png")
	w.choice("sheet", "Dues", kb.ArrowDown)
	w.says("5 merged areas") // two of them in what is the second row of names
	w.field("rows that name columns")
	w.keys(kb.Backspace + "2" + kb.Enter)
	w.says("2031 booked")
	w.says("3 merged areas")
	w.choice("merged cells", "fill", kb.ArrowDown)
	w.until(`!document.body.innerText.includes('merged areas')`)
	w.shoot("workbook.png")
	// A count that cannot be read is refused, and nothing is loaded as if it had not been stated.
	w.field("records that the sender states")
	w.keys("1.000 recs")
	w.says("“1.000 recs” is not a number of records")
	w.until(`[...document.querySelectorAll('button')].find((b) => b.innerText === 'Load').disabled`)
	w.keys(slices.Repeat([]string{kb.Backspace}, len("1.000 recs"))...)
	w.keys("12")
	w.press("Load")
	w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 1`)
	set, err := p.client().Set(t.Context(), "dues")
	if got := fmt.Sprint(set.Snapshot.Columns, set.Snapshot.Read); err != nil ||
		got != "[Office 2031 booked 2031 paid Day]xlsx, sheet Dues, columns named in row 1, rows that name columns: 2, merged cells filled" {
		t.Errorf("the set: %s, %v", got, err)
	}
	if held := set.Snapshot.Findings.Held; len(held) != 1 || !held[0].Holds {
		t.Errorf("the control figures: %+v", held)
	}
}
