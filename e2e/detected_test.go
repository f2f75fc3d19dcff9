package e2e

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/xuri/excelize/v2"

	"twinsieve/service/view"
)

// TestDetectedAgain loads one month after another: what was detected is detected again, what was stated is kept, and a file that is detected
// differently is told of before anything is replaced.
func TestDetectedAgain(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	dir := t.TempDir()
	book := func(rows ...[]any) string {
		f := excelize.NewFile()
		for i, row := range rows {
			if err := f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
				t.Fatal(err)
			}
		}
		var out bytes.Buffer
		if err := f.Write(&out); err != nil {
			t.Fatal(err)
		}
		return out.String()
	}
	for name, c := range map[string]struct {
		file        string // and its ending
		first, next string
		options     []string
		says        string // why the next is not loaded, first
		records     string // of the next, in the end
	}{
		"encoding":                   {"csv", "id,name\n1,M\xfcller\n", "id,name\n1,M\xc3\xbcller\n", nil, "next.csv: detected differently from last time: encoding UTF-8 (before: windows-1252). Nothing was loaded. To load it as it is detected now, give --as-detected", "1,Müller"},
		"a byte-order mark":          {"csv", "id,name\n1,M\xfcller\n", "\ufeffid,name\n1,M\xc3\xbcller\n", nil, "encoding UTF-8 (before: windows-1252)", "1,Müller"},
		"nothing but ASCII before":   {"csv", "id,name\n1,Miller\n", "id,name\n1,M\xfcller\n", nil, "", "1,Müller"},
		"nothing but ASCII after":    {"csv", "id,name\n1,M\xfcller\n", "id,name\n1,Miller\n", nil, "", "1,Miller"},
		"a stated encoding":          {"csv", "id,name\n1,M\xfcller\n", "id,name\n2,M\xfcller\n", []string{"--encoding", "ISO-8859-15"}, "", "2,Müller"},
		"a delimiter":                {"csv", "id,name\n1,a\n", "id;name\n2;b\n", nil, `delimiter ";" (before: ",")`, "2,b"},
		"no header":                  {"csv", "id,name\n1,a\n", "1,a\n2,b\n", nil, "line of the column names none (before: first)", "1,a 2,b"},
		"a trailer of another month": {"csv", "id,tot,amt\n1,2,3\nTotal 2024-03,,3\n", "id,tot,amt\n1,2,3\n2,2,2\nTotal 2024-04,,5\n", nil, "", "1,2,3 2,2,2"},
		"a trailer less":             {"csv", "id,tot,amt\n1,2,3\nTotal 2024-03,,3\n", "id,tot,amt\n1,2,3\n", nil, "trailer lines none (before: Total)", "1,2,3"},
		"no trailer, and such a name": {"csv", "vendor,amt\nAcme,1\nSumitomo,2\n", "vendor,amt\nSumitomo,9\nAcme,1\n", nil, "",
			"Sumitomo,9 Acme,1"},
		"a stated footer":          {"csv", "id,amt\n1,2\nX1,2\n", "id,amt\n1,3\n2,2\nX1,5\n", []string{"--footer", "X1"}, "", "1,3 2,2"},
		"names in another row":     {"xlsx", book([]any{}, []any{}, []any{"id", "name"}, []any{"k0", "a"}), book([]any{}, []any{"id", "name"}, []any{"k0", "b"}), nil, "", "k0,b"},
		"other names in another":   {"xlsx", book([]any{}, []any{}, []any{"id", "name"}, []any{"k0", "a"}), book([]any{}, []any{"no", "name"}, []any{"k0", "b"}), nil, "row of the column names 2 (before: 3)", "k0,b"},
		"another place in JSON":    {"json", `{"a":{"rows":[{"id":"1"}]}}`, `{"rows":[{"id":"2"}]}`, nil, "place of the records /rows (before: /a/rows)", "2"},
		"text instead of a sheet":  {"dat", book([]any{"id"}, []any{"1"}), "id\n2\n", nil, "format delimited (before: xlsx)", "2"},
		"a stated delimiter, gone": {"csv", "id;name\n1;a\n", "id,name\n2,b\n", []string{"--delimiter", ";"}, "", "2,b"},
	} {
		t.Run(name, func(t *testing.T) {
			set := strings.NewReplacer(" ", "-", ",", "").Replace(name)
			first, next := write(t, dir, set+"-first."+c.file, []byte(c.first)), write(t, t.TempDir(), "next."+c.file, []byte(c.next))
			if len(c.options) == 0 {
				if _, err := loadWith(t, p.client(), set, first, c.first, view.Recipe{}); err != nil {
					t.Fatal(err)
				}
			} else if r := run(t, p.at(), append([]string{"load", first, "--as", set}, c.options...)...); r.status != 0 {
				t.Fatal(r.out, r.errors)
			}
			records := func() string { return strings.NewReplacer("|", ",", "\n", " ").Replace(cellsOf(t, p.client(), set)) }
			before := records()
			r := run(t, p.at(), "reload", set, next)
			if c.says != "" {
				if r.status != 2 || !strings.Contains(r.errors, c.says) || records() != before {
					t.Fatalf("exit %d, %s%s; %s, want %s and %s as before", r.status, r.out, r.errors, records(), c.says, before)
				}
				r = run(t, p.at(), "reload", set, next, "--as-detected")
			}
			if got := records(); r.status != 0 || got != c.records {
				t.Errorf("exit %d, %s%s; %q, want %q", r.status, r.out, r.errors, got, c.records)
			}
		})
	}
}

// TestReloadBadByte: who loads a set again is told how to go on where a byte is no text.
func TestReloadBadByte(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	if _, err := loadWith(t, p.client(), "calls", "calls.csv", "id,name\n1,Müller\n", view.Recipe{}); err != nil {
		t.Fatal(err)
	}
	next := write(t, t.TempDir(), "next.csv", []byte("id,name\n1,Müller\n2,Andr\xc3\n"))
	r := run(t, p.at(), "reload", "calls", next)
	_, way, told := strings.Cut(strings.TrimSpace(r.errors), "twinsieve load ")
	if r.status != 2 || !told {
		t.Fatalf("exit %d, %s", r.status, r.errors)
	}
	r = run(t, p.at(), append([]string{"load"}, strings.Fields(strings.ReplaceAll(way, `"`, ""))...)...)
	set, err := p.client().Set(t.Context(), "calls")
	if r.status != 0 || err != nil || set.Snapshot.Number != 2 || set.Snapshot.Records != 1 || set.Snapshot.Rejects != 1 {
		t.Errorf("%s: exit %d, %s; %+v, %v", way, r.status, r.errors, set.Snapshot, err)
	}
	if r = run(t, p.at(), "reload", "calls", next); r.status != 0 {
		t.Errorf("the next time: exit %d, %s", r.status, r.errors)
	}
}

// TestDetectedInConsole: what the console loads is detected again the next time, a file that is detected differently is loaded only by a second
// press, and one with a bad byte only without that record.
func TestDetectedInConsole(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	w := &walk{browser: newBrowser(t, p), seen: map[string]int{}}
	w.mistakes = true
	dir := t.TempDir()
	file := func(name, text string) {
		w.do(chromedp.SetUploadFiles(chromedp.CSS(`input[type=file]`), []string{write(t, dir, name, []byte(text))}))
	}
	w.do(chromedp.Navigate(p.address + "/sets"))
	w.says("Paste cells")
	file("calls.csv", "call_no;captain;amount\nMW-04400;M\xfcller;12,50\nMW-04401;Ren\xe9;7,00\nTotal;;19,50\n")
	w.says("windows-1252")
	w.press("Load")
	w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 1`)
	set, err := p.client().Set(t.Context(), "calls")
	if err != nil {
		t.Fatal(err)
	}
	if r := set.Snapshot.Recipe; set.Snapshot.Records != 2 || r.Choices.Encoding != "" || r.Choices.Footers != nil || r.ReadAs.Encoding != "windows-1252" || fmt.Sprint(r.ReadAs.Footers) != "[Total]" {
		t.Errorf("%d records, stated %+v, read as %+v", set.Snapshot.Records, r.Choices, r.ReadAs)
	}
	w.press("calls")
	w.says("Reload from a new file")
	file("next.csv", "call_no;captain;amount\nMW-04400;Müller;12,50\nTotal;;12,50\n")
	w.says("next.csv: detected differently from last time: encoding UTF-8 (before: windows-1252). Nothing was loaded.")
	if set, err = p.client().Set(t.Context(), "calls"); err != nil || set.Snapshot.Number != 1 {
		t.Errorf("snapshot %d, %v", set.Snapshot.Number, err)
	}
	w.press("Load it as it is detected now")
	w.says("from snapshot 1 to 2")

	w.press("Record sets")
	w.says("Paste cells")
	file("harbour-calls.csv", "call_no;captain\n"+strings.Repeat("MW-04400;Müller\n", 40)+"MW-04441;Andr\xc3\n")
	w.says(`line 42: column "captain" has bytes that are not UTF-8 (C3)`)
	w.press("Reject records with invalid bytes")
	w.says("MW-04400")
	w.press("Load")
	w.until(`document.querySelectorAll('form').length === 0 && document.querySelectorAll('.ant-table-row').length === 2`)
	if set, err = p.client().Set(t.Context(), "harbour-calls"); err != nil || set.Snapshot.Records != 40 || set.Snapshot.Rejects != 1 || set.Snapshot.Recipe.Choices.InvalidBytes != "reject" {
		t.Errorf("%+v, %v", set, err)
	}
	// What a preview has shown is what is loaded, or nothing is.
	_, err = loadWith(t, p.client(), "other", "other.csv", "a;b\n1;2\n", view.Recipe{ReadAs: set.Snapshot.Recipe.ReadAs})
	if err != nil {
		t.Errorf("read as it was shown: %v", err)
	}
	_, err = loadWith(t, p.client(), "other", "other.csv", "a,b\n1,2\n", view.Recipe{ReadAs: set.Snapshot.Recipe.ReadAs})
	refused(t, "read otherwise than it was shown", err, view.DetectedDifferently, `delimiter "," (before: ";")`)
}
