package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"twinsieve/client"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
)

// quarter are three months as three people send them: in other encodings, with other delimiters, columns in another order,
// one more and one fewer.
func quarter(t *testing.T, dir string) []string {
	t.Helper()
	return []string{
		write(t, dir, "january.csv", []byte("call_no;fee;quay\nMW-1;10,00;Tar Quay\nMW-2;11,50;Salt Quay\nTOTAL;21,50;\n")),
		write(t, dir, "february.csv", []byte("fee\tcall_no\n12.00\tMW-3\n")),
		write(t, dir, "march.csv", []byte("call_no,fee,quay,pilot\nMW-4,13.00,Caf\xe9 Quay,yes\nMW-5,n/a\n")),
	}
}

func TestStack(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	files := quarter(t, dir)
	p := serve(t, t.TempDir(), "--folder", dir)
	c := p.client()
	load := append([]string{"load", "--stack"}, files...)
	look := run(t, p.at(), append(load, "--look")...)
	for _, want := range []string{"3 sources", `january.csv: delimited, UTF-8, delimiter ";", footers begin with TOTAL; without pilot`, `february.csv: delimited, UTF-8, delimiter tab; without quay, pilot`,
		"march.csv: delimited, windows-1252, delimiter \",\"\n", "line 4 of january.csv is a footer", "line 3 would be rejected: march.csv: 2 cells where 4 columns are named", "february.csv"} {
		if !strings.Contains(look.out, want) {
			t.Errorf("%q is not in %s%s", want, look.out, look.errors)
		}
	}
	out := run(t, p.at(), append(load, "--as", "quarter", "--origin", "month", "--blank", "n/a", "--compute", `number=number(call_no.startsWith("MW-") ? part(call_no, "-", 2) : "")`)...)
	set, err := c.Set(t.Context(), "quarter")
	if out.status != 0 || err != nil || set.Snapshot.Records != 4 || set.Snapshot.Rejects != 1 || fmt.Sprint(set.Snapshot.Columns) != "[call_no fee quay pilot month number]" {
		t.Fatalf("%s%s, %+v, %v", out.out, out.errors, set.Snapshot, err)
	}
	if got, want := cellsOf(t, c, "quarter"), "MW-1|10,00|Tar Quay|∅|january.csv|1\nMW-2|11,50|Salt Quay|∅|january.csv|2\nMW-3|12.00|∅|∅|february.csv|3\nMW-4|13.00|Café Quay|yes|march.csv|4"; got != want {
		t.Errorf("records\n%s\nwant\n%s", got, want)
	}

	// What was sent is to be sent again, each read as it was; what is in the folder is read again by itself.
	if out := run(t, p.at(), "reload", "quarter"); out.status != 2 || !strings.Contains(out.errors, "came from a file that was sent") {
		t.Errorf("status %d, %s", out.status, out.errors)
	}
	write(t, dir, "february.csv", []byte("fee\tcall_no\n12.00\tMW-3\n14.00\tMW-6\n"))
	if out := run(t, p.at(), append([]string{"reload", "quarter"}, files...)...); out.status != 0 || !strings.Contains(strings.Join(strings.Fields(out.out), " "), "records 4 5") {
		t.Errorf("status %d, %s%s", out.status, out.out, out.errors)
	}
	names := []string{"january.csv", "february.csv", "march.csv"}
	if out := run(t, p.at(), append([]string{"load", "--in-folder", "--stack", "--as", "filed"}, names...)...); out.status != 0 {
		t.Fatal(out.errors)
	}
	write(t, dir, "january.csv", []byte("call_no;fee;quay\nMW-9;10,00;Tar Quay\n"))
	if out := run(t, p.at(), "reload", "filed"); out.status != 2 || !strings.Contains(out.errors, "3 sources: detected differently from last time: january.csv: trailer lines none (before: TOTAL). Nothing was loaded.") {
		t.Errorf("without its trailer line: status %d, %s%s", out.status, out.out, out.errors)
	}
	if out := run(t, p.at(), "reload", "filed", "--as-detected"); out.status != 0 || !strings.Contains(strings.Join(strings.Fields(out.out), " "), "records 5 4") {
		t.Errorf("status %d, %s%s", out.status, out.out, out.errors)
	}
	// Without --stack they are sets of their own.
	if out := run(t, p.at(), append([]string{"load"}, files...)...); out.status != 0 || !strings.Contains(out.out, "january") {
		t.Errorf("status %d, %s%s", out.status, out.out, out.errors)
	}
	if list, err := c.Sets(t.Context()); err != nil || len(list.Sets) != 5 {
		t.Errorf("%+v, %v", list, err)
	}
	for want, args := range map[string][]string{
		"name the record set with --as":                    load,
		"--origin names a column of a stack":               {"load", files[0], "--origin", "x"},
		"--as names one record set, and there are 3 files": append([]string{"load", "--as", "x"}, files...),
		`there is a column "fee" already`:                  append(load, "--as", "x", "--origin", "fee"),
		"a stack has no single trailer line":               nil,
		"two sources are labelled":                         {"load", "--stack", "--as", "x", files[0], files[0]},
		"each source of a stack may have its own":          append(load, "--as", "x", "--trailer", "TOTAL: total 2 of fee"),
	} {
		if args == nil {
			continue
		}
		if out := run(t, p.at(), args...); out.status != 2 || !strings.Contains(out.errors, want) {
			t.Errorf("%s: status %d, %s, want %q", args, out.status, out.errors, want)
		}
	}
	for want, source := range map[string]view.SourceRef{
		"names nothing":                                   {Stack: []view.Stacked{{}}},
		"names both a stack and a single source":          {Place: view.Place{Path: "a"}, Stack: []view.Stacked{{}}},
		"says how a stack is made, and names no stack":    {Place: view.Place{Path: "a"}, Origin: "b"},
		"it may have at most 200":                         {Stack: make([]view.Stacked, 201)},
		"none.csv cannot be read in the service's folder": {Stack: []view.Stacked{{Place: view.Place{Path: "january.csv"}}, {Place: view.Place{Path: "none.csv"}}}},
		"march.csv": {Stack: []view.Stacked{{Place: view.Place{Path: "january.csv"}}, {Place: view.Place{Path: "march.csv"}, Choices: &intake.Choices{Encoding: "UTF-8"}}}},
	} {
		if _, err := c.Preview(t.Context(), source, intake.Choices{}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v, want %q", source, err, want)
		}
	}
}

// cellsOf are a set's records as lines of text, a blank that is none of the source's texts as ∅.
func cellsOf(t *testing.T, c *client.Client, set string) string {
	t.Helper()
	page, err := c.Records(t.Context(), set, "", 100)
	if err != nil {
		t.Fatal(err)
	}
	var lines []string
	for _, r := range page.Records {
		var cells []string
		for _, cell := range r.Cells {
			if cell == nil {
				cells = append(cells, "∅")
			} else {
				cells = append(cells, *cell)
			}
		}
		lines = append(lines, strings.Join(cells, "|"))
	}
	return strings.Join(lines, "\n")
}

// TestStackInConsole drops three files, stacks them, loads the stack and reloads it.
func TestStackInConsole(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	files := quarter(t, dir)
	p := serve(t, t.TempDir())
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	w.do(chromedp.Navigate(p.address + "/sets"))
	w.says("There are no record sets yet")
	w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), files))
	w.press("Stack the 3 as one record set")
	w.says("without quay, pilot, which is blank there")
	w.says("Line 4 of january.csv is a footer")
	w.field("Name of the record set")
	w.keys("quarter")
	w.shoot("stack.png")
	w.press("Load")
	w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 1`)
	w.press("quarter")
	w.says("4 records and 1 rejected line;")
	if err := os.WriteFile(filepath.Join(dir, "february.csv"), []byte("fee\tcall_no\n12.00\tMW-3\n14.00\tMW-6\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	w.says("Reload from new files")
	w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), files))
	w.says("4 → 5 records")
}
